"""Files that come while their project is open: a disk that is put in late, and the demo, opened while it is still drawn."""

import os
import shutil
import signal
import subprocess
from pathlib import Path

import pytest
from msgspec.structs import replace
from pytestqt.qtbot import QtBot

from tempik.cli.main import main
from tempik.demo import demo_can_open, demo_is_whole
from tempik.demo.write import in_order_of_use
from tempik.desktop.shell.window import Window
from tempik.project.file import load_reel, save_reel
from tempik.project.media_files import missing_media, with_paths
from tempik.reel import Reel

pytestmark = pytest.mark.usefixtures("no_dialogs")


@pytest.mark.film
def test_a_disk_put_in_late_is_read_as_if_it_had_been_there(
    window: Window, qtbot: QtBot, drafted: Reel, media: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Its song stayed silent, its clips black and its filmstrips empty until the project was opened again."""
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path / "cache"))
    disk = tmp_path / "disk"
    reel = with_paths(with_paths(drafted, media, True), disk, False)
    save_reel(reel, tmp_path / "late.tempik")
    assert window.importer.open_project(tmp_path / "late.tempik")
    qtbot.waitUntil(lambda: len(window.watch.missing) == 4 and not window.worker.jobs, timeout=20_000)
    assert window.song.sound is None and window.foot.find_missing.isVisible()
    assert "song.wav and 3 more are missing" in window.foot.status.text()

    shutil.copytree(media, disk)
    window.watch.check()

    def read() -> bool:
        strips = all(window.filmstrips.at(f.path, 0.0) is not None for f in reel.footage)
        return (
            strips and window.song.sound is not None and all(window.proxy_store.study_of(f.path) for f in reel.footage)
        )

    qtbot.waitUntil(read, timeout=60_000)
    assert not window.watch.missing and not window.foot.find_missing.isVisible()
    assert window.foot.status.text().endswith("All files of the project are there again.")
    qtbot.waitUntil(lambda: window.preview.image is not None, timeout=20_000)


@pytest.mark.film
def test_the_demo_opens_while_it_is_made_and_nothing_is_called_missing(
    window: Window, qtbot: QtBot, demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What was saved of it meanwhile stays. The drawing is held until the window has opened what there is."""
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path))
    made, drawing = [], subprocess.Popen

    def held(command: list[str], **options: object) -> "subprocess.Popen[bytes]":
        process = drawing(command, **options)  # type: ignore[call-overload]
        if "tempik.cli" in command:
            os.killpg(process.pid, signal.SIGSTOP)
            made.append(process.pid)
        return process  # type: ignore[no-any-return]

    monkeypatch.setattr(subprocess, "Popen", held)
    window.importer.opened.connect(lambda: os.killpg(made[0], signal.SIGCONT))
    folder = tmp_path / "demo"
    shutil.copytree(demo, folder, ignore=shutil.ignore_patterns("tongs.mp4"))
    assert in_order_of_use()[0] != "tongs.mp4"
    save_reel(replace(load_reel(folder / "forge.tempik"), amount=0.5), folder / "forge.tempik")
    assert demo_can_open(folder) and not demo_is_whole(folder)
    message: list[str] = []
    whole: list[bool] = []
    window.project.messages.posted.connect(lambda text, _: message.append(text))
    window.importer.opened.connect(lambda: whole.append(demo_is_whole(folder)))
    window.watch.changed.connect(lambda: message.append(f"missing: {sorted(window.watch.missing)}"))
    window.importer.open_demo("forge wide.tempik")
    window.importer.open_demo()  # thought better of it: made once, and the last that was asked for is opened
    assert [j.title for j in window.worker.jobs].count("Making the demo") == 1
    qtbot.waitUntil(lambda: window.project.path == folder / "forge.tempik", timeout=60_000)
    assert whole == [False]
    qtbot.waitUntil(lambda: not window.watch.gone and demo_is_whole(folder), timeout=120_000)
    qtbot.waitUntil(lambda: window.filmstrips.at(str(folder / "tongs.mp4"), 0.0) is not None, timeout=60_000)
    assert not window.foot.find_missing.isVisible() and window.project.reel.amount == 0.5
    assert load_reel(folder / "forge.tempik").amount == 0.5
    assert not [text for text in message if "missing" in text or "not there" in text]


@pytest.mark.slow
def test_a_demo_that_is_stopped_on_the_way_says_how_to_go_on(
    window: Window, qtbot: QtBot, demo: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """What was not drawn was only missing."""
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path))
    left_out = shutil.ignore_patterns("tongs.mp4", "quench.mp4", "embers.mp4")
    shutil.copytree(demo, tmp_path / "demo", ignore=left_out)
    message: list[str] = []
    window.project.messages.posted.connect(lambda text, _: message.append(text))
    window.importer.open_demo()
    (job,) = [j for j in window.worker.jobs if j.title == "Making the demo"]
    window.worker.cancel(job)
    qtbot.waitUntil(lambda: "The demo is not whole; open it again to have the rest drawn." in message, timeout=60_000)
    assert not demo_is_whole(tmp_path / "demo")


@pytest.mark.slow
def test_the_demos_recorded_reel_is_what_is_drafted_today(demo: Path, tmp_path: Path) -> None:
    """`tempik demo FOLDER --draft` writes it; where this fails, its forge.tempik goes into src/tempik/demo."""
    shutil.copytree(demo, tmp_path / "anew")
    assert main(["demo", str(tmp_path / "anew"), "--draft"]) == 0
    recorded, drafted = load_reel(demo / "forge.tempik"), load_reel(tmp_path / "anew" / "forge.tempik")
    assert missing_media(drafted) == []
    assert drafted.clips == recorded.clips
    assert (
        drafted.accent_lanes == recorded.accent_lanes
        and drafted.sound_lanes == recorded.sound_lanes
        and drafted.mix == recorded.mix
    )
    was, now = recorded.soundtrack, drafted.soundtrack
    assert was is not None and now is not None and was.heard is not None and now.heard is not None
    # How sure it is depends in its ninth place on how many threads add up.
    assert now.heard.confidence == pytest.approx(was.heard.confidence, abs=1e-6)
    assert (now.heard.beats, now.heard.onsets) == (was.heard.beats, was.heard.onsets)
