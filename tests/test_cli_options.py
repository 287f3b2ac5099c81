"""Every option of the command line, on its own: what it does to a project is what the same wish does in the window.

The whole way from song to film is told by the tests of the command line; here each option is seen to act."""

from __future__ import annotations

import argparse
import json
import re
import zipfile
from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest

from tempik import __version__
from tempik.cli.main import _parser, main
from tempik.edit.song.points import with_name
from tempik.media import probe
from tempik.project.file import load_reel, save_reel
from tempik.reel import Framing, Position, Reel
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.sound_triggers import evaluated_sound_lanes
from tempik.timeline.timeline import Timeline


@pytest.fixture
def project(reel: Reel, tmp_path: Path) -> Path:
    save_reel(reel, tmp_path / "r.tempik")
    return tmp_path / "r.tempik"


@pytest.fixture
def changed(project: Path, tmp_path: Path) -> Callable[..., Reel]:
    """Run a verb on the project and return what it wrote to another; the project itself stays."""
    before = project.read_bytes()

    def run(verb: str, *options: str) -> Reel:
        assert main([verb, str(project), *options, "-o", str(tmp_path / "out.tempik")]) == 0
        assert project.read_bytes() == before
        return load_reel(tmp_path / "out.tempik")

    return run


def told(capsys: pytest.CaptureFixture[str], *arguments: str) -> str:
    """Run and return what it printed."""
    capsys.readouterr()
    assert main(list(arguments)) == 0
    return capsys.readouterr().out


def placed(reel: Reel, clip: str = "c2") -> PlacedClip:
    found = Timeline(reel).placed_clip(clip)
    assert found is not None
    return found


def speed_at(reel: Reel, frame: int, clip: str = "c2") -> float:
    shown = placed(reel, clip).map
    return float(shown.source_at((frame + 1) / 30) - shown.source_at(frame / 30)) * 30


def test_the_version_is_told(capsys: pytest.CaptureFixture[str]) -> None:
    with pytest.raises(SystemExit) as end:
        main(["--version"])
    assert end.value.code == 0 and __version__ in capsys.readouterr().out


# Rhythm


def beat_times(text: str) -> list[float]:
    return [float(line.split(",")[0]) for line in text.splitlines()[1:]]


def test_readings_are_listed_and_one_is_taken(media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    song = str(media / "song.wav")
    listed = told(capsys, "beats", song, "--readings").splitlines()
    assert listed[0].startswith("reading,tempo_bpm") and float(listed[1].split(",")[1]) == pytest.approx(120, abs=0.1)
    assert main(["beats", song, "--reading", "1", "--format", "csv", "--output", str(tmp_path / "b.csv")]) == 0
    assert np.diff(beat_times((tmp_path / "b.csv").read_text()))[:8] == pytest.approx([0.5] * 8, abs=2e-3)
    assert float(listed[2].split(",")[1]) == pytest.approx(60, abs=0.1), "what else it might be"
    other = told(capsys, "beats", song, "--reading", "2", "--format", "csv")
    assert np.diff(beat_times(other))[:4] == pytest.approx([1.0] * 4, abs=2e-3)


def test_ways_to_count_bars_are_listed_and_one_is_taken(media: Path, capsys: pytest.CaptureFixture[str]) -> None:
    song = str(media / "song.wav")
    listed = [line.split(",") for line in told(capsys, "beats", song, "--bars").splitlines()]
    assert listed[0] == ["way", "metre", "belief", "first_bar_s"] and len(listed) >= 4
    assert all(float(row[2]) <= float(listed[1][2]) for row in listed[2:])
    for row in listed[1:]:
        downs = beat_times(told(capsys, "points", song, "--format", "csv", "--of", "downbeats", "--bars", row[0]))
        assert np.diff(downs)[:3] == pytest.approx([0.5 * int(row[1])] * 3, abs=2e-3)
        assert min(abs(d - float(row[3])) for d in downs) < 2e-3
    assert main(["beats", song, "--bars", "--readings"]) == 2
    assert "do not go together" in capsys.readouterr().err
    assert main(["points", song, "--bars", "2", "--metre", "3"]) == 2
    assert "do not go together" in capsys.readouterr().err
    document = json.loads(told(capsys, "beats", song, "--reading", "2", "--format", "json"))
    starts = {beat["time_s"] for beat in document["beats"]}
    assert document["bars"] and {bar["first_bar_s"] for bar in document["bars"]} <= starts, (
        "of the reading that is asked for"
    )
    assert main(["points", song, "--bars", "9"]) == 2
    assert "There is no way 9 to count the song's bars" in capsys.readouterr().err


def test_points_are_read_otherwise_by_option(media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    song = str(media / "song.wav")

    def points(*options: str) -> list[float]:
        return beat_times(told(capsys, "points", song, "--format", "csv", *options))

    beats = points()
    assert np.diff(beats)[:8] == pytest.approx([0.5] * 8, abs=2e-3)
    assert points("--of", "downbeats")[:3] == pytest.approx(beats[:9:4], abs=1e-6)
    assert np.diff(points("--pace", "1/2"))[:4] == pytest.approx([1.0] * 4, abs=2e-3)
    assert np.diff(points("--pace", "2"))[:8] == pytest.approx([0.25] * 8, abs=2e-3)
    assert points("--half-a-beat-later")[0] % 0.5 == pytest.approx((beats[0] + 0.25) % 0.5, abs=5e-3)
    assert np.diff(points("--of", "downbeats", "--metre", "3"))[:3] == pytest.approx([1.5] * 3, abs=2e-3)
    assert points("--reading", "1") == beats
    assert main(["points", song, "--format", "csv", "--output", str(tmp_path / "p.csv")]) == 0
    assert beat_times((tmp_path / "p.csv").read_text()) == beats


@pytest.mark.slow
def test_cues_are_written_to_a_file(media: Path, tmp_path: Path) -> None:
    assert main(["cues", str(media / "b.mp4"), "--output", str(tmp_path / "cues.csv")]) == 0
    assert (tmp_path / "cues.csv").read_text().splitlines()[0]


# Drafts


@pytest.mark.slow
def test_a_draft_is_stronger_in_order_and_written_elsewhere(project: Path, tmp_path: Path, media: Path) -> None:
    def drafted(*options: str) -> Reel:
        out = tmp_path / "d.tempik"
        assert main(["draft", str(project), "--mood", "driving", *options, "--output", str(out)]) == 0
        return load_reel(out)

    calm, wild = drafted("--strength", "0.4"), drafted("--strength", "1.8")
    assert wild.amount > calm.amount or len(wild.accent_lanes) > len(calm.accent_lanes)
    ordered = [p.footage.id for p in Timeline(drafted("--in-order")).own_tracks[0]]
    firsts = [ordered.index(f) for f in ("f1", "f2", "f3") if f in ordered]
    assert firsts == sorted(firsts), "as the footage is given"


def test_a_mood_is_written_to_a_file(tmp_path: Path) -> None:
    assert main(["moods", "--show", "hammer", "--output", str(tmp_path / "hammer.json")]) == 0
    assert "hammer" in (tmp_path / "hammer.json").read_text()


# Speed


def test_options_of_speed(changed: Callable[..., Reel]) -> None:
    used = placed(changed("speed", "--clips", "2", "--uses", "1.0"))
    seen = used.map.source_at(used.frames / 30) - used.map.source_at(0.0)
    assert abs(float(seen)) == pytest.approx(1.0, abs=1e-6)
    slot = placed(changed("speed", "--clips", "2", "--constant", "50", "--gives", "slot"))
    assert slot.frames == 120, "twice as long, for the footage stays"
    source = placed(changed("speed", "--clips", "2", "--constant", "50", "--gives", "source"))
    assert source.frames == 60
    assert len(placed(changed("speed", "--clips", "2", "--there-and-back")).map.turns()) == 1
    sawn = changed("speed", "--clips", "2", "--see-saw", "15", "--by", "frames")
    assert len(placed(sawn).map.turns()) == 3
    swung = changed("speed", "--swing")
    assert [speed_at(swung, 3, c) > 0 for c in ("c1", "c2", "c3", "c4")] == [True, False, True, False]


def test_a_clips_sound_may_lead_and_trail(changed: Callable[..., Reel]) -> None:
    led = changed("speed", "--clips", "2", "--sound", "on", "--sound-leads", "6", "--sound-trails", "9")
    sound = next(c.sound for c in led.clips if c.id == "c2")
    assert (round(sound.lead_s * 30), round(sound.trail_s * 30)) == (6, 9)


# Accents, transitions, layers, grade


def test_options_of_accents(changed: Callable[..., Reel]) -> None:
    row = changed("accents", "--lane", "1", "--lead", "4f").accent_lanes[0]
    assert row.envelope is not None and row.envelope.lead.value == 4 and row.envelope.lead.unit.startswith("f")
    assert changed("accents", "--lane", "1", "--clips", "2", "--picture", "on").accent_lanes[0].alone


def test_a_transition_is_written_elsewhere(changed: Callable[..., Reel]) -> None:
    made = changed("transitions", "--clips", "3", "--kind", "dissolve")
    assert [c.id for c in made.clips if c.transition is not None] == ["c3"]


def test_options_of_layers(changed: Callable[..., Reel], project: Path, tmp_path: Path) -> None:
    split = changed("layers", "--clips", "2,3", "--split", "strips", "--border", "4")
    a, b = (next(c for c in split.clips if c.id == n) for n in ("c2", "c3"))
    assert a.track != b.track and placed(split, "c2").first == placed(split, "c3").first
    masked = changed("layers", "--clips", "2", "--mask", "ellipse:50,50,60,40")
    assert len(next(c for c in masked.clips if c.id == "c2").masks) == 1
    save_reel(masked, project)
    assert main(["layers", str(project), "--clips", "2", "--unmask"]) == 0
    assert next(c for c in load_reel(project).clips if c.id == "c2").masks == ()
    keyed = ["layers", str(project), "--clips", "2", "--clear", "#00ff00", "--clear-set", "tolerance=35"]
    assert main(keyed) == 0
    clear = next(c for c in load_reel(project).clips if c.id == "c2").clear
    assert clear is not None and clear.tolerance == pytest.approx(0.35)


def test_a_clip_is_placed_in_the_frame_and_laid_on_another_track(
    changed: Callable[..., Reel], project: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    wanted = ("fit=contain", "zoom=36", "x=28", "turn=-15", "crop-left=10", "flip-x=1")
    made = changed("layers", "--clips", "2", *(a for w in wanted for a in ("--place", w)), "--onto", "2")
    clip = next(c for c in made.clips if c.id == "c2")
    assert clip.track == 1 and clip.framing == Framing(
        fit="contain", start=Position(zoom=0.36, x=0.28, turn_deg=-15), flip_x=True, crop=(0.1, 0, 0, 0)
    )
    for arguments, sentence in (
        (("--place", "size=3"), "'size' is nothing of a place"),
        (("--place", "zoom=wide"), "'wide' is no number"),
        (("--onto", "9"), "There is no track 9"),
    ):
        assert main(["layers", str(project), "--clips", "2", *arguments]) != 0
        assert sentence in capsys.readouterr().err
    assert (
        main(["layers", str(project), "--clips", "2", "--key", f"zoom@{placed(load_reel(project), 'c2').first}=0.5"])
        == 0
    )
    assert main(["layers", str(project), "--clips", "2", "--place", "zoom=40"]) != 0
    assert "has keys" in capsys.readouterr().err


def test_light_is_made_even_by_option(changed: Callable[..., Reel]) -> None:
    series = changed("grade", "--on", "clips:2,3", "--even")
    assert next(c for c in series.clips if c.id == "c3").grade is not None
    along = changed("grade", "--on", "clips:2", "--even-along")
    assert len(next(c for c in along.clips if c.id == "c2").keys["exposure"]) > 3


# Titles


def test_fonts_are_listed_ours_first(capsys: pytest.CaptureFixture[str]) -> None:
    assert told(capsys, "titles", "--fonts").splitlines()[0].startswith("Yanone Kaffeesatz")


def test_options_of_titles(changed: Callable[..., Reel], project: Path, tmp_path: Path) -> None:
    words = changed("titles", "--add", "one two three", "--from", "2.5", "--length", "3", "--words", "each")
    (title,) = [c for c in words.clips if c.title is not None]
    assert len(title.keys["word"]) == 3 and all(k.point for k in title.keys["word"])
    lyrics = tmp_path / "song.lrc"
    lyrics.write_text("[00:03.00]hot iron\n[00:05.00]cold water\n")
    song_start = load_reel(project).soundtrack.start_s  # type: ignore[union-attr]
    for times, first in (("song", 3.0 - song_start), ("reel", 3.0)):
        made = changed("titles", "--lyrics", str(lyrics), "--times", times)
        begin = min(placed(made, c.id).first for c in made.clips if c.title is not None)
        assert begin == pytest.approx(first * 30, abs=1.01)


def test_named_points_become_words(project: Path) -> None:
    save_reel(with_name(load_reel(project), "b4", "anvil"), project)
    assert main(["titles", str(project), "--named"]) == 0
    texts = [c.title.text for c in load_reel(project).clips if c.title is not None]
    assert any("anvil" in t for t in texts)


# Sound


def test_options_of_sound_rows(changed: Callable[..., Reel]) -> None:
    varied = changed("sound", "--add", "tick", "--on", "points", "--vary-gain", "6")
    gains = [s.gain for s in evaluated_sound_lanes(Timeline(varied))[-1].triggers]
    even = [
        s.gain
        for s in evaluated_sound_lanes(Timeline(changed("sound", "--add", "tick", "--on", "points")))[-1].triggers
    ]
    assert len(set(np.round(gains, 6))) > len(set(np.round(even, 6)))
    panned = changed("sound", "--channel", "song", "--pan", "-40", "--duck-over", "-30")
    assert panned.mix.song.pan == pytest.approx(-0.4) and panned.mix.ducking.threshold_db == -30


def test_options_of_sound_clips(changed: Callable[..., Reel], project: Path) -> None:
    laid = changed("sound", "--lay", "boom", "--at", "2.1")
    assert len(laid.sound_clips) == 1 and laid.sound_clips[0].at.point is not None
    save_reel(laid, project)
    assert main(["sound", str(project), "--clip", "1", "--backward", "on", "--loop", "on"]) == 0
    clip = load_reel(project).sound_clips[0]
    assert clip.backward and clip.loop


# The rest


def test_a_report_goes_to_a_file(tmp_path: Path) -> None:
    assert main(["report", "--output", str(tmp_path / "report.zip")]) == 0
    with zipfile.ZipFile(tmp_path / "report.zip") as report:
        assert any(__version__.encode() in report.read(name) for name in report.namelist())


def test_the_menu_starts_what_it_is_told(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    program = tmp_path / "my tempik"
    program.write_text("#!/bin/sh\n")
    program.chmod(0o755)
    assert main(["menu", "--program", str(program), "add"]) == 0
    (entry,) = tmp_path.rglob("*.desktop")
    assert "my tempik" in entry.read_text()
    assert main(["menu", "remove"]) == 0 and not list(tmp_path.rglob("*.desktop"))


@pytest.mark.film
def test_an_export_says_which_encoder_wrote_it(
    project: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """Where no graphics chip starts, as in most tests, software writes the film, and that is said."""
    common = ["export", str(project), "--size", "90x160", "--quality", "draft", "--no-measure"]
    assert main([*common, "--no-hardware", "--output", str(tmp_path / "a.mp4")]) == 0
    assert main([*common, "--hardware", "--output", str(tmp_path / "b.mp4")]) == 0
    lengths = [probe(str(tmp_path / f"{n}.mp4")).length_s for n in "ab"]
    assert lengths == pytest.approx([10.0, 10.0], abs=0.04)


def test_an_edit_is_written_and_read_with_its_media_elsewhere(project: Path, media: Path, tmp_path: Path) -> None:
    assert main(["exchange", "write", str(project), "--output", str(tmp_path / "e.edl")]) == 0
    read = ["exchange", "read", str(tmp_path / "e.edl"), "--media", str(media), "--output", str(tmp_path / "e.tempik")]
    assert main(read) == 0
    made = load_reel(tmp_path / "e.tempik")
    assert {Path(f.path) for f in made.footage} <= {media / n for n in ("a.mp4", "b.mp4", "c.mp4")}
    assert [(p.first, p.end) for p in Timeline(made).placed] == [
        (p.first, p.end) for p in Timeline(load_reel(project)).placed
    ]


def test_no_option_is_left_untried() -> None:
    """Counted over the files of tests, in the words in which it is given."""
    tests = "".join(p.read_text() for p in Path(__file__).parent.glob("test_*.py"))
    untried = []

    def walk(parser: argparse.ArgumentParser, verbs: tuple[str, ...]) -> None:
        for action in parser._actions:
            if isinstance(action, argparse._SubParsersAction):
                for verb, inner in action.choices.items():
                    walk(inner, (*verbs, verb))
            elif not isinstance(action, argparse._HelpAction):
                names = [n for n in action.option_strings if n.startswith("--")]
                if names and not any(re.search(re.escape(n) + r"(?![a-z-])", tests) for n in names):
                    untried.append(" ".join((*verbs, names[0])))

    walk(_parser(), ())
    assert untried == []
