"""Points are views of what was heard: readings and choices change, hand edits and ties stay."""

import json
from fractions import Fraction
from pathlib import Path

import msgspec
import pytest

from tempik.accents.rules import runs_of
from tempik.edit.song import points
from tempik.edit.song.stretches import suggested_stretches
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.reel import Clip, Edge, Footage, Pin, PointChoice, Reel, Soundtrack, is_steady, point_of
from tempik.reel.model import Cue
from tempik.reel.points import points_of, tempo_of
from tempik.rhythm import Analysis, Beat, Onset, Section
from tempik.timeline.timeline import Timeline


def heard() -> Analysis:
    """64 beats at 120 from 0.5 s in bars of four, read 2 ms late when followed; an onset 10 ms after each."""
    times = [0.5 + 0.5 * i for i in range(64)]
    beats = tuple(Beat(t, 1.0 if i % 4 == 0 else 0.5, i // 4 + 1, i % 4 + 1, t + 0.002) for i, t in enumerate(times))
    bands = ("kick", "hat", "snare", "hat")
    onsets = tuple(Onset(t + 0.01, 0.9 - 0.2 * (i % 4), bands[i % 4]) for i, t in enumerate(times))  # type: ignore[arg-type]
    sections = (Section(0, 8.5, 0.5, "quiet"), Section(8.5, 24.5, 1.0, "full"), Section(24.5, 33, 0.8, "middle"))
    return Analysis(33.0, 120.0, 4, 2, True, 1.0, beats, onsets, sections, (8.5,))


@pytest.fixture
def reel() -> Reel:
    song = Soundtrack("/music/song.wav", 33.0, heard=heard())
    footage = Footage("f1", "/film/a.mp4", 1080, 1920, Fraction(30), 20.0, cues=(Cue("q1", 4.0),))
    clip = Clip("c1", "f1", Edge(2.5, "b4"), Edge(4.5, "b8"), pins=(Pin("q1", "b6"),))
    return Reel(length_s=30.0, soundtrack=song, footage=(footage,), clips=(clip,))


def song(reel: Reel) -> Soundtrack:
    assert reel.soundtrack is not None
    return reel.soundtrack


def labels(reel: Reel) -> list[str]:
    return [p.label for p in points_of(song(reel))]


def times(reel: Reel) -> list[float]:
    return [round(p.time_s, 4) for p in points_of(song(reel))]


# Choices


@pytest.mark.parametrize(
    ("choice", "first"),
    [
        (PointChoice(), ["1.1", "1.2", "1.3", "1.4"]),
        (PointChoice(every=2), ["1.1", "1.3", "2.1", "2.3"]),
        (PointChoice(every=2, first="b1"), ["1.2", "1.4", "2.2", "2.4"]),
        (PointChoice("downbeats"), ["1.1", "2.1", "3.1", "4.1"]),
        (PointChoice("downbeats", every=2), ["1.1", "3.1", "5.1", "7.1"]),
        (PointChoice(subdivision=2), ["1.1", "1.1+1/2", "1.2", "1.2+1/2"]),
        (PointChoice(subdivision=3), ["1.1", "1.1+1/3", "1.1+2/3", "1.2"]),
        (PointChoice(subdivision=4), ["1.1", "1.1+1/4", "1.1+1/2", "1.1+3/4"]),
        (PointChoice(at_least=0.8), ["1.1", "2.1", "3.1", "4.1"]),
        (PointChoice("onsets", bands=("snare",)), ["snare"] * 4),
        (PointChoice("onsets", at_least=0.6), ["kick", "hat", "kick", "hat"]),
    ],
)
def test_a_choice_takes_the_points_it_names(reel: Reel, choice: PointChoice, first: list[str]) -> None:
    assert labels(points.with_choices(reel, [choice]))[:4] == first


def test_parts_lie_evenly_between_their_beats(reel: Reel) -> None:
    thirds = times(points.with_choices(reel, [PointChoice(subdivision=3)]))
    assert thirds[:4] == [0.5, pytest.approx(0.6667, abs=1e-4), pytest.approx(0.8333, abs=1e-4), 1.0]


def test_a_choice_within_a_stretch_decides_there_and_nowhere_else(reel: Reel) -> None:
    after = points.with_choice_in(reel, PointChoice("downbeats"), 8.5, 16.5)
    inside = [p for p in points_of(song(after)) if 8.5 <= p.time_s < 16.5]
    assert {p.beat for p in inside} == {1}
    assert len([p for p in points_of(song(after)) if p.time_s < 8.5]) == 16
    assert labels(points.with_choice_in(after, PointChoice(), 0.0, None)) == labels(reel)


def test_what_is_tied_to_a_point_that_is_not_chosen_stays_on_it(reel: Reel) -> None:
    before = Timeline(reel).placed[0]
    after = Timeline(points.with_choices(reel, [PointChoice(every=8)])).placed[0]
    assert (after.first, after.end, after.ties) == (before.first, before.end, before.ties)


# Readings


def test_half_and_double_tempo_keep_ids_ties_and_hand_edits(reel: Reel) -> None:
    moved = points.with_moved_point(reel, "b6", 3.53)
    half = points.with_pace(moved, Fraction(1, 2))
    assert times(half)[:4] == [0.5, 1.5, 2.5, 3.53]
    assert tempo_of(song(half)) == pytest.approx(60)
    double = points.with_pace(points.with_pace(half, Fraction(2)), Fraction(2))
    assert tempo_of(song(double)) == pytest.approx(240)
    assert times(double)[:3] == [0.5, 0.75, 1.0] and 3.53 in times(double)
    assert Timeline(double).placed[0].ties[0].frame == Timeline(moved).placed[0].ties[0].frame
    assert song(points.with_pace(double, Fraction(1, 2))) == song(moved)


def test_half_a_beat_later_and_back(reel: Reel) -> None:
    later = points.with_half_a_beat(reel)
    assert times(later)[:3] == [0.25, 0.75, 1.25]
    downbeat = next(p for p in points_of(song(later)) if p.kind == "downbeat")
    assert downbeat.time_s == pytest.approx(0.75)
    assert song(points.with_half_a_beat(later)) == song(reel)


def test_the_bar_is_anchored_anew_and_counted_in_another_metre(reel: Reel) -> None:
    assert labels(points.with_one(reel, "b2"))[:4] == ["0.3", "0.4", "1.1", "1.2"]
    assert labels(points.with_metre(points.with_one(reel, "b0"), 3))[:4] == ["1.1", "1.2", "1.3", "2.1"]


def test_the_beats_are_read_on_a_grid_or_followed(reel: Reel) -> None:
    followed = points.with_beat_source(reel, "followed")
    assert times(followed)[:2] == [0.502, 1.002] and not is_steady(song(followed))
    assert is_steady(song(points.with_beat_source(reel, "grid")))
    with pytest.raises(TempikError, match="no beats of your own"):
        points.with_beat_source(reel, "own")


def test_two_anchors_refit_the_grid_between_and_beyond(reel: Reel) -> None:
    shifted = points.with_anchor(points.with_moved_point(reel, "b0", 0.52), "b0")
    assert times(shifted)[:2] == [0.52, 1.02]
    both = points.with_anchor(points.with_moved_point(shifted, "b40", 20.92), "b40")
    step = (20.92 - 0.52) / 40
    assert times(both)[:3] == [pytest.approx(0.52 + i * step, abs=1e-4) for i in range(3)]
    assert times(both)[60] == pytest.approx(0.52 + 60 * step, abs=1e-4)
    assert points_of(song(points.without_anchors(both))) == points_of(song(reel))
    with pytest.raises(TempikError, match="would cross"):
        points.with_anchor(points.with_moved_point(both, "b41", 0.3), "b41")


def test_a_locked_point_never_moves(reel: Reel) -> None:
    held = points.with_locked(reel, ["b8"], True)
    for change in (
        lambda r: points.with_anchor(points.with_moved_point(r, "b0", 0.6), "b0"),
        points.with_half_a_beat,
        lambda r: points.with_beat_source(r, "followed"),
        lambda r: points.with_choices(r, [PointChoice("onsets")]),
        lambda r: points.nudged(r, ["b7", "b8", "b9"], 0.02),
    ):
        after = change(held)
        assert 4.5 in times(after)
    with pytest.raises(TempikError, match="locked"):
        points.without_points(held, ["b8"])


# Hand edits


def test_points_are_nudged_together_and_snapped_to_their_attacks(reel: Reel) -> None:
    nudged = points.nudged(reel, ["b1", "b2"], 0.004)
    assert times(nudged)[1:3] == [1.004, 1.504]
    assert times(points.snapped(nudged, ["b1", "b2"]))[1:3] == [1.01, 1.51]
    far = points.with_moved_point(reel, "b1", 1.25)
    with pytest.raises(TempikError, match="No attack was heard"):
        points.snapped(far, ["b1"])


def test_taking_out_naming_and_strength_outlive_another_choice(reel: Reel) -> None:
    edited = points.with_strength(points.with_name(points.without_points(reel, ["b1"]), "b2", "fire"), ["b3"], 0.9)
    assert 1.0 not in times(edited)
    assert point_of(song(edited), "b2").name == "fire"  # type: ignore[union-attr]
    there = points.with_choices(points.with_choices(edited, [PointChoice("downbeats")]), [PointChoice()])
    assert song(there) == song(edited)
    # A named point stays in use whatever is chosen: the user gave it a meaning.
    assert 1.5 in times(points.with_choices(edited, [PointChoice("downbeats")]))
    assert labels(points.with_all_back(edited)) == labels(reel)


def test_a_placed_point_taken_out_leaves_what_was_tied_to_it_where_it_is(reel: Reel) -> None:
    placed = points.with_point(reel, 2.7)
    tied = msgspec.structs.replace(
        placed, clips=(msgspec.structs.replace(placed.clips[0], start=Edge(2.7, "h1"), pins=(Pin("q1", "h1"),)),)
    )
    after = points.without_points(tied, ["h1"])
    assert after.clips[0].start == Edge(2.7) and after.clips[0].pins == ()


def test_the_drop_is_marked_on_its_beat(reel: Reel) -> None:
    assert [p.label for p in points_of(song(reel)) if p.kind == "drop"] == ["5.1"]


# Files


def test_the_project_keeps_the_analysis_the_reading_and_the_edits(reel: Reel, tmp_path: Path) -> None:
    edited = points.with_choice_in(
        points.with_locked(points.with_pace(reel, Fraction(1, 2)), ["b8"], True), PointChoice("downbeats"), 4, 9
    )
    save_reel(edited, tmp_path / "r.tempik")
    assert points_of(song(load_reel(tmp_path / "r.tempik"))) == points_of(song(edited))


def test_a_project_of_format_1_opens_with_its_points_and_ties(reel: Reel, tmp_path: Path) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    document = json.loads((tmp_path / "r.tempik").read_text())
    document["format"] = 1
    record = document["reel"]["soundtrack"]
    del record["heard"]
    record |= {"tempo_bpm": 120.0, "steady": True}
    record["points"] = [
        {"id": f"p{i + 1}", "time_s": 0.5 + 0.5 * i, "bar": i // 4 + 1, "beat": i % 4 + 1} for i in range(64)
    ] + [{"id": "h1", "time_s": 32.9, "kind": "hand"}]
    clip = document["reel"]["clips"][0]
    clip["start"]["point"], clip["end"]["point"], clip["pins"][0]["point"] = "p5", "p9", "p7"
    (tmp_path / "r.tempik").write_text(json.dumps(document))
    old = load_reel(tmp_path / "r.tempik")
    assert Timeline(old).placed[0].first == Timeline(reel).placed[0].first
    assert times(old)[:64] == times(reel) and times(old)[-1] == 32.9


# Stretches


@pytest.mark.parametrize("wanted", [8.0, 15.0])
def test_suggested_stretches_start_on_a_section_and_end_on_a_bar(reel: Reel, wanted: float) -> None:
    offers = suggested_stretches(song(reel), wanted)
    bars = [p.time_s for p in points_of(song(reel)) if p.beat == 1]
    assert offers
    for offer in offers:
        assert min(abs(offer.start_s - s.start_s) for s in heard().sections) < 2.0
        assert min(abs(offer.start_s + offer.length_s - b) for b in bars) < 1e-6
        assert 0.75 * wanted <= offer.length_s <= 1.1 * wanted


def test_a_short_song_is_offered_whole(reel: Reel) -> None:
    (offer,) = suggested_stretches(song(reel), 60.0)
    assert (offer.start_s, offer.length_s) == (0.0, 33.0)


def test_rules_keep_their_count_over_a_stretch_of_onsets(reel: Reel) -> None:
    """Every 4th point stays on the downbeats before and after a roll, and counts the roll's own attacks in it."""
    after = points.with_choice_in(reel, PointChoice("onsets"), 8.5, 9.9)  # three beats give way to onsets
    evaluated = [
        p for run in runs_of(points_of(song(after))) for n, p in enumerate(run.points) if (run.first + n) % 4 == 0
    ]
    assert all(p.beat == 1 for p in evaluated if p.kind != "onset")
    assert [round(p.time_s, 3) for p in evaluated if p.kind == "onset"] == [8.51]
    assert len([p for p in evaluated if p.kind != "onset"]) == 15


def test_the_count_runs_on_where_beats_are_not_chosen(reel: Reel) -> None:
    timeline = Timeline(points.with_choices(reel, [PointChoice("onsets", bands=())]))
    assert timeline.points == ()
    assert timeline.beat_at(105).label == "2.3"  # type: ignore[union-attr]  # 3.5 s
