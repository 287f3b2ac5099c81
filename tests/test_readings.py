"""The readings of a song's beats: as found and its rivals. Taking another leads what is tied to the nearest beat."""

import json
from fractions import Fraction
from pathlib import Path

import pytest
from msgspec.structs import replace

from tempik.edit.song import points
from tempik.edit.song.readings import (
    bars_in_use,
    bars_of,
    heard_anew,
    readings_of,
    with_bars_heard,
    with_reading_heard,
)
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.reel import AccentLane, Clip, Cue, Edge, Footage, Pin, PointChoice, Reel, Soundtrack, StepOverride, point_of
from tempik.reel.arranged import SongOrder, analysis_in_order
from tempik.reel.points import metre_of, points_of, tempo_of
from tempik.reel.validate import problems
from tempik.rhythm import Analysis, Beat, Onset, Rival
from tempik.rhythm.records import BarReading
from tempik.timeline.timeline import Timeline


def beats(bpm: float, first_s: float, length_s: float, metre: int = 4) -> tuple[Beat, ...]:
    period = 60 / bpm
    count = int((length_s - first_s) / period)
    times = [first_s + n * period for n in range(count)]
    return tuple(Beat(t, 0.8, n // metre + 1, n % metre + 1, t) for n, t in enumerate(times))


@pytest.fixture
def reel() -> Reel:
    """A song at 120 BPM whose rivals are half of it and its off-beats; two clips, a pin and a painted cell."""
    rivals = (
        Rival(60.0, 4, True, 0.2, beats(60, 0.5, 30)),
        Rival(120.0, 3, True, 0.1, beats(120, 0.25, 30, 3)),
    )
    onsets = tuple(Onset(0.5 + n * 0.25, 0.7, "kick") for n in range(100))
    heard = Analysis(30.0, 120.0, 4, 2, True, 0.7, beats(120, 0.0, 30), onsets, rivals=rivals)
    song = Soundtrack("/nowhere/song.wav", 30.0, heard=heard)
    footage = Footage(
        "f1", "/nowhere/film.mp4", width=1080, height=1920, rate=Fraction(30), length_s=20.0, cues=(Cue("q1", 1.0),)
    )
    clips = (
        Clip("c1", "f1", Edge(0.0, "b0"), Edge(2.0, "b4"), pins=(Pin("q1", "b2"),)),
        Clip("c2", "f1", Edge(2.0, "b4"), Edge(4.0, "b8")),
    )
    row = AccentLane("r1", "flash", overrides=(StepOverride("b3", 1.0), StepOverride("c1/start", 1.0)))
    return Reel(soundtrack=song, footage=(footage,), clips=clips, accent_lanes=(row,), length_s=8.0)


def test_the_readings_of_a_song_are_told_with_tempo_metre_and_belief(reel: Reel) -> None:
    assert reel.soundtrack is not None
    told = readings_of(reel.soundtrack)
    assert [(r.tempo_bpm, r.metre, r.belief) for r in told] == [(120.0, 4, 0.7), (60.0, 4, 0.2), (120.0, 3, 0.1)]


def test_another_reading_ties_everything_to_its_nearest_beats(reel: Reel) -> None:
    other = with_reading_heard(reel, 2)
    song = other.soundtrack
    assert song is not None and tempo_of(song) == pytest.approx(120) and metre_of(song) == 3
    for clip in other.clips:
        for edge in (clip.start, clip.end):
            point = point_of(song, edge.point)
            assert point is not None and point.time_s % 0.5 == pytest.approx(0.25)
    assert point_of(song, other.clips[0].pins[0].point).time_s == pytest.approx(1.0, abs=0.2501)  # type: ignore[union-attr]
    assert not problems(other)
    # The pinned cue is on screen at the new point's own frame.
    timeline = Timeline(other)
    placed = timeline.placed_clip("c1")
    assert placed is not None
    # A cell of a clip's start belongs to the clip and stays.
    assert "c1/start" in {p.point for p in other.accent_lanes[0].overrides}


def test_a_slot_shorter_than_a_beat_of_the_new_reading_keeps_its_own_points(reel: Reel) -> None:
    short = replace(reel, clips=(Clip("c1", "f1", Edge(0.5, "b1"), Edge(1.0, "b2")),), accent_lanes=())
    other = with_reading_heard(short, 1)
    clip = other.clips[0]
    timeline = Timeline(other)
    assert timeline.edge_s(clip.end) > timeline.edge_s(clip.start)
    assert not problems(other)


def test_neighbouring_slots_neither_overlap_nor_lose_a_pin_at_half_the_tempo(reel: Reel) -> None:
    """Slots of a beat each under a reading with half as many beats: cuts that find no beat of their own stay."""
    clips = tuple(
        Clip(f"c{n}", "f1", Edge(n / 2, f"b{n}"), Edge((n + 1) / 2, f"b{n + 1}"), pins=(Pin("q1", f"b{n}"),))
        for n in range(8)
    )
    other = with_reading_heard(replace(reel, clips=clips, accent_lanes=()), 1)
    timeline = Timeline(other)
    edges = [(timeline.edge_s(c.start), timeline.edge_s(c.end)) for c in other.clips]
    assert all(a < b for a, b in edges)
    assert all(before[1] == pytest.approx(after[0]) for before, after in zip(edges, edges[1:], strict=False))
    assert all(len(c.pins) == 1 for c in other.clips) and not problems(other)


def test_going_back_to_what_was_found_reads_it_as_it_was(reel: Reel) -> None:
    back = with_reading_heard(with_reading_heard(reel, 2), 0)
    assert back.soundtrack is not None and reel.soundtrack is not None
    assert [p.id for p in points_of(back.soundtrack)] == [p.id for p in points_of(reel.soundtrack)]


def test_a_reading_that_was_not_heard_says_how_many_were(reel: Reel) -> None:
    with pytest.raises(TempikError, match="no reading 4: 3 readings were heard"):
        with_reading_heard(reel, 3)
    assert reel.soundtrack is not None
    silent = replace(reel, soundtrack=replace(reel.soundtrack, heard=Analysis(30.0)))
    with pytest.raises(TempikError, match="no beat was heard"):
        with_reading_heard(silent, 1)


def test_a_rival_can_be_halved_shifted_and_edited_like_what_was_found(reel: Reel) -> None:
    other = points.with_pace(with_reading_heard(reel, 1), Fraction(2))
    assert other.soundtrack is not None and tempo_of(other.soundtrack) == pytest.approx(120)
    moved = points.with_moved_point(other, "r3", 3.52)
    assert point_of(moved.soundtrack, "r3").time_s == pytest.approx(3.52)  # type: ignore[arg-type, union-attr]
    # The hand edit outlives going to another reading and back.
    again = with_reading_heard(with_reading_heard(moved, 0), 1)
    assert point_of(again.soundtrack, "r3").time_s == pytest.approx(3.52)  # type: ignore[arg-type, union-attr]


def test_a_project_keeps_its_reading_and_an_older_one_without_rivals_opens(reel: Reel, tmp_path: Path) -> None:
    path = tmp_path / "r.tempik"
    save_reel(with_reading_heard(reel, 1), path)
    kept = load_reel(path)
    assert kept.soundtrack is not None and kept.soundtrack.reading.rival == 1
    document = json.loads(path.read_text())
    assert "rival" in path.read_text()
    document["reel"]["soundtrack"]["heard"].pop("rivals")
    document["reel"]["soundtrack"]["reading"] = {}
    for clip in document["reel"]["clips"]:
        clip["start"].pop("point", None), clip["end"].pop("point", None), clip.pop("pins", None)
    document["reel"]["accent_lanes"] = []
    path.write_text(json.dumps(document))
    old = load_reel(path)
    assert old.soundtrack is not None and len(readings_of(old.soundtrack)) == 1 and len(points_of(old.soundtrack)) == 60


def test_hearing_a_song_anew_keeps_names_and_leads_ties_to_the_nearest_beat(reel: Reel) -> None:
    named = points.with_name(points.with_name(reel, "b4", "hammer"), "b5", "spark")
    fresh = Analysis(30.0, 60.0, 4, 2, True, 0.9, beats(60, 0.01, 30), (Onset(0.01, 1.0, "kick"),))
    anew = heard_anew(named, fresh)
    song = anew.soundtrack
    assert song is not None and tempo_of(song) == pytest.approx(60)
    words = {p.name: p for p in points_of(song) if p.name}
    # b4 at 2.0 s is a beat of the new analysis; b5 at 2.5 s is none, so it stays as a point placed by hand.
    assert words["hammer"].id == "b2" and words["spark"].kind == "hand"
    assert words["spark"].time_s == pytest.approx(2.5)
    assert Timeline(anew).edge_s(anew.clips[1].start) == pytest.approx(2.01)
    assert not problems(anew)


def test_hearing_a_song_anew_with_half_the_beats_leaves_the_cuts_between_them_where_they_were(reel: Reel) -> None:
    clips = tuple(Clip(f"c{n}", "f1", Edge(n / 2, f"b{n}"), Edge((n + 1) / 2, f"b{n + 1}")) for n in range(8))
    fresh = Analysis(30.0, 60.0, 4, 2, True, 0.9, beats(60, 0.0, 30))
    anew = heard_anew(replace(reel, clips=clips, accent_lanes=()), fresh)
    timeline = Timeline(anew)
    assert [timeline.edge_s(c.start) for c in anew.clips] == pytest.approx([n / 2 for n in range(8)])
    assert not problems(anew)


def test_hearing_a_song_anew_that_has_no_beat_leaves_clips_where_they_were(reel: Reel) -> None:
    anew = heard_anew(reel, Analysis(30.0))
    assert [round(Timeline(anew).edge_s(c.start), 3) for c in anew.clips] == [0.0, 2.0]
    assert anew.clips[0].pins == () and not problems(anew)


def with_bars(reel: Reel, *bars: BarReading) -> Reel:
    assert reel.soundtrack is not None and reel.soundtrack.heard is not None
    return replace(reel, soundtrack=replace(reel.soundtrack, heard=replace(reel.soundtrack.heard, bars=bars)))


FOUND_BARS = (BarReading(4, 0, 0.6), BarReading(4, 2, 0.2), BarReading(3, 1, 0.1))


def test_bars_are_counted_another_way_without_a_beat_moving_and_round_to_as_found(reel: Reel) -> None:
    reel = with_bars(reel, *FOUND_BARS)
    assert reel.soundtrack is not None
    assert [(b.metre, b.belief, b.downbeats_s[0]) for b in bars_of(reel.soundtrack)] == [
        (4, 0.6, 0.0),
        (4, 0.2, 1.0),
        (3, 0.1, 0.5),
    ]
    times = [p.time_s for p in points_of(reel.soundtrack)]
    ways = []
    for number in (1, 2):
        other = with_bars_heard(reel, number)
        assert other.soundtrack is not None and bars_in_use(other.soundtrack) == number
        assert [p.time_s for p in points_of(other.soundtrack)] == times and other.clips == reel.clips
        ways.append([p.time_s for p in points_of(other.soundtrack) if p.beat == 1][:3])
    assert ways == [[1.0, 3.0, 5.0], [0.5, 2.0, 3.5]] and metre_of(other.soundtrack) == 3
    assert with_bars_heard(other, 0) == reel


def test_bars_that_were_not_heard_are_refused_in_a_sentence(reel: Reel) -> None:
    with pytest.raises(TempikError, match="none was heard for these beats"):
        with_bars_heard(reel, 1)
    with pytest.raises(TempikError, match="3 ways were heard"):
        with_bars_heard(with_bars(reel, *FOUND_BARS), 3)
    halved = points.with_pace(with_bars(reel, *FOUND_BARS), Fraction(1, 2))
    assert halved.soundtrack is not None and bars_of(halved.soundtrack) == ()


def test_the_ways_to_count_bars_go_with_the_beats_of_an_arranged_song(reel: Reel) -> None:
    heard = with_bars(reel, *FOUND_BARS).soundtrack.heard  # type: ignore[union-attr]
    assert heard is not None
    cut = analysis_in_order(heard, SongOrder.of([(1.5, 20.0)]))
    for was, now in zip(heard.bars, cut.bars, strict=True):
        starts = {round(b.time_s, 6) for b in heard.beats[was.first :: was.metre]}
        assert round(cut.beats[now.first].time_s + 1.5, 6) in starts and now.first < now.metre


def test_a_project_whose_bars_have_no_beats_is_refused_and_one_with_bars_opens_as_it_was(
    reel: Reel, tmp_path: Path
) -> None:
    good = with_bars(reel, *FOUND_BARS)
    save_reel(good, tmp_path / "r.tempik")
    assert load_reel(tmp_path / "r.tempik") == good
    assert problems(with_bars(reel, BarReading(0, 0, 0.5))) == [
        "A way to count the soundtrack's bars has no beats, or begins on none."
    ]


def test_bars_that_change_within_a_song_are_counted_as_heard() -> None:
    """Eight bars of four, then bars of three: the ruler counts each as it is, also half a beat later and beyond."""
    counted = [(n // 4 + 1, n % 4 + 1) for n in range(32)] + [(n // 3 + 9, n % 3 + 1) for n in range(24)]
    made = tuple(Beat(n * 0.5, 0.8, bar, beat, n * 0.5) for n, (bar, beat) in enumerate(counted))
    song = Soundtrack("/nowhere/s.wav", 30.0, heard=Analysis(30.0, 120.0, 4, 2, True, 0.9, made))
    assert [(p.bar, p.beat) for p in points_of(song)][30:38] == [
        (8, 3),
        (8, 4),
        (9, 1),
        (9, 2),
        (9, 3),
        (10, 1),
        (10, 2),
        (10, 3),
    ]
    downbeats = points.with_choices(Reel(soundtrack=song), [PointChoice("downbeats")]).soundtrack
    assert downbeats is not None
    assert [p.time_s for p in points_of(downbeats)][7:11] == [14.0, 16.0, 17.5, 19.0]
