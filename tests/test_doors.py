"""Doors that strangers' folders and slips of the hand come to: nothing of a folder is run, no file that is read is written over, and
nothing is kept that could not be opened again."""

import ast
import errno
import os
import subprocess
import sys
from pathlib import Path

import pytest
from msgspec.structs import replace
from pytestqt.qtbot import QtBot

from tempik import programs
from tempik.cli.main import main
from tempik.deliver import queue
from tempik.deliver.order import Order
from tempik.desktop.shell.window import Window
from tempik.disk import writing
from tempik.edit.clips.layers import with_fade
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.project.media_files import media_paths
from tempik.project.zipped import zip_project
from tempik.reel import Clip, Edge, Footage, Grade, Nest, Reel
from tempik.reel.sound import SoundFile
from unsound import refused_both_ways

SOURCE = Path(programs.__file__).parent
SCRIPTS = Path(sys.executable).parent
WAIT = 60_000


# A stranger's code


@pytest.fixture
def hostile(tmp_path: Path, reel: Reel, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A folder with a project, and in it a module of every name that anything imports: each tells that it was run."""
    folder = tmp_path / "got"
    folder.mkdir()
    names = {*sys.stdlib_module_names, *(name.partition(".")[0] for name in sys.modules), "tempik", "sitecustomize"}
    for name in names:
        (folder / f"{name}.py").write_text(f"open({str(tmp_path / 'ran')!r}, 'a').write({name!r} + ' ')\n")
    save_reel(reel, folder / "r.tempik")
    monkeypatch.chdir(folder)
    return folder


def ran(hostile: Path) -> str:
    told = hostile.parent / "ran"
    return told.read_text() if told.exists() else ""


def test_the_trap_closes_on_what_is_not_isolated(hostile: Path) -> None:
    subprocess.run([sys.executable, "-m", "json.tool"], input=b"{}", capture_output=True, check=False)
    assert ran(hostile)


@pytest.mark.film
def test_no_verb_runs_what_lies_in_the_working_folder(hostile: Path) -> None:
    """Exports and the demo once ran a `json.py` there."""
    clean = {n: v for n, v in os.environ.items() if not n.startswith("PYTHON")}
    small = ["--size", "90x160", "--quality", "draft", "--to", "0.2"]
    for arguments in (["about"], ["check", "r.tempik"], ["export", "r.tempik", "-o", "o.mp4", *small],
                      ["export", "r.tempik", "-o", "q.mp4", *small, "--queue"], ["queue", "run"]):  # fmt: skip
        done = subprocess.run([SCRIPTS / "tempik", *arguments], env=clean, capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr
    assert (hostile / "o.mp4").is_file() and (hostile / "q.mp4").is_file()
    assert ran(hostile) == ""


def test_no_process_of_ours_runs_what_lies_in_the_working_folder(
    hostile: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("PYTHONPATH", f":{hostile}")
    monkeypatch.setenv("PYTHONSTARTUP", str(hostile / "json.py"))
    for command in (programs.ours("tempik.demo.footage", str(hostile), "none"), programs.ours("tempik.cli", "about")):
        done = programs.ran(command)
        assert done.returncode == 0, done.stderr
    assert ran(hostile) == ""


@pytest.mark.film
def test_an_export_of_the_window_runs_nothing_of_the_projects_folder(
    hostile: Path, window: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("PYTHONPATH", str(hostile))
    assert window.importer.open_project(hostile / "r.tempik")
    window.exports.start(Order(size=(90, 160), quality="draft", part=(0.0, 0.2)), hostile / "o.mp4")
    qtbot.waitUntil(lambda: window.exports.running is None and not window.exports.waiting, timeout=WAIT)
    assert (hostile / "o.mp4").is_file() and ran(hostile) == ""


def test_a_program_of_the_system_is_never_one_of_the_working_folder(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "update-mime-database").write_text("#!/bin/sh\n")
    (tmp_path / "update-mime-database").chmod(0o755)
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("PATH", f":.:{os.path.relpath(tmp_path)}:/usr/bin")
    monkeypatch.setenv("LD_LIBRARY_PATH", ":lib")
    assert programs.found("update-mime-database") in (None, "/usr/bin/update-mime-database")
    assert programs.environment()["PATH"] == "/usr/bin" and "LD_LIBRARY_PATH" not in programs.environment()


@pytest.mark.film
def test_processes_are_started_in_one_place() -> None:
    """By construction: nothing else of the program knows how to start one."""
    starting = {"subprocess", "multiprocessing", "pty", "asyncio"}
    found = set()
    for path in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text(encoding="utf-8"))):
            names = [a.name for a in node.names] if isinstance(node, ast.Import | ast.ImportFrom) else []
            if isinstance(node, ast.ImportFrom):
                names.append(node.module or "")
            called = node.attr if isinstance(node, ast.Attribute) else ""
            if starting.intersection(names) or "QProcess" in names or called in ("system", "popen", "execv", "fork"):
                found.add(path.relative_to(SOURCE).as_posix())
    # These two have the pipe of a process that `programs` began.
    assert found == {"programs.py", "desktop/session/export_process.py", "desktop/session/importer.py"}


# The queue


@pytest.mark.parametrize(
    "name", ["..", ".", "../untitled", "", "/", "a" * 12, "ABCDEF012345", "0" * 300, "\0", "é" * 12]
)
def test_the_queue_takes_ids_alone(name: str, reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    """`queue remove` once deleted any folder."""
    (item,) = queue.add(reel, Order(), tmp_path / "a.mp4")
    home = tmp_path / "state" / "untitled"
    home.mkdir(parents=True)
    (home / "work.journal").write_bytes(b"work")
    for verb in ("remove", "up", "down", "run"):
        for wanted in {name, str(home)} - {""}:
            assert main(["queue", verb, wanted]) == 2
    assert (home / "work.journal").is_file()
    assert [i.id for i in queue.items()] == [item.id]
    capsys.readouterr()


def test_what_cannot_be_queued_leaves_nothing(reel: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A full disk once left a folder that no list shows."""
    queue.add(reel, Order(), tmp_path / "before.mp4")
    before = sorted(p.name for p in queue.folder().iterdir())
    made = writing.NewFolder.write

    def full(folder: writing.NewFolder, name: str, data: bytes) -> None:
        made(folder, name, data[:100])
        if name == "item.json" and len(list(queue.folder().iterdir())) > 2:  # the second of two
            raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(writing.NewFolder, "write", full)
    with pytest.raises(TempikError, match="No space left"):
        queue.add(reel, Order(shapes=("upright", "square")), tmp_path / "a.mp4")
    assert sorted(p.name for p in queue.folder().iterdir()) == before


def test_a_place_that_cannot_be_written_is_refused_when_it_is_queued(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    assert main(["export", str(tmp_path / "r.tempik"), "-o", str(tmp_path / "none" / "a.mp4"), "--queue"]) == 2
    assert "is not there; choose another place" in capsys.readouterr().err and queue.items() == []


# What is read is not written over


@pytest.fixture
def everything(reel: Reel, media: Path, tmp_path: Path) -> Reel:
    """A reel that names a file in every way that there is."""
    for name in ("spare.mp4", "inside.mp4", "mask.png", "look.cube", "clip.cube", "own.wav", "hard.mp4"):
        (tmp_path / name).write_bytes(b"precious")
    piece = reel.footage[0]
    spare = replace(piece, id="f90", path=str(tmp_path / "spare.mp4"), cues=())
    hard = replace(piece, id="f91", path=str(tmp_path / "hard.mp4"), cues=())
    inside = replace(piece, id="f92", path=str(tmp_path / "inside.mp4"), cues=())
    nest = Nest(Edge(0.0), Edge(1.0), (Clip("c90", "f92", Edge(0.0), Edge(1.0)),))
    nested = Footage("f93", "", reel.width, reel.height, reel.rate, 1.0, kind="nest", nest=nest)
    rows = (replace(reel.accent_lanes[0], mask=str(tmp_path / "mask.png")), *reel.accent_lanes[1:])
    clips = (replace(reel.clips[0], grade=Grade(lut=str(tmp_path / "clip.cube"))), *reel.clips[1:])
    return replace(
        reel, footage=(*reel.footage, spare, hard, inside, nested), accent_lanes=rows, clips=clips,
        look=Grade(lut=str(tmp_path / "look.cube")), sounds=(SoundFile("s1", str(tmp_path / "own.wav"), 1.0),),
    )  # fmt: skip


def test_one_list_has_every_file_that_a_reel_names(everything: Reel, tmp_path: Path) -> None:
    named = {Path(p).name for p in media_paths(everything) if p.startswith(str(tmp_path))}
    assert {"spare.mp4", "hard.mp4", "inside.mp4", "mask.png", "look.cube", "clip.cube", "own.wav"} <= named


@pytest.mark.parametrize(
    "name", ["spare.mp4", "inside.mp4", "mask.png", "look.cube", "clip.cube", "own.wav", "hard.mp4"]
)
def test_nothing_that_is_read_is_written_over_by_any_verb(
    everything: Reel, tmp_path: Path, name: str, capsys: pytest.CaptureFixture[str]
) -> None:
    """Footage that was not placed, masks, LUTs and sounds were. The same inode is the same file, whatever its name."""
    save_reel(everything, tmp_path / "r.tempik")
    target = tmp_path / name
    kept = (tmp_path / "same").with_suffix(target.suffix)
    os.link(target, kept)
    project = str(tmp_path / "r.tempik")
    ways = [["export", project, "-o"], ["exchange", "write", project, "-o"], ["titles", project, "--add", "x", "-o"],
            ["points", project, "-o"], ["sound", project, "--write"], ["grade", project, "--write-cube"],
            ["accents", project, "--write"], ["speed", project, "--reverse", "-o"]]  # fmt: skip
    for way in ways:
        for path in (target, kept):
            assert main([*way, str(path)]) == 2, way
    for make in (
        lambda: zip_project(everything, kept),
        lambda: save_reel(everything, kept),
        lambda: (
            (queue.add(everything, Order(), kept) and main(["queue", "run"]) == 0)
            or (_ for _ in ()).throw(TempikError("x"))
        ),
    ):
        with pytest.raises(TempikError):
            make()
    assert target.read_bytes() == kept.read_bytes() == b"precious"
    capsys.readouterr()


@pytest.mark.slow
def test_a_song_and_a_film_are_not_written_over_by_what_is_made_of_them(
    media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    for verb, name in (("beats", "song.wav"), ("cues", "a.mp4")):
        copy = tmp_path / name
        copy.write_bytes((media / name).read_bytes())
        assert main([verb, str(copy), "-o", str(copy)]) == 2
        assert "would be lost" in capsys.readouterr().err and copy.read_bytes() == (media / name).read_bytes()


# What is written can be read


def test_what_could_not_be_opened_again_is_not_written(reel: Reel, tmp_path: Path) -> None:
    refused_both_ways(with_fade_of(reel, 601), tmp_path / "a.tempik", "keep it above 0 and to 600")
    odd = replace(reel, footage=(replace(reel.footage[0], length_s=1.1e12), *reel.footage[1:]))
    refused_both_ways(odd, tmp_path / "b.tempik", "which cannot be")
    far = replace(reel, footage=(replace(reel.footage[0], path="/" + "x" * 120_000), *reel.footage[1:]))
    refused_both_ways(far, tmp_path / "c.tempik", "too long")


def with_fade_of(reel: Reel, frames: int) -> Reel:
    return with_fade(reel, [reel.clips[0].id], True, frames, "frames")


@pytest.mark.parametrize("options", [("--fade-out", "601"), ("--fade-in", "99b"), ("--key", "opacity@9999=1")])
def test_the_command_line_leaves_a_project_that_would_not_open(
    reel: Reel, tmp_path: Path, options: tuple[str, ...], capsys: pytest.CaptureFixture[str]
) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    before = (tmp_path / "r.tempik").read_bytes()
    assert main(["layers", str(tmp_path / "r.tempik"), "--clips", "1", *options]) == 2
    assert len(capsys.readouterr().err.splitlines()) == 1 and (tmp_path / "r.tempik").read_bytes() == before


@pytest.mark.slow
def test_a_step_that_could_not_be_opened_again_is_not_done(opened: Window) -> None:
    """Neither in the reel nor in the journal: what is shown is what a killed process leaves."""
    before = opened.project.reel
    assert not opened.project.change("Fade", lambda r: with_fade_of(r, 601))
    assert opened.project.reel is before and "keep it above 0 and to 600" in opened.foot.status.text()


def test_a_gesture_that_could_not_be_opened_again_is_dropped(opened: Window) -> None:
    from tempik.desktop.session.gesture import Gesture

    before = opened.project.history.reel
    gesture = Gesture(opened.project)
    assert opened.project.show_gesture(gesture, lambda r: with_fade_of(r, 601))
    opened.project.settle_gesture(gesture, "Fade")
    assert opened.project.reel is before and "Nothing was changed" in opened.foot.status.text()


def test_points_with_endless_names_are_refused_on_import(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    (tmp_path / "p.txt").write_text("1.0\t1.0\t" + "n" * 120_000 + "\n")
    before = (tmp_path / "r.tempik").read_bytes()
    assert main(["points", str(tmp_path / "r.tempik"), "--read", str(tmp_path / "p.txt")]) == 2
    message = capsys.readouterr().err
    assert len(message) < 600 and (tmp_path / "r.tempik").read_bytes() == before


# A layer takes nothing away


def test_a_layer_gives_way_to_nothing_unless_it_is_told_to(
    reel: Reel, media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """It once replaced seven clips with their keys and masks by one still, without a word."""
    project = tmp_path / "r.tempik"
    save_reel(reel, project)
    before = project.read_bytes()
    for what in ("--add", "--adjust"):
        add = [what, "#ff8800"] if what == "--add" else [what]
        assert main(["layers", str(project), *add, "--track", "1", "--from", "1", "--length", "5"]) == 2
        assert "Clips lie on track 1 there: 1 (" in capsys.readouterr().err and project.read_bytes() == before
    over = ["--add", "#ff8800", "--track", "1", "--from", "1", "--length", "5", "--over"]
    assert main(["layers", str(project), *over]) == 0
    message = capsys.readouterr().err
    assert (
        "gave way" in message and "went" in message and "cut back" in message and "laid as clip 2 on track 1" in message
    )
    assert main(["layers", str(project), "--add", "#ff0000", "--from", "1", "--length", "1"]) == 0
    assert "on track 2" in capsys.readouterr().err and len(load_reel(project).tracks) == 2
