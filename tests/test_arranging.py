"""The song in another order: the beats go on evenly over every splice, and everything that is tied to the song goes along."""

from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from media_files import beat_song, write_sound
from tempik.assemble import soundtrack_from
from tempik.check import check_reel
from tempik.cli.main import main
from tempik.edit.accents.painting import with_painted
from tempik.edit.clips.layers import with_clip_key
from tempik.edit.song import arranging
from tempik.edit.song.readings import heard_anew
from tempik.edit.sounds import clips, lanes
from tempik.errors import TempikError
from tempik.media import decode_sound
from tempik.project.file import load_reel, save_reel
from tempik.reel import Edge, PointChoice, PointEdit, Reel, Rule, Soundtrack, beats_between, point_of
from tempik.reel.arranged import SongOrder, in_order
from tempik.reel.points import points_of
from tempik.reel.validate import problems
from tempik.render import mix
from tempik.render.song_sound import CROSS_S, song_samples
from tempik.rhythm import analyse
from tempik.rhythm.records import Analysis, Beat, Section
from tempik.rhythm.song_edits import likeness, song_edits
from tempik.sounds.loudness import RATE
from tempik.timeline.timeline import Timeline

BAR_S = 2.0  # of the small reel's song, at 120 BPM


def song_of(reel: Reel) -> Soundtrack:
    assert reel.soundtrack is not None
    return reel.soundtrack


def even(song: Soundtrack) -> float:
    """How far from even the beats are at worst, in milliseconds."""
    gaps = np.diff([b.time_s for b in beats_between(song, 0.0, song.length_s)])
    return float(np.abs(gaps - np.median(gaps)).max()) * 1000


@pytest.fixture
def tied(reel: Reel) -> Reel:
    """The small reel with a painted step, keys, sounds on points and a moved point."""
    points = Timeline(reel).on_reel()
    reel = with_painted(reel, reel.accent_lanes[0].id, points[13].id, 0.7)
    placed = Timeline(reel).placed[2]
    reel = with_clip_key(reel, placed.clip.id, "opacity", placed.first + 5, 0.5)
    reel = lanes.with_sound_lane(reel, ["tick"], Rule(every=2))
    reel = with_painted(reel, "n1", points[3].id, 1.0)
    reel = clips.with_sound_clip(reel, "anvil", Edge(0.0, points[14].id))
    return replace(reel, soundtrack=replace(song_of(reel), edits=(PointEdit(points[15].id, name="word"),)))


def bars(reel: Reel) -> list[float]:
    return arranging.bar_starts(reel)


def test_bars_left_out_take_what_lies_in_them_along(tied: Reel) -> None:
    starts = bars(tied)
    made = arranging.without_bars(tied, starts[1], starts[2])
    assert problems(made) == [] and even(song_of(made)) < 5.0
    assert made.length_s == pytest.approx(tied.length_s - BAR_S, abs=0.01)
    assert song_of(made).length_s == pytest.approx(song_of(tied).length_s - BAR_S, abs=0.01)
    before, after = Timeline(tied), Timeline(made)
    # What was heard and seen at each instant after the splice is heard and seen there, a bar sooner.
    for placed in after.placed:
        assert placed.clip.start.point is None or placed.first == after.frame_of_point(
            after.point(placed.clip.start.point)
        )  # type: ignore[arg-type]
    for frame in range(after.frames):
        song_s = frame / 30 + after.start_s
        there = song_s if song_s < starts[1] - 1e-3 else song_s + starts[2] - starts[1]
        was = round((there - before.start_s) * 30)
        a, b = after.clip_at(frame), before.clip_at(was)
        if (
            a is not None
            and b is not None
            and abs(song_s - starts[1]) > 0.1
            and frame not in (p.first for p in after.placed)
        ):
            assert a.footage.id == b.footage.id
    assert check_reel(after).ok
    assert len(made.sound_clips) == 1 and made.sound_clips[0].at.point is not None


def test_what_is_painted_named_and_keyed_goes_along(tied: Reel) -> None:
    starts = bars(tied)
    made = arranging.without_bars(tied, starts[1], starts[2])
    before, after = song_of(tied), song_of(made)
    by = starts[2] - starts[1]
    (painted,) = made.accent_lanes[0].overrides
    old = point_of(before, tied.accent_lanes[0].overrides[0].point)
    new = point_of(after, painted.point)
    assert old is not None and new is not None and new.time_s == pytest.approx(old.time_s - by)
    named = next(p for p in points_of(after) if p.name == "word")
    assert named.time_s == pytest.approx(next(p for p in points_of(before) if p.name == "word").time_s - by)
    keyed = next(c for c in made.clips if c.keys.get("opacity"))
    was = next(c for c in tied.clips if c.keys.get("opacity"))
    assert keyed.keys["opacity"][0].time_s == pytest.approx(was.keys["opacity"][0].time_s - by, abs=1e-6)


def test_bars_again_come_with_what_lies_in_them(tied: Reel) -> None:
    starts = bars(tied)
    made = arranging.with_bars_again(tied, starts[1], starts[3])
    assert problems(made) == [] and even(song_of(made)) < 5.0
    assert made.length_s == pytest.approx(tied.length_s + 2 * BAR_S, abs=0.01)
    timeline = Timeline(made)
    assert check_reel(timeline).ok and not [f for f in range(timeline.frames) if timeline.clip_at(f) is None]
    ids = [c.id for c in made.clips]
    assert len(set(ids)) == len(ids) > len(tied.clips)
    again = arranging.with_bars_again(tied, starts[1], starts[2], times=3)
    assert again.length_s == pytest.approx(tied.length_s + 3 * BAR_S, abs=0.01)


def test_bars_moved_are_heard_elsewhere(tied: Reel) -> None:
    starts = bars(tied)
    made = arranging.with_bars_moved(tied, starts[0], starts[1], starts[3])
    assert problems(made) == [] and even(song_of(made)) < 5.0
    assert made.length_s == pytest.approx(tied.length_s, abs=0.01) and check_reel(Timeline(made)).ok
    back = arranging.with_bars_moved(tied, starts[2], starts[3], starts[0])
    assert [p.from_s for p in song_of(back).pieces][:2] == pytest.approx([0.0, starts[2]])
    with pytest.raises(TempikError, match="there already"):
        arranging.with_bars_moved(tied, starts[1], starts[2], starts[2])


def test_the_whole_song_comes_back_with_everything_on_its_beat(tied: Reel) -> None:
    starts = bars(tied)
    made = arranging.without_bars(tied, starts[1], starts[2])
    back = arranging.with_whole_song(made)
    assert problems(back) == [] and song_of(back).pieces == () and song_of(back).whole is None
    assert song_of(back).heard == song_of(tied).heard and song_of(back).length_s == song_of(tied).length_s
    assert check_reel(Timeline(back)).ok
    with pytest.raises(TempikError, match="whole already"):
        arranging.with_whole_song(tied)


def test_arranging_twice_is_arranging_once(reel: Reel) -> None:
    starts = bars(reel)
    once = arranging.with_order(reel, [(0.0, starts[1]), (starts[3], song_of(reel).length_s)])
    twice = arranging.without_bars(reel, starts[1], starts[2])
    twice = arranging.without_bars(twice, bars(twice)[1], bars(twice)[2])
    edges = [[t for p in song_of(r).pieces for t in (p.from_s, p.to_s)] for r in (once, twice)]
    assert edges[0] == pytest.approx(edges[1])
    times = [[b.time_s for b in beats_between(song_of(r), 0.0, 99.0)] for r in (once, twice)]
    assert times[0] == pytest.approx(times[1])


def test_what_is_heard_is_the_pieces_of_the_file(reel: Reel) -> None:
    starts = bars(reel)
    made = arranging.without_bars(reel, starts[1], starts[2])
    whole = decode_sound(song_of(reel).path, RATE)
    out = song_samples(song_of(made), whole)
    assert len(out) == round(song_of(made).length_s * RATE)
    jump_costs, span = round(starts[1] * RATE), round(CROSS_S * RATE)
    assert np.array_equal(out[: jump_costs - span], whole.samples[: jump_costs - span])
    later = round(starts[2] * RATE)
    assert np.array_equal(out[jump_costs : jump_costs + RATE], whole.samples[later : later + RATE])
    assert np.isfinite(mix(Timeline(made)).samples).all()


def song(beats: int = 64, gap: float = 0.5, lead: float = 0.3) -> Soundtrack:
    made = tuple(Beat(lead + i * gap, 1.0, i // 4 + 1, i % 4 + 1, lead + i * gap) for i in range(beats))
    length = lead + beats * gap + 1.0
    sections = (Section(0.0, length / 2, 0.4, "quiet"), Section(length / 2, length, 1.0, "full"))
    return Soundtrack("/x.wav", length, heard=Analysis(length, 60 / gap, beats=made, sections=sections, steady=True))


@settings(max_examples=examples(40), deadline=None)
@given(
    order=st.lists(st.tuples(st.integers(0, 14), st.integers(1, 6)), min_size=1, max_size=6),
    choice=st.sampled_from([1, 2, 4]),
)
def test_in_any_order_every_name_means_the_instant_that_it_meant(order: list[tuple[int, int]], choice: int) -> None:
    before = replace(song(), choices=(PointChoice(every=choice),), edits=(PointEdit("b9", time_s=4.83, name="here"),))
    starts = [p.time_s for p in beats_between(before, 0, before.length_s) if p.beat == 1]
    stretches = [(starts[a], starts[min(a + n, len(starts) - 1)]) for a, n in order if a < len(starts) - 1]
    renamed = in_order(before, SongOrder.of(stretches))
    after = renamed.song
    assert problems(Reel(soundtrack=after)) == [] and even(replace(after, edits=())) < 1e-6
    for number in range(len(stretches)):
        for point in beats_between(before, *stretches[number])[:-1]:
            name = renamed.name(number, point.id)
            found, was = point_of(after, name), point_of(before, point.id)
            assert found is not None and was is not None
            assert found.time_s == pytest.approx(renamed.order.moved(number, was.time_s), abs=1e-6)
            assert found.beat == was.beat and found.name == was.name
    counted = [p.bar for p in beats_between(after, 0, after.length_s) if p.beat == 1]
    assert counted == list(range(counted[0], counted[0] + len(counted)))


def test_a_song_heard_anew_keeps_its_arrangement(reel: Reel) -> None:
    starts = bars(reel)
    made = arranging.without_bars(reel, starts[1], starts[2])
    heard = song_of(reel).heard
    assert heard is not None
    anew = heard_anew(made, replace(heard, confidence=0.9))
    assert song_of(anew).pieces == song_of(made).pieces and problems(anew) == []
    assert len(song_of(anew).heard.beats) == len(song_of(made).heard.beats)  # type: ignore[union-attr]
    assert check_reel(Timeline(anew)).ok


# Another length


def loops(path: Path, bpm: float = 120.0) -> tuple[Soundtrack, np.ndarray]:  # type: ignore[type-arg]
    """A song of four bars A, four bars B, four bars A, four bars C: chords of its own each, on a click."""
    samples, times = beat_song(bpm, 16)
    bar = 240 / bpm
    t = np.arange(len(samples)) / RATE
    for number, root in enumerate((220.0, 311.1, 220.0, 164.8)):
        first, end = times[0] + number * 4 * bar, times[0] + (number + 1) * 4 * bar
        inside = (t >= first) & (t < end)
        chord = sum(np.sin(2 * np.pi * root * r * t[inside]) for r in (1, 1.25, 1.5))
        samples[inside] += (0.08 * chord).astype(np.float32)
    write_sound(path, samples)
    heard = analyse(str(path))
    return soundtrack_from(str(path), heard), decode_sound(str(path), 24000, mono=True).samples


@pytest.fixture(scope="module")
def looped(tmp_path_factory: pytest.TempPathFactory) -> tuple[Soundtrack, np.ndarray]:  # type: ignore[type-arg]
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("TEMPIK_CACHE", str(tmp_path_factory.mktemp("cache")))
        return loops(tmp_path_factory.mktemp("song") / "loops.wav")


@pytest.mark.parametrize("wanted", [9.0, 15.0, 20.0, 26.0, 45.0, 60.0])
def test_a_song_is_made_as_long_as_wanted_on_the_beat(looped: tuple[Soundtrack, np.ndarray], wanted: float) -> None:  # type: ignore[type-arg]
    record, samples = looped
    found = arranging.proposals(record, samples, 24000, wanted)
    assert 1 <= len(found) <= 3
    bar_s = float(np.median(np.diff([p.time_s for p in beats_between(record, 0.0, 99.0) if p.beat == 1])))
    for proposal in found:
        song_edit = proposal.song_edit
        assert abs(song_edit.length_s - wanted) <= bar_s / 2 + 0.01
        assert song_edit.stretches[-1][1] == pytest.approx(record.length_s, abs=BAR_S)  # its ending is kept
        made = arranging.with_song_edit(Reel(length_s=record.length_s, soundtrack=record), song_edit)
        assert problems(made) == [] and made.length_s == pytest.approx(song_edit.length_s)
        assert even(song_of(made)) < 5.0
    costs = [p.song_edit.cost for p in found]
    assert costs == sorted(costs)
    assert len({p.song_edit.stretches for p in found}) == len(found)


def test_bars_that_come_again_are_what_is_joined(looped: tuple[Soundtrack, np.ndarray]) -> None:  # type: ignore[type-arg]
    """Eight bars shorter, A B A C is A C: the splice lies between bars that are alike in what comes before and after them."""
    record, samples = looped
    starts = [p.time_s for p in beats_between(record, 0.0, record.length_s) if p.beat == 1]
    best = arranging.proposals(record, samples, 24000, record.length_s - 8 * BAR_S)[0]
    assert best.heard == "hardly heard"
    for leaves, goes_on in best.song_edit.splices:
        i, j = (round((t - starts[0]) / BAR_S) for t in (leaves, goes_on))
        assert (j - i) % 8 == 0 and "→" in best.why


def test_the_transition_is_among_the_least_of_all_pairs(looped: tuple[Soundtrack, np.ndarray]) -> None:  # type: ignore[type-arg]
    record, samples = looped
    starts = [p.time_s for p in beats_between(record, 0.0, record.length_s) if p.beat == 1]
    alike = likeness(samples, 24000, starts, record.length_s, ())
    song_edit = song_edits(alike, 16.0)[0]
    every = np.sort(alike.jump_costs[alike.jump_costs > 0])
    for leaves, goes_on in song_edit.splices:
        i, j = (int(np.abs(alike.edges - t).argmin()) for t in (leaves, goes_on))
        assert np.searchsorted(every, alike.jump_costs[i - 1, j]) < 0.15 * len(every)


def test_a_way_keeps_the_drop_and_what_leads_up_to_it() -> None:
    rng = np.random.default_rng(2)
    starts = [0.5 + 2.0 * i for i in range(24)]
    samples = rng.standard_normal((24000 * 50, 1)).astype(np.float32) * 0.1
    alike = likeness(samples, 24000, starts, 49.0, [starts[13]])
    for song_edit in song_edits(alike, 21.0):
        inside = next(((a, b) for a, b in song_edit.stretches if a <= starts[13] < b), None)
        assert inside is not None and inside[0] <= starts[12] + 1e-6


def test_what_cannot_be_made_is_said(reel: Reel) -> None:
    bare = replace(song_of(reel), heard=None)
    silent = np.zeros((24000, 1), np.float32)
    with pytest.raises(TempikError, match="Too few bars"):
        arranging.proposals(bare, silent, 24000, 15.0)
    with pytest.raises(TempikError, match="cannot be made; give 2 to 3600"):
        arranging.proposals(song_of(reel), silent, 24000, 0.5)
    with pytest.raises(TempikError, match="No bars were heard"):
        arranging.without_bars(replace(reel, soundtrack=bare, clips=()), 1.0, 2.0)
    with pytest.raises(TempikError, match="Nothing would be left"):
        arranging.with_order(reel, [])


def test_from_the_command_line(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    save_reel(reel, tmp_path / "p.tempik")
    project, out = str(tmp_path / "p.tempik"), str(tmp_path / "o.tempik")
    assert main(["sound", project, "--arrange", "11"]) == 0
    table = capsys.readouterr().out.splitlines()
    assert table[0] == "way,length_s,splices,heard" and abs(float(table[1].split(",")[1]) - 11) <= BAR_S / 2 + 0.01
    assert main(["sound", project, "--arrange", "11", "--way", "1", "-o", out]) == 0
    made = load_reel(tmp_path / "o.tempik")
    assert song_of(made).pieces and made.length_s == pytest.approx(float(table[1].split(",")[1]), abs=0.01)
    assert main(["sound", out, "--whole-song"]) == 0 and not song_of(load_reel(tmp_path / "o.tempik")).pieces
    assert main(["sound", project, "--drop-bars", "2-3", "-o", out]) == 0
    assert load_reel(tmp_path / "o.tempik").length_s == pytest.approx(10.0 - 2 * BAR_S, abs=0.01)
    assert main(["sound", project, "--bars-again", "2", "-o", out]) == 0
    assert main(["sound", project, "--move-bars", "1:4", "-o", out]) == 0
    capsys.readouterr()
    for wrong, message in (
        (["--drop-bars", "40-41"], "There are no bars 40-41; the song has 1 to 8"),
        (["--arrange", "11", "--way", "9", "-o", out], "There is no way 9"),
    ):
        assert main(["sound", project, *wrong]) == 2 and message in capsys.readouterr().err


def test_a_bar_that_would_begin_where_the_song_ends_is_none(reel: Reel) -> None:
    """Bars were counted up to the song's very end: leaving the last out was an error of ours."""
    song = reel.soundtrack
    assert song is not None
    ends = arranging.bar_starts(reel)[-1]
    short = replace(reel, soundtrack=replace(song, length_s=ends), length_s=ends - song.start_s)
    for from_s in (0.0, ends - 0.5, ends):
        a, b = arranging.bars_between(short, from_s, ends)
        assert 0 <= a < b <= ends


def test_a_rest_without_beats_has_no_ties(reel: Reel) -> None:
    """A clip stayed tied to a beat that was no longer there, and the project could not be opened again."""
    once = arranging.without_bars(reel, 0.0, 0.0)
    twice = arranging.without_bars(once, 0.0, 14.4)
    assert problems(twice) == [] and twice.soundtrack is not None and points_of(twice.soundtrack) == ()
    assert all(c.start.point is None and c.end.point is None for c in twice.clips)
