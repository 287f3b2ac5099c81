"""The commands: what a person types, and what a person gets."""

import contextlib
import csv
import io
import json
import subprocess
import sys
from pathlib import Path
from typing import NamedTuple

import av
import pytest

from media_files import write_sound, write_video
from tempik.cli.main import main
from tempik.project.file import load_reel, save_reel
from tempik.reel import Reel
from tempik.timeline.timeline import Timeline


class Ran(NamedTuple):
    """What a command said."""

    stdout: str
    stderr: str


def tempik(*arguments: object, code: int = 0) -> Ran:
    """Run a command and check its exit code; a failure's stderr is one sentence."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            ended = main([*map(str, arguments)])
        except SystemExit as stop:
            ended = int(stop.code or 0)
    return _checked(Ran(out.getvalue(), err.getvalue()), ended, code)


def as_process(*arguments: object, code: int = 0) -> Ran:
    """Run a command as a process of its own."""
    run = subprocess.run(
        [sys.executable, "-m", "tempik.cli", *map(str, arguments)], check=False, capture_output=True, text=True
    )
    return _checked(Ran(run.stdout, run.stderr), run.returncode, code)


def _checked(ran: Ran, ended: int, code: int) -> Ran:
    assert ended == code, ran.stderr
    if code:
        assert ran.stderr.startswith("tempik: ") and len(ran.stderr.strip().splitlines()) == 1
        assert "Traceback" not in ran.stderr
    return ran


@pytest.fixture
def project(media: Path, tmp_path: Path, worker_cache: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    path = tmp_path / "r.tempik"
    monkeypatch.setenv("TEMPIK_CACHE", str(worker_cache))
    tempik(
        "draft", "--song", media / "song.wav", "--footage", media / "a.mp4", media / "b.mp4", "--footage", media / "c.mp4",
        "--cue", f"{media / 'a.mp4'}=2.0", "--cue", "b.mp4=2.0", "--length", 8, "--size", "180x320", "--rate", "30000/1001",
        "--every", 4, "--accent", "flash:4", "--accent", "shake", "-o", path,
    )  # fmt: skip
    return path


@pytest.mark.film
def test_a_command_is_a_process_with_an_exit_code(project: Path, media: Path, tmp_path: Path) -> None:
    assert json.loads(as_process("check", project).stdout)["ok"]
    assert "gone.wav" in as_process("beats", tmp_path / "gone.wav", code=2).stderr
    assert "see tempik beats --help" in as_process("beats", code=2).stderr
    out = tmp_path / "o.mp4"
    lines = as_process("export", project, "-o", out, "--quality", "draft", "--progress", "json").stdout.splitlines()
    assert json.loads(lines[-1])["done"] == 240 and out.is_file()


def test_beats_as_csv_and_json(media: Path, tmp_path: Path) -> None:
    rows = list(csv.DictReader(io.StringIO(tempik("beats", media / "song.wav").stdout)))
    assert list(rows[0]) == ["time_s", "bar", "beat", "strength"]
    first = next(r for r in rows if r["beat"] == "1")
    assert float(first["time_s"]) == pytest.approx(0.5, abs=0.01)
    tempik("beats", media / "song.wav", "--format", "json", "-o", tmp_path / "b.json")
    document = json.loads((tmp_path / "b.json").read_text())
    assert document["tempo_bpm"] == pytest.approx(120, abs=0.05)
    assert len(document["beats"]) == len(rows)


def test_probe_says_what_a_file_is(media: Path) -> None:
    document = json.loads(tempik("probe", media / "b.mp4").stdout)
    assert document["true_rate"] == "60"
    assert document["clean_floor"]["30"] == pytest.approx(0.5)  # common practice: reel rate / footage rate
    assert document["clean_floor"]["24"] == pytest.approx(0.4)
    assert document["rotation"] == 0 and document["cadence"]["pattern"] == "none"
    assert document["streams"][0]["kind"] == "video"


def test_a_draft_is_a_project_that_lands(project: Path) -> None:
    reel = load_reel(project)
    assert (reel.width, reel.height, str(reel.rate)) == (180, 320, "30000/1001")
    assert [(r.accent, r.rule.every) for r in reel.accent_lanes] == [("flash", 4), ("shake", 1)]
    report = json.loads(tempik("check", project).stdout)
    assert report["ok"] and report["worst_ms"] <= 1001 / 60
    assert {"kind", "frame", "time_s", "point_s", "error_ms", "error_frames", "ok"} <= set(report["events"][0])
    assert {e["kind"] for e in report["events"]} == {"cut", "pin", "accent"}
    assert "measured_ms" not in report["events"][0]


@pytest.mark.film
def test_export_and_its_measured_check(project: Path, tmp_path: Path) -> None:
    out = tmp_path / "o.mp4"
    lines = tempik("export", project, "-o", out, "--quality", "draft", "--progress", "json").stdout.splitlines()
    last = json.loads(lines[-1])
    assert last["done"] == last["total"] == 240
    with av.open(str(out)) as container:
        assert sum(1 for _ in container.decode(video=0)) == 240
    report = json.loads(tempik("check", project, "--rendered", out).stdout)
    measured = [e["measured_ms"] for e in report["events"] if e["measured_ms"] is not None]
    assert report["ok"] and len(measured) > len(report["events"]) / 2
    table = list(csv.DictReader(io.StringIO(tempik("check", project, "--format", "csv").stdout)))
    assert len(table) == len(report["events"])


def test_a_file_that_is_not_this_reels_export_is_refused(project: Path, media: Path) -> None:
    assert "export the reel again" in tempik("check", project, "--rendered", media / "a.mp4", code=2).stderr


def test_a_check_that_fails_says_so_and_exits_1(project: Path) -> None:
    document = json.loads(project.read_text())
    clip = document["reel"]["clips"][1]
    clip["start"]["time_s"] += 0.1
    # A pin whose cue lies beyond what its clip can show within the slot misses its point.
    document["reel"]["clips"][0]["pins"] = [{"cue": "q1", "point": "b12"}]
    project.write_text(json.dumps(document))
    assert "miss" in tempik("check", project, code=1).stderr


@pytest.mark.slow
def test_bad_input_gets_one_sentence_and_code_2(media: Path, tmp_path: Path) -> None:
    empty, text = tmp_path / "empty.mp4", tmp_path / "text.mp4"
    empty.write_bytes(b"")
    text.write_text("words")
    song, a = media / "song.wav", media / "a.mp4"
    out = tmp_path / "r.tempik"
    for arguments, words in (
        (("probe", empty), "empty"),
        (("probe", text), "not a media file"),
        (("beats", tmp_path / "none.wav"), "not there"),
        (("beats", a), "has no sound"),
        (("draft", "--song", song, "--footage", text, "-o", out), "not a media file"),
        (("draft", "--song", song, "--footage", song, "-o", out), "only sound"),
        (("draft", "--song", song, "--footage", a, "--length", 900, "-o", out), "sound left"),
        (("draft", "--song", song, "--footage", a, "--accent", "sparkle", "-o", out), "no accent named"),
        (("draft", "--song", song, "--footage", a, "-o", tmp_path / "no" / "r.tempik"), "could not be written"),
        (("export", tmp_path / "none.tempik", "-o", tmp_path / "o.mp4"), "is not there"),
        (("check", text), "damaged"),
    ):
        assert words in tempik(*arguments, code=2).stderr
    assert not out.exists()


def test_a_song_without_beats_is_no_ground_for_a_draft(media: Path, tmp_path: Path) -> None:
    import numpy as np

    silent = write_sound(tmp_path / "silence.wav", np.zeros(48000 * 8, np.float32))
    assert "no steady beat" in tempik("beats", silent, code=2).stderr
    assert (
        "no steady beat"
        in tempik("draft", "--song", silent, "--footage", media / "a.mp4", "-o", tmp_path / "r", code=2).stderr
    )


def test_missing_media_is_named_on_export(project: Path, media: Path, tmp_path: Path) -> None:
    reel = json.loads(project.read_text())
    reel["reel"]["footage"][0]["path"] = "gone.mp4"
    project.write_text(json.dumps(reel))
    assert "gone.mp4 is missing" in tempik("export", project, "-o", tmp_path / "o.mp4", code=2).stderr


@pytest.mark.parametrize(
    "arguments", [("draft",), ("export", "x.tempik"), ("check",), ("beats", "s", "--format", "xml"),
                  ("draft", "--song", "s", "--footage", "f", "--rate", "fast", "-o", "p"),
                  ("draft", "--song", "s", "--footage", "f", "--size", "81x99", "-o", "p"),
                  ("draft", "--song", "s", "--footage", "f", "--cue", "f:2", "-o", "p"),
                  ("draft", "--song", "s", "--footage", "f", "--accent", "flash:0", "-o", "p")],
)  # fmt: skip
def test_bad_usage_exits_2(arguments: tuple[str, ...]) -> None:
    assert "--help)." in tempik(*arguments, code=2).stderr


@pytest.mark.film
def test_odd_footage_goes_the_whole_way(media: Path, tmp_path: Path) -> None:
    from media_files import numbered

    turned = write_video(tmp_path / "turned.mp4", numbered(320, 180), 90, rotate=90)
    tall = write_video(tmp_path / "tall.mp4", numbered(126, 302), 70, 50, pixel_format="yuv420p10le")
    project, out = tmp_path / "odd.tempik", tmp_path / "odd.mp4"
    tempik("draft", "--song", media / "song.wav", "--footage", turned, tall, "--cue", "turned.mp4=1.5", "--cue",
           "tall.mp4=0.7", "--length", 6, "--size", "180x320", "-o", project)  # fmt: skip
    tempik("export", project, "-o", out, "--quality", "draft")
    assert json.loads(tempik("check", project, "--rendered", out).stdout)["ok"]


@pytest.mark.slow
def test_a_torn_file_among_others_is_said_and_the_rest_drafted(
    media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """As in the window: one file of forty that did not copy whole is no reason to have no reel."""
    torn, out = tmp_path / "torn.mp4", tmp_path / "p.tempik"
    torn.write_bytes((media / "a.mp4").read_bytes()[:4000])
    draft = ["draft", "--song", str(media / "song.wav"), "--mood", "driving", "-o", str(out), "--footage"]
    assert main([*draft, str(torn), str(media / "b.mp4")]) == 0
    assert f"note: {torn} is cut off" in capsys.readouterr().err
    assert [Path(f.path).name for f in load_reel(out).footage if not f.without_file] == ["b.mp4"]
    assert main([*draft, str(torn)]) == 2
    assert capsys.readouterr().err.startswith(f"tempik: {torn} is cut off")


def test_importing_the_core_needs_no_qt() -> None:
    code = (
        "import sys; import tempik.cli.main, tempik.render, tempik.check, tempik.demo, tempik.assemble;"
        "sys.exit(any(m.startswith(('PySide6', 'librosa')) for m in sys.modules))"
    )
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 0


# Speed


@pytest.fixture
def small(reel: Reel, tmp_path: Path) -> Path:
    """The small reel as a project file."""
    save_reel(reel, tmp_path / "small.tempik")
    return tmp_path / "small.tempik"


def ran(*arguments: object, code: int = 0) -> str:
    """Run a command within this process, which is quicker; return what it said, a failure's one sentence."""
    out, err = io.StringIO(), io.StringIO()
    with contextlib.redirect_stdout(out), contextlib.redirect_stderr(err):
        try:
            got = main([str(a) for a in arguments])
        except SystemExit as left:
            got = int(left.code or 0)
    assert got == code, err.getvalue()
    if code:
        assert err.getvalue().startswith("tempik: ") and err.getvalue().count("\n") == 1
    return err.getvalue() if code else out.getvalue()


def speeds(project: Path) -> list[dict[str, str]]:
    return list(csv.DictReader(ran("speed", project).splitlines()))


def test_speed_lists_every_clip_and_gives_ten_the_same_shape(small: Path) -> None:
    before = speeds(small)
    assert (before[0]["average"], before[0]["floor"], before[0]["repeats"]) == ("1.0000", "1.0000", "1")
    assert ran("speed", small, "--shape", "dip", "--on", "pin", "--amount", 70).strip() == str(small)
    after = speeds(small)
    assert {r["shape"] for r in after} == {"dip"} and all(float(r["slowest"]) < 0.5 for r in after)
    assert [float(r["used_s"]) for r in after] == pytest.approx([float(r["used_s"]) for r in before], abs=0.002)
    assert json.loads(ran("check", small))["ok"]


def test_speed_changes_one_clip_or_writes_to_another_project(small: Path, tmp_path: Path) -> None:
    other = tmp_path / "other.tempik"
    ran("speed", small, "--clips", 2, "--see-saw", 3, "-o", other)
    assert abs(float(speeds(other)[1]["average"])) == pytest.approx(1 / 3, abs=0.03)
    assert speeds(small)[1]["average"] == "1.0000"
    ran("speed", other, "--clips", "1", "--frames", 30, "--between", "flow")
    assert (speeds(other)[0]["frames"], speeds(other)[0]["between"]) == ("30", "flow")
    ran("speed", other, "--clips", "3", "--reverse", "--reel-between", "blend", "--crossfade", 8, "--beyond", "loop")
    assert float(speeds(other)[2]["average"]) < 0 and speeds(other)[2]["between"] == "blend"
    ran("speed", other, "--clips", "2", "--sound", "on", "--clip-crossfade", 40, "--fade-in", 80)
    sound = [p.clip.sound for p in Timeline(load_reel(other)).placed]
    assert [s.crossfade_ms for s in sound[:3]] == [None, 40.0, None] and sound[1].fade_in_s == pytest.approx(0.08)


def test_speed_acts_on_frames_of_the_reel(small: Path) -> None:
    first = int(speeds(small)[0]["first"])
    for change in (
        ("--rewind", f"{first + 10}-{first + 20}@200"),
        ("--stretch", f"{first + 30}-{first + 40}@50", "--soft", 3),
        ("--hold", f"{first + 45}+5"),
    ):
        ran("speed", small, *change)
    row = speeds(small)[0]
    assert (float(row["slowest"]), float(row["fastest"])) == (0.0, -2.0)


REFUSED: tuple[tuple[tuple[object, ...], str], ...] = (
    (("--clips", "99", "--reverse"), "the reel has clips 1 to"),
    (("--clips", "x", "--reverse"), "names no clips"),
    (("--shape", "nothing"), "There is no shape 'nothing'"),
    (("--constant", 5000), "beyond the limit"),
    (("--crossfade", 900), "between 0 and 200"),
    (("--clips", 1, "--clip-crossfade", 900), "a crossfade of 900 ms; keep it between 0 and 200"),
    (("--amount", 50), "no shape"),
    (("--hold", "99999+5"), "No clip is on screen at frame 99999"),
    (("--read-shape", "/nowhere.tempikshape"), "is not there"),
)


def test_speed_says_what_cannot_be_had_and_leaves_the_project(small: Path) -> None:
    before = small.read_bytes()
    for options, message in REFUSED:
        assert message in ran("speed", small, *options, code=2)
        assert small.read_bytes() == before


def test_bad_usage_of_speed_ends_with_two(small: Path) -> None:
    assert "give FIRST-END@PERCENT" in ran("speed", small, "--rewind", "soon", code=2)
    assert "FRAME+N" in ran("speed", small, "--hold", "10", code=2)
    assert "Which project?" in ran("speed", code=2)


def test_shapes_are_listed_kept_written_and_read(small: Path, tmp_path: Path) -> None:
    assert "dip: fast, slow on the point, fast" in ran("speed", "--shapes")
    ran("speed", small, "--clips", 1, "--stretch", "10-20@300")
    assert ran("speed", small, "--clips", 1, "--keep-shape", "my burst").strip() == "my burst"
    ran("speed", "--write-shape", "my burst", tmp_path / "b.tempikshape")
    assert ran("speed", "--read-shape", tmp_path / "b.tempikshape").strip() == "my burst"
    ran("speed", small, "--clips", "2-3", "--shape", "my burst")
    assert [r["shape"] for r in speeds(small)[:3]] == ["", "my burst", "my burst"]
