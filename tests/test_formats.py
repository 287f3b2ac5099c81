"""Project files of every earlier format, as the versions that had them wrote them, open and mean what they meant."""

import json
from fractions import Fraction
from pathlib import Path

import msgspec
import pytest

from tempik.errors import TempikError
from tempik.project.file import FORMAT, load_reel, save_reel
from tempik.project.journal import left_behind
from tempik.reel import Reel
from tempik.timeline.timeline import Timeline

FILES = Path(__file__).parent / "formats"


@pytest.mark.parametrize("number", range(1, FORMAT))
def test_a_file_of_an_earlier_format_opens_and_is_saved_as_the_present_one(number: int, tmp_path: Path) -> None:
    old = FILES / f"format{number}.tempik"
    assert json.loads(old.read_text())["format"] == number
    reel = load_reel(old)
    timeline = Timeline(reel)
    # A song of 120 beats a minute, slots of four beats, a cue of each piece on a point, flashes and shakes.
    assert reel.soundtrack is not None and len(timeline.placed) >= 3 and timeline.frames == 240
    assert [p.frames for p in timeline.placed[1:3]] == [60, 60]
    assert all(p.ties for p in timeline.placed) and {r.accent for r in reel.rows} == {"flash", "shake"}
    assert all(len(pulses) > 1 for pulses in timeline.pulses)
    save_reel(reel, tmp_path / "again.tempik")
    assert json.loads((tmp_path / "again.tempik").read_text())["format"] == FORMAT
    again = load_reel(tmp_path / "again.tempik")
    assert msgspec.structs.replace(again, footage=(), soundtrack=None) == msgspec.structs.replace(
        reel, footage=(), soundtrack=None
    )


def test_fields_that_were_called_otherwise_are_all_taken_over() -> None:
    reel = load_reel(FILES / "format6.tempik")
    assert [t.locked for t in reel.tracks] == [False, True] and reel.interpolation == "blend"
    assert reel.clips[1].track == 1 and reel.clips[1].interpolation == "flow" and reel.clips[0].track == 0
    piece = reel.footage[0]
    assert piece.skip_repeats and piece.repeats == (2, 7) and piece.conform_ratio == 2.0
    assert [t.id for t in piece.motion_tracks] == ["t1"]
    song = reel.soundtrack
    assert song is not None and (song.reading.beat_source, song.reading.tempo_factor) == ("grid", Fraction(1, 2))
    assert [c.subdivision for c in song.choices] == [2, 1]


def test_a_journal_of_the_former_kind_is_taken_up(tmp_path: Path) -> None:
    document = json.loads((FILES / "format6.tempik").read_text())["reel"]
    project = tmp_path / "p.tempik"
    clip = dict(document["clips"][0], between="blend", row=1)
    order = [c["id"] for c in document["clips"]]
    lines = [
        {"journal": 1, "project": str(project), "pid": 1, "reel": document},
        {"done": "Track and frames in between", "set": {"clips": {"order": order, "put": [clip]}}},
        {"done": "The reel's", "set": {"between": {"whole": "flow"}, "picture": {"whole": [{}, {}, {"hidden": True}]}}},
        {"done": "Read", "set": {"soundtrack": {"part": {"reading": {"way": "followed", "pace": "2"}}}}},
        {"at": 3},
    ]
    (tmp_path / ".p.tempik.journal").write_text("".join(json.dumps(line) + "\n" for line in lines))
    found = left_behind(project)
    assert found is not None and found.steps == 3
    reel: Reel = found.history.reel
    assert (reel.clips[0].track, reel.clips[0].interpolation) == (1, "blend")
    assert reel.interpolation == "flow" and [t.hidden for t in reel.tracks] == [False, False, True]
    assert reel.soundtrack is not None and reel.soundtrack.reading.beat_source == "followed"
    assert reel.soundtrack.reading.tempo_factor == 2


def test_a_newer_file_is_refused_in_a_sentence(tmp_path: Path) -> None:
    (tmp_path / "n.tempik").write_text(json.dumps({"format": FORMAT + 1, "reel": {}}))
    with pytest.raises(TempikError, match=f"format {FORMAT + 1}, this one reads {FORMAT}"):
        load_reel(tmp_path / "n.tempik")
