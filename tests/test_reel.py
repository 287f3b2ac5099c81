"""The model, its validation and its file."""

import json
import os
import time
from fractions import Fraction
from pathlib import Path
from typing import Any

import msgspec
import numpy as np
import pytest

from tempik.errors import TempikError
from tempik.media import FrameIndex
from tempik.project import history
from tempik.project.file import FORMAT, load_reel, save_reel
from tempik.project.media_files import missing_media, relink
from tempik.reel import Curve, Edge, Node, Pin, Reel, new_id
from tempik.reel.points import points_of
from tempik.reel.validate import problems


def test_a_saved_reel_opens_as_it_was(reel: Reel, tmp_path: Path) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    assert load_reel(tmp_path / "r.tempik") == reel


@pytest.mark.parametrize("number", range(1, FORMAT))
def test_projects_of_every_older_format_open_and_are_saved_as_today(number: int, tmp_path: Path) -> None:
    reel = load_reel(Path(__file__).parent / "formats" / f"format{number}.tempik")
    assert reel.clips and reel.soundtrack is not None and points_of(reel.soundtrack) and problems(reel) == []
    save_reel(reel, tmp_path / "now.tempik")
    assert load_reel(tmp_path / "now.tempik") == reel


def test_what_format_12_called_otherwise_means_what_it_meant() -> None:
    reel = load_reel(Path(__file__).parent / "formats" / "format12.tempik")
    lane, sounds = reel.accent_lanes[-1], reel.sound_lanes[-1]
    assert (lane.rule.of, lane.locked, [(o.point, o.strength) for o in lane.overrides]) == (
        "transitions",
        True,
        [("b3", 1.5)],
    )
    assert (sounds.rule.lane, sounds.locked, sounds.overrides[0].strength) == (reel.accent_lanes[0].id, True, 0.5)
    first, last = reel.clips[0], reel.clips[-1]
    assert first.repeat is not None and (first.repeat.rule.of, first.repeat.without, first.locked) == (
        "bars",
        ("b9",),
        True,
    )
    assert (first.sound.crossfade_ms, first.sound.pitch, reel.crossfade_ms) == (12.0, "preserved", 7.0)
    assert last.transition is not None and last.leave is not None
    assert (last.transition.kind, last.leave.kind, reel.footage[0].warning) == ("push", "dissolve", "what is converted")
    nest = reel.footage[-1].nest
    assert nest is not None and nest.clips[0].transition is not None and nest.accent_lanes[0].overrides[0].point == "b4"
    assert reel.sound_clips[-1].preserve_pitch and reel.draft is not None
    assert (reel.draft.accent_lanes, reel.draft.sound_lanes) == (("r8",), ("sr8",))


def test_media_paths_are_relative_to_the_project(reel: Reel, media: Path) -> None:
    save_reel(reel, media / "kept.tempik")
    document = json.loads((media / "kept.tempik").read_text())
    assert document["format"] == FORMAT
    assert document["reel"]["soundtrack"]["path"] == "song.wav"
    assert document["reel"].get("rate", "30") == "30"


def test_a_project_and_its_media_move_together(reel: Reel, media: Path, tmp_path: Path) -> None:
    import shutil

    there = tmp_path / "elsewhere"
    shutil.copytree(media, there, ignore=shutil.ignore_patterns("*.tempik", "*.part"))  # of other tests meanwhile
    save_reel(reel, media / "moved.tempik")
    (there / "moved.tempik").write_bytes((media / "moved.tempik").read_bytes())
    opened = load_reel(there / "moved.tempik")
    assert opened.soundtrack is not None and opened.soundtrack.path == str(there / "song.wav")
    assert missing_media(opened) == []


def test_rates_stay_exact_in_the_file(reel: Reel, tmp_path: Path) -> None:
    exact = msgspec.structs.replace(reel, rate=Fraction(30000, 1001))
    save_reel(exact, tmp_path / "r.tempik")
    assert load_reel(tmp_path / "r.tempik").rate == Fraction(30000, 1001)


def test_missing_media_is_kept_and_can_be_relinked(reel: Reel, tmp_path: Path) -> None:
    lost = relink(reel, reel.footage[0].path, str(tmp_path / "lost.mp4"))
    save_reel(lost, tmp_path / "r.tempik")
    opened = load_reel(tmp_path / "r.tempik")
    assert missing_media(opened) == [str(tmp_path / "lost.mp4")]
    assert opened.clips == reel.clips
    assert relink(opened, str(tmp_path / "lost.mp4"), reel.footage[0].path) == reel


@pytest.mark.parametrize(
    ("content", "sentence"),
    [
        (b"\x00\x01 not json", "is damaged or is not a Tempik project"),
        (b'{"reel": {}}', "has no format number"),
        (b"[1, 2]", "has no format number"),
        (b'{"format": 999, "reel": {}}', "newer Tempik"),
        (b'{"format": 1, "reel": {"rate": "30/0"}}', "is damaged"),
        (b'{"format": 1, "reel": {"width": "wide"}}', "is damaged"),
        (b'{"format": 1, "reel": {"width": 1081}}', "even number"),
        (b'{"format": 1, "reel": {"clips": [{"id": "c1", "footage": "f9", "start": {"time_s": 0}, "end": {"time_s": 1}}]}}',
         "which the reel does not list"),
    ],
)  # fmt: skip
def test_a_file_that_is_no_sound_project_says_why(tmp_path: Path, content: bytes, sentence: str) -> None:
    path = tmp_path / "bad.tempik"
    path.write_bytes(content)
    with pytest.raises(TempikError, match=sentence) as caught:
        load_reel(path)
    assert "bad.tempik" in str(caught.value)


def test_a_project_that_is_not_there_says_so(tmp_path: Path) -> None:
    with pytest.raises(TempikError, match="is not there"):
        load_reel(tmp_path / "none.tempik")


def test_a_failed_save_leaves_the_old_file(reel: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    path = tmp_path / "r.tempik"
    save_reel(reel, path)
    before = path.read_bytes()

    def full(*_: object) -> None:
        raise OSError(28, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    with pytest.raises(TempikError, match="No space left"):
        save_reel(msgspec.structs.replace(reel, width=720), path)
    assert path.read_bytes() == before
    assert list(tmp_path.glob(".r.tempik*")) == []


@pytest.mark.parametrize(
    ("curve", "sentence"),
    [
        (Curve(()), "without nodes"),
        (Curve((Node(0.0, 1.0), Node(0.0, 2.0))), "two at the same time"),
        (Curve((Node(0.0, 11.0),)), "beyond 10 times"),
        (Curve((Node(0.0, float("nan")),)), "beyond 10 times"),
        (Curve((Node(0.0, 1.0, 2.0),)), "softness"),
    ],
)
def test_a_curve_that_cannot_be_played_is_named(reel: Reel, curve: Curve, sentence: str) -> None:
    clips = (msgspec.structs.replace(reel.clips[0], curve=curve), *reel.clips[1:])
    (found, *_) = problems(msgspec.structs.replace(reel, clips=clips))
    assert sentence in found and "Clip 'c1'" in found


def test_ties_to_what_is_not_there_are_named(reel: Reel) -> None:
    clip = msgspec.structs.replace(reel.clips[0], start=Edge(0.0, "p999"), pins=(Pin("q9", "p998"),))
    found = " ".join(problems(msgspec.structs.replace(reel, clips=(clip,))))
    assert "p999" in found and "p998" in found and "q9" in found
    assert problems(reel) == []


def test_undo_and_redo_walk_through_the_steps(reel: Reel) -> None:
    steps = history.begin(reel)
    wide = msgspec.structs.replace(reel, width=720)
    steps = steps.done(wide, "Size changed")
    assert steps.can_undo == "Size changed" and steps.can_redo == ""
    assert steps.undone().reel == reel and steps.undone().can_redo == "Size changed"
    assert steps.undone().redone().reel == wide
    assert steps.undone().done(reel, "Other").can_redo == ""


def test_new_ids_are_free() -> None:
    assert new_id("c", {"c1", "c7", "x9", "cue"}) == "c8"
    assert new_id("c", set()) == "c1"


def _document(reel: Reel, path: Path) -> dict[str, Any]:
    save_reel(reel, path)
    loaded: dict[str, Any] = json.loads(path.read_text())
    return loaded


def _first(document: dict[str, Any], *way: str | int) -> Any:
    found: Any = document["reel"]
    for step in way:
        found = found[step]
    return found


HOSTILE: list[tuple[tuple[str | int, ...], Any, str]] = [
    (("footage", 0, "rotation_deg"), 45, "turned by 45"),
    (("footage", 0, "path"), "a\0b.mp4", "NUL"),
    (("footage", 0, "path"), "a" * 9000, "too long"),
    (("footage", 0, "width"), 10**12, "width of 1000000000000"),
    (("footage", 0, "rate"), "1e10000000", "not a fraction"),
    (("footage", 0, "frames"), 2, "no frame that does not repeat"),
    (("clips", 0, "framing"), {"start": {"zoom": 0.01, "x": 1e4}}, "x of 10000"),
    (("clips", 0, "curve"), {"nodes": [{"at": n / 50_000, "speed": 1} for n in range(50_000)]}, "50000 nodes"),
    (("accent_lanes", 0, "rule"), {"every": 10**18}, "every of 1000000000000000000"),
    (("accent_lanes", 0, "keys"), {"level": [{"time_s": 1.0, "value": 1e308}]}, "value of 1e+308"),
    (("accent_lanes", 0, "settings"), {"level": 1e300}, "settings of 1e+300"),
    (("shots",), [{"id": "s1", "text": "x"}] * 9_000, "share the id 's1'"),
    (("shots",), [{"id": "s1", "text": "x"}] * 60_000, "60000 shots"),
    (("soundtrack", "own"), [[1.0, 1.0, 1, 1, 1.0]] * 3, "at one time"),
    (("soundtrack", "own"), [[1.0, 1.0, 1, 1, 1.0]] * 300_000, "300000 own"),
    (("soundtrack", "length_s"), 1e12, "length s of"),
    (("clips", 0, "start"), {"time_s": 0.0, "point": "a" * 5000}, "is tied to point 'aaa"),
    (("amonut",), 1.0, "unknown field `amonut`"),
    (("clips", 0, "paert"), [0, 1], "unknown field `paert`"),
]


@pytest.mark.parametrize("way, value, message", HOSTILE, ids=[h[2] for h in HOSTILE])
def test_a_project_that_nobody_could_have_made_is_refused_in_one_sentence(
    reel: Reel, tmp_path: Path, way: tuple[str | int, ...], value: Any, message: str
) -> None:
    """Each of these ended a thread or the window, was worked at for minutes, or was dropped in silence."""
    path = tmp_path / "r.tempik"
    document = _document(reel, path)
    _first(document, *way[:-1])[way[-1]] = value
    if message == "no frame that does not repeat":
        _first(document, "footage", 0)["repeats"] = [0, 1]
    path.write_text(json.dumps(document))
    began = time.process_time()
    with pytest.raises(TempikError) as caught:
        load_reel(path)
    text = str(caught.value)
    assert message in text and str(path) in text and text.endswith(".") and len(text) < 600, text
    assert time.process_time() - began < 5


@pytest.mark.parametrize(
    "data", [b'{"format": 7, "reel": {"tag": "\xff"}}', b"[" * 100_000, b"\xff" * 100, b"", b'{"format": 1e400}', b"7"]
)
def test_bytes_that_are_no_project_are_one_sentence(tmp_path: Path, data: bytes) -> None:
    path = tmp_path / "r.tempik"
    path.write_bytes(data)
    with pytest.raises(TempikError) as caught:
        load_reel(path)
    assert str(path) in str(caught.value) and str(caught.value).endswith(".")


def test_slow_footage_makes_a_project_that_opens(reel: Reel, tmp_path: Path) -> None:
    """A file of two pictures an hour apart was measured at 0 frames/s, which no project may have."""
    times = np.array([0.0, 3600.0])
    index = FrameIndex(np.array([0, 3600]), times, np.array([0, 1]), 7200.0, 0.0, Fraction(1))
    piece = msgspec.structs.replace(reel.footage[0], rate=index.rate, length_s=7200.0)
    made = msgspec.structs.replace(reel, footage=(piece, *reel.footage[1:]))
    save_reel(made, tmp_path / "r.tempik")
    assert load_reel(tmp_path / "r.tempik") == made
