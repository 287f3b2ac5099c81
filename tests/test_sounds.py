"""Sounds: a shelf that a demanding ear accepts, triggers that hit their points to the sample, clips that keep what is heard."""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import av
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace
from numpy.typing import NDArray

from examples import examples
from tempik.check import check_reel, check_rendered
from tempik.cli.main import main
from tempik.edit import ruled
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.painting import with_painted, with_swept
from tempik.edit.song.points import nudged
from tempik.edit.sounds import clip_sound, clips, files, lanes, mixing
from tempik.edit.speed.speed import with_clip_sound
from tempik.edit.transitions.laying import TransitionPlace, with_transitions
from tempik.errors import TempikError
from tempik.media import Sound, decode_sound
from tempik.project.file import load_reel, save_reel
from tempik.project.media_files import media_paths, missing_media, relink
from tempik.project.steps import difference, with_difference
from tempik.reel import ClipSound, Edge, Mix, Reel, Rule, SoundClip, SoundFile, SoundLane, StepOverride
from tempik.reel.validate import problems
from tempik.render import export
from tempik.render.clip_sound import clip_audio
from tempik.render.mixdown import Mixdown
from tempik.render.sound_bank import SoundBank
from tempik.sounds.hit import hit_of
from tempik.sounds.loudness import RATE, decibels, loudest, true_peak
from tempik.sounds.shelf import SHELF, take_of
from tempik.timeline.sound_triggers import EvaluatedSoundLane, channel_of, evaluated_sound_lanes, laid_sounds, sound_hit
from tempik.timeline.timeline import Timeline
from tempik.transitions import new_transition
from test_ties import CHANGES

Signal = NDArray[np.float32]
SILENCE = Sound(np.zeros((0, 2), np.float32), RATE)


def heard(reel: Reel, seconds: float = 10.0) -> Signal:
    """What is heard of a reel's sounds alone."""
    return Mixdown(Timeline(reel), design_alone=True).plain(0, round(seconds * RATE))


def struck(reel: Reel, number: int = -1) -> EvaluatedSoundLane:
    return evaluated_sound_lanes(Timeline(reel))[number]


# The shelf


@pytest.mark.parametrize("name", SHELF)
def test_every_sound_is_clean_even_and_known_by_its_hit(name: str) -> None:
    take = take_of(name)
    samples = take.samples
    assert np.abs(samples[[0, -1]]).max() < 1e-3  # nothing clicks at the ends
    assert np.abs(samples.mean(axis=0)).max() < 2e-3  # no direct current
    assert decibels(true_peak(samples)) < -1.0
    assert abs(loudest(samples) + 20.0) < 1.5  # all within 3 LU
    assert 0.05 < len(samples) / RATE < 6.0 and 0 <= take.hit < len(samples)
    assert SHELF[name].does and SHELF[name].tags


def test_the_shelf_has_room_for_a_choice_and_every_sound_is_another() -> None:
    assert len(SHELF) >= 24
    means = {n: np.abs(np.fft.rfft(take_of(n).samples[:, 0], RATE))[:8000:40] for n in SHELF}
    for name, spectrum in means.items():
        for other, beside in means.items():
            if name < other:
                alike = float(np.corrcoef(spectrum, beside)[0, 1])
                assert alike < 0.995, (name, other)


@pytest.mark.slow
def test_sounds_are_the_same_wherever_they_are_made() -> None:
    """A process of its own makes the same samples."""
    code = "from tempik.sounds.shelf import take_of; print(float(abs(take_of('chain').samples).sum()))"
    made = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert float(made.stdout) == pytest.approx(float(np.abs(take_of("chain").samples).sum()), rel=1e-6)


STRUCK_NAMES = [n for n, k in SHELF.items() if take_of(n).hit == 0 and n not in ("crackle", "room")]


@pytest.mark.parametrize("name", STRUCK_NAMES)
def test_the_attack_of_a_struck_sound_is_found_wherever_it_is(name: str) -> None:
    samples = np.concatenate([np.zeros((12_345, 2), np.float32), take_of(name).samples])
    assert hit_of(samples, RATE) == pytest.approx(12_345 / RATE, abs=0.004)


@pytest.mark.parametrize("name", ["whoosh", "swish", "deep-whoosh", "bellows"])
def test_the_loudest_instant_of_a_swelling_sound_is_found(name: str) -> None:
    assert hit_of(take_of(name).samples, RATE) == pytest.approx(take_of(name).hit / RATE, abs=0.03)


@pytest.mark.parametrize("name", [n for n, k in SHELF.items() if k.beats])
@pytest.mark.parametrize("seconds", [0.31, 1.0, 2.4])
def test_risers_stretch_so_that_their_top_comes_when_asked(name: str, seconds: float) -> None:
    take = take_of(name, seconds)
    assert take.hit == round(seconds * RATE)
    level = np.sqrt(np.convolve(np.square(take.samples).mean(axis=1), np.ones(2400) / 2400, "same"))
    assert level.argmax() > 0.6 * take.hit and level[take.hit + round(0.02 * RATE) :].max(initial=0) < level.max()


# Lanes


def test_triggers_hit_their_points_to_the_sample(reel: Reel) -> None:
    """Told by the mix itself: a short sound's own samples begin on the sample of each point."""
    reel = lanes.with_sound_lane(reel, ["tick"], Rule(every=2))
    timeline = Timeline(reel)
    out, tick = heard(reel), take_of("tick")
    triggers = struck(reel).triggers
    assert len(triggers) >= 8
    for trigger in triggers:
        assert trigger.point is not None
        first = round(timeline.reel_s(trigger.point) * RATE) - tick.hit
        assert np.allclose(out[first : first + 500], tick.samples[:500], atol=1e-6)


@pytest.mark.parametrize("sound", ["whoosh", "riser", "anvil", "rewind"])
def test_what_swells_begins_before_its_point(reel: Reel, sound: str) -> None:
    reel = lanes.with_sound_lane(reel, [sound], Rule("bars", beats=(1,)))
    mixdown = Mixdown(Timeline(reel), SILENCE)
    for piece, trigger in zip(mixdown.pieces, struck(reel).triggers, strict=True):
        assert piece.hit == round(trigger.at_s * RATE)
        assert (piece.first < piece.hit) == (sound != "anvil")


@pytest.mark.parametrize("beats", [1.0, 2.0, 4.0])
def test_a_riser_climbs_over_so_many_beats_of_the_song(reel: Reel, beats: float) -> None:
    reel = lanes.with_sound_lane(reel, ["riser"], Rule("bars", beats=(1,)))
    reel = lanes.with_values(reel, "n1", beats=beats)
    for trigger in struck(reel).triggers:
        assert trigger.length_s == pytest.approx(beats * 0.5, abs=0.01)  # the song is at 120 BPM


@pytest.mark.parametrize("name", [n for n, k in SHELF.items() if k.falls])
@pytest.mark.parametrize("beats", [1.0, 2.0, 4.0])
def test_falls_last_so_many_beats_from_their_point(reel: Reel, name: str, beats: float) -> None:
    reel = lanes.with_sound_lane(reel, [name], Rule("bars", beats=(1,)))
    own = [p.end - p.first for p in Mixdown(Timeline(reel), SILENCE).pieces]
    assert set(own) == {len(take_of(name).samples)}
    made = lanes.with_values(reel, "n1", beats=beats)
    for piece, trigger in zip(Mixdown(Timeline(made), SILENCE).pieces, struck(made).triggers, strict=True):
        assert trigger.length_s == pytest.approx(beats * 0.5, abs=0.01)
        assert piece.end - piece.hit == pytest.approx(trigger.length_s * RATE, abs=50) and piece.hit == piece.first


def test_what_fires_a_row(reel: Reel) -> None:
    timeline = Timeline(reel)
    cuts = [p.first for p in timeline.placed if p.first > 0]

    def frames(rule: Rule) -> list[int]:
        return struck(lanes.with_sound_lane(reel, ["tick"], rule)).starts

    assert frames(Rule("cuts")) == cuts
    assert frames(Rule("hand")) == []
    assert set(frames(Rule("bars", beats=(1,)))) < set(frames(Rule()))
    assert frames(Rule("pins")) == sorted(t.frame for p in timeline.placed for t in p.ties)
    lane = reel.accent_lanes[0]
    assert frames(Rule("pulses", lane=lane.id)) == [p.frame for p in timeline.accent_lanes[0].pulses]
    assert frames(Rule("pulses", every=2, lane=lane.id)) == [p.frame for p in timeline.accent_lanes[0].pulses][::2]
    assert frames(Rule("pulses", lane="gone")) == [] and frames(Rule("something new")) == []


def test_transitions_fire_a_row_and_hard_cuts_do_not(reel: Reel) -> None:
    placed = Timeline(reel).placed[1]
    joined = with_transitions(reel, {TransitionPlace(placed.clip.id): new_transition("dissolve")})
    found = struck(lanes.with_sound_lane(joined, ["tick"], Rule("transitions")))
    assert found.starts == [placed.first]
    assert struck(lanes.with_sound_lane(reel, ["tick"], Rule("transitions"))).triggers == []


def test_pulses_follow_the_row_that_they_are_of(reel: Reel) -> None:
    made = lanes.with_sound_lane(reel, ["tick"], Rule("pulses", lane=reel.accent_lanes[0].id))
    silent = accent_lanes.without_lane(made, reel.accent_lanes[0].id)
    assert struck(made).triggers and not struck(silent).triggers and problems(silent) == []
    fewer = ruled.with_rule(made, reel.accent_lanes[0].id, Rule(every=8))
    assert struck(fewer).starts == [p.frame for p in Timeline(fewer).accent_lanes[0].pulses]


def test_rows_are_painted_as_accent_rows_are(reel: Reel) -> None:
    reel = lanes.with_sound_lane(reel, ["tick"], Rule("hand"))
    steps = [c.id for c in struck(reel).steps][2:5]
    swept = with_swept(reel, "n1", steps, True)
    assert [s.step for s in struck(swept).triggers] == steps
    weak = with_painted(swept, "n1", steps[0], 0.25)
    assert struck(weak).triggers[0].gain == pytest.approx(0.25)
    assert np.abs(heard(weak)).max() <= np.abs(heard(swept)).max()
    assert struck(with_painted(weak, "n1", steps[0], 0.0)).starts == struck(swept).starts[1:]


def test_variation_is_drawn_by_seed_and_no_sound_comes_twice_running(reel: Reel) -> None:
    reel = lanes.with_sound_lane(reel, ["tick", "tock", "wood"], Rule())
    reel = lanes.with_values(reel, "n1", vary_pitch=3.0, vary_gain_db=6.0)
    first, again = struck(reel).triggers, struck(reel).triggers
    assert first == again
    names = [s.sound for s in first]
    assert len(set(names)) == 3 and all(a != b for a, b in zip(names, names[1:], strict=False))
    assert all(abs(s.semitones) <= 3 and abs(20 * np.log10(s.gain)) <= 6.001 for s in first)
    assert len({s.semitones for s in first}) > 3
    other = struck(ruled.with_seed(reel, "n1", 99)).triggers
    assert [s.sound for s in other] != names and [s.at_s for s in other] == [s.at_s for s in first]


def test_higher_and_lower_a_sound_still_hits_its_point(reel: Reel) -> None:
    reel = lanes.with_sound_lane(reel, ["anvil"], Rule(every=4))
    reel = lanes.with_values(reel, "n1", vary_pitch=12.0)
    out = heard(reel)
    for trigger in struck(reel).triggers:
        at = round(trigger.at_s * RATE)
        if at > 4800:
            assert np.abs(out[at + 48 : at + 480]).max() > 4 * np.abs(out[at - 400 : at - 4]).max()


def test_a_moved_point_takes_its_triggers_along(reel: Reel) -> None:
    reel = lanes.with_sound_lane(reel, ["tick"], Rule())
    point = struck(reel).triggers[4].point
    assert point is not None
    moved = nudged(reel, [point.id], 0.030)
    assert struck(moved).triggers[4].at_s == pytest.approx(struck(reel).triggers[4].at_s + 0.030, abs=1e-9)


def test_a_moved_hit_is_what_lands(reel: Reel) -> None:
    reel = lanes.with_sound_lane(reel, ["whoosh"], Rule(every=4))
    before = Mixdown(Timeline(reel), SILENCE).pieces[1]
    moved = files.with_hit(reel, "whoosh", take_of("whoosh").hit / RATE + 0.1)
    after = Mixdown(Timeline(moved), SILENCE).pieces[1]
    assert after.hit == before.hit and after.first == before.first - round(0.1 * RATE)
    back = files.with_hit(moved, "whoosh", None)
    assert back.hits == {} and sound_hit(back, "whoosh") == sound_hit(reel, "whoosh")


def test_ten_thousand_triggers_at_once(reel: Reel) -> None:
    steps = tuple(StepOverride(p.id, 1.0) for p in Timeline(reel).on_reel())
    many = tuple(SoundLane(f"n{i}", ("tick",), Rule(), steps, seed=i) for i in range(100))
    crowded = replace(reel, sound_lanes=many, mix=Mix(ceiling_db=-1.0))
    assert sum(len(s.triggers) for s in evaluated_sound_lanes(Timeline(crowded))) >= 1_900
    more = replace(crowded, clips=(), accent_lanes=())
    mixdown = Mixdown(Timeline(more), SILENCE)
    out = np.concatenate([mixdown.block(n, 1.0) for n in range(8)])
    assert np.isfinite(out).all() and decibels(true_peak(out)) <= -1.0


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES.keys())
def test_sounds_stay_true_whatever_becomes_of_the_points(reel: Reel, change: Callable[[Reel], Reel]) -> None:
    from tempik.edit.song import points as edits

    reel = edits.with_point(reel, 2.2)
    by_hand = next(p for p in Timeline(reel).on_reel() if p.kind == "hand")
    reel = lanes.with_sound_lane(reel, ["tick"], Rule(every=2))
    reel = with_painted(reel, "n1", by_hand.id, 1.0)
    for point in (by_hand, *Timeline(reel).on_reel()[3:5]):
        reel = clips.with_sound_clip(reel, "anvil", Edge(0.0, point.id))
    made = change(reel)
    assert problems(made) == [] and len(made.sound_clips) == 3
    if "song" not in str(change) and not any(c.at.point for c in made.sound_clips):
        before, after = laid_sounds(Timeline(reel)), laid_sounds(Timeline(made))
        assert [round(c.begin_s, 2) for c in after] == [round(c.begin_s, 2) for c in before]


# Clips on sound tracks


@pytest.fixture
def laid(reel: Reel) -> Reel:
    """A reel with a whoosh laid by its hit on a point."""
    point = Timeline(reel).on_reel()[6]
    return clips.with_sound_clip(reel, "whoosh", Edge(Timeline(reel).reel_s(point), point.id))


def test_a_laid_sound_hits_its_point_to_the_sample(laid: Reel) -> None:
    (found,) = laid_sounds(Timeline(laid))
    take = take_of("whoosh")
    first = round(found.hit_s * RATE) - take.hit  # type: ignore[operator]
    out = heard(laid)
    assert (
        np.abs(out[first : first + len(take.samples)] - take.samples).max()
        < 2e-5 + np.abs(np.diff(take.samples, axis=0)).max()
    )
    moved = nudged(laid, [laid.sound_clips[0].at.point], 0.05)  # type: ignore[list-item]
    (after,) = laid_sounds(Timeline(moved))
    assert after.hit_s == pytest.approx(found.hit_s + 0.05)  # type: ignore[operator]


def test_a_second_sound_at_the_same_place_lies_on_a_track_of_its_own(laid: Reel) -> None:
    again = clips.with_sound_clip(laid, "gust", laid.sound_clips[0].at)
    assert len(again.sound_tracks) == 2
    later = clips.with_sound_clip(again, "tick", Edge(9.0))
    assert later.sound_clips[-1].track == laid.sound_tracks[0].id


@given(begin=st.floats(-0.3, 0.55), end=st.floats(0.01, 0.62))
@settings(max_examples=examples(30), deadline=None)
def test_trimmed_a_sound_is_heard_as_it_was_where_it_is_heard(begin: float, end: float) -> None:
    reel = clips.with_sound_clip(Reel(length_s=4.0), "gust", Edge(2.0))
    (laid,) = laid_sounds(Timeline(reel))
    whole = heard(reel, 4.0)
    cut = clips.with_end_trimmed(reel, "x1", laid.begin_s + 0.4 + end)
    cut = clips.with_start_trimmed(cut, "x1", laid.begin_s + min(begin, 0.4 + end - 0.05))
    (after,) = laid_sounds(Timeline(cut))
    assert problems(cut) == []
    a, b = round(after.begin_s * RATE) + 2, round(after.end_s * RATE) - 2
    out = heard(cut, 4.0)
    assert np.allclose(out[a:b], whole[a:b], atol=2e-3)
    assert not out[: a - 4].any() and not out[b + 4 :].any()


def test_split_in_two_a_sound_is_as_it_was(laid: Reel) -> None:
    (found,) = laid_sounds(Timeline(laid))
    for share in (0.2, 0.9):
        two = clips.with_clip_split(laid, "x1", found.begin_s + share * (found.end_s - found.begin_s))
        assert len(two.sound_clips) == 2
        assert np.abs(heard(two) - heard(laid)).max() < 2e-3
    with pytest.raises(TempikError, match="does not stand in that sound clip"):
        clips.with_clip_split(laid, "x1", found.end_s + 1)


def test_backward_round_and_slipped(laid: Reel) -> None:
    whole = take_of("whoosh").samples
    reel = clips.with_sound_clip(Reel(length_s=4.0), "whoosh", Edge(1.0))
    back = clips.with_clip_values(reel, "x1", backward=True)
    (found,) = laid_sounds(Timeline(back))
    assert found.hit_s == pytest.approx(1.0)
    first = round(found.begin_s * RATE)
    assert np.allclose(heard(back, 4.0)[first : first + len(whole)], whole[::-1], atol=1e-6)
    loop = clips.with_end_trimmed(clips.with_clip_values(reel, "x1", loop=True), "x1", 3.5)
    (found,) = laid_sounds(Timeline(loop))
    assert found.end_s == pytest.approx(3.5)
    out, first = heard(loop, 4.0), round(found.begin_s * RATE)
    assert np.allclose(out[first + len(whole) : first + 2 * len(whole)], out[first : first + len(whole)], atol=1e-6)
    short = clips.with_end_trimmed(reel, "x1", 1.0)
    slipped = clips.with_slipped(short, "x1", 0.1)
    (a,), (b,) = laid_sounds(Timeline(short)), laid_sounds(Timeline(slipped))
    assert (b.begin_s, b.end_s) == pytest.approx((a.begin_s, a.end_s)) and b.clip.from_s == pytest.approx(0.1)


@pytest.mark.parametrize("keeps", [False, True])
def test_faster_a_sound_is_shorter_and_its_hit_stays(keeps: bool) -> None:
    reel = clips.with_sound_clip(Reel(length_s=4.0), "whoosh", Edge(2.0))
    fast = clips.with_clip_values(reel, "x1", speed=2.0, preserve_pitch=keeps)
    (found,) = laid_sounds(Timeline(fast))
    assert found.hit_s == pytest.approx(2.0)
    assert found.end_s - found.begin_s == pytest.approx(len(take_of("whoosh").samples) / RATE / 2, abs=1e-3)
    level = np.sqrt(np.convolve(np.square(heard(fast, 4.0)).mean(axis=1), np.ones(1200) / 1200, "same"))
    assert level.argmax() / RATE == pytest.approx(2.0, abs=0.03)


def test_fades_and_gain_of_a_clip() -> None:
    reel = clips.with_sound_clip(Reel(length_s=6.0), "room", Edge(1.0))
    made = clips.with_clip_values(reel, "x1", fade_in_s=1.0, fade_out_s=1.0, gain_db=-6.0)
    (found,) = laid_sounds(Timeline(made))
    a, plain, out = round(found.begin_s * RATE), heard(reel, 6.0), heard(made, 6.0)
    middle = slice(a + round(1.5 * RATE), a + round(2.0 * RATE))
    assert np.allclose(out[middle], plain[middle] * 10 ** (-6 / 20), atol=1e-5)
    quarter = slice(a + round(0.25 * RATE), a + round(0.26 * RATE))
    ratio = np.abs(out[quarter]).sum() / np.abs(plain[quarter]).sum()
    assert ratio == pytest.approx(10 ** (-6 / 20) * 0.255, rel=0.02)


def test_what_cannot_be_is_refused_with_a_sentence(laid: Reel) -> None:
    with pytest.raises(TempikError, match="no sound 'splash' on the shelf; choose from anvil"):
        lanes.with_sound_lane(laid, ["splash"])
    with pytest.raises(TempikError, match="a speed of 99"):
        clips.with_clip_values(laid, "x1", speed=99.0)
    with pytest.raises(TempikError, match="no longer there"):
        clips.without_sound_clip(laid, "x7")
    with pytest.raises(TempikError, match="at least one sound"):
        lanes.with_sounds(lanes.with_sound_lane(laid, ["tick"]), "n1", [])
    with pytest.raises(TempikError, match="Say of which accent lane"):
        ruled.with_rule(lanes.with_sound_lane(laid, ["tick"]), "n1", Rule("pulses", lane="r99"))
    locked = clips.with_track_changed(laid, laid.sound_tracks[0].id, lambda t: replace(t, locked=True))
    with pytest.raises(TempikError, match="track is locked"):
        clips.without_sound_clip(locked, "x1")
    with pytest.raises(TempikError, match="no longer there"):
        channel_of(laid, "n44")


# Files of the user's own


def write(path: Path, samples: Signal, rate: int, layout: str) -> str:
    """Write float samples (count, channels) as WAV."""
    with av.open(str(path), "w", format="wav") as out:
        stream = out.add_stream("pcm_f32le", rate=rate, layout=layout)
        frame = av.AudioFrame.from_ndarray(np.ascontiguousarray(samples.reshape(1, -1), np.float32), "flt", layout)
        frame.sample_rate = rate
        out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
    return str(path)


def click_at(rate: int, at_s: float, channels: int, seconds: float = 1.0) -> Signal:
    out = np.zeros((round(seconds * rate), channels), np.float32)
    t = np.arange(round(0.1 * rate)) / rate
    hit = 0.5 * np.exp(-t / 0.02) * np.sin(2 * np.pi * 900 * t + 1.2)
    first = round(at_s * rate)
    out[first : first + len(hit)] = hit[: len(out) - first, None]
    return out


@pytest.mark.parametrize(
    ("rate", "layout", "channels"), [(8000, "mono", 1), (44100, "stereo", 2), (48000, "5.1", 6), (192_000, "stereo", 2)]
)
def test_the_hit_of_a_file_is_found_whatever_its_form(tmp_path: Path, rate: int, layout: str, channels: int) -> None:
    path = write(tmp_path / "hit.wav", click_at(rate, 0.4, channels), rate, layout)
    found = files.heard_file(path)
    assert found.hit_s == pytest.approx(0.4, abs=0.003) and found.length_s == pytest.approx(1.0, abs=0.01)


ODD: dict[str, Callable[[], Signal]] = {
    "one sample": lambda: np.full((1, 2), 0.5, np.float32),
    "silent": lambda: np.zeros((4800, 2), np.float32),
    "clipped": lambda: np.clip(click_at(48000, 0.2, 2) * 40, -1, 1),
    "direct current": lambda: np.full((24000, 2), 0.8, np.float32),
    "no number": lambda: np.where(np.arange(48000)[:, None] % 7 == 0, np.nan, click_at(48000, 0.2, 2)).astype(
        np.float32
    ),
    "beyond full scale": lambda: click_at(48000, 0.2, 2) * np.float32(1e6),
}


@pytest.mark.slow
@pytest.mark.parametrize("what", ODD)
def test_odd_files_are_heard_or_not_but_break_nothing(reel: Reel, tmp_path: Path, what: str) -> None:
    path = write(tmp_path / "odd.wav", ODD[what](), 48000, "stereo")
    made, name = files.with_sound_file(reel, files.heard_file(path))
    made = lanes.with_sound_lane(made, [name], Rule(every=4))
    made = lanes.with_values(made, "n1", vary_pitch=5.0, beats=1.0)
    made = clips.with_sound_clip(made, name, Edge(2.0))
    made = clips.with_clip_values(made, "x1", speed=1.7, preserve_pitch=True)
    made = replace(made, mix=Mix(loudness=-14.0, ceiling_db=-1.0))
    assert problems(made) == []
    mixdown = Mixdown(Timeline(made))
    out = np.concatenate(list(mixdown.blocks()))
    assert np.isfinite(out).all() and np.abs(out).max() <= 1.0 and len(out) == round(10 * RATE)


def test_a_missing_sound_is_said_silent_and_found_again(reel: Reel, tmp_path: Path) -> None:
    path = write(tmp_path / "own.wav", click_at(48000, 0.3, 2), 48000, "stereo")
    made, name = files.with_sound_file(reel, files.heard_file(path))
    made = lanes.with_sound_lane(made, [name], Rule(every=4))
    assert heard(made).any() and path in media_paths(made)
    Path(path).rename(tmp_path / "elsewhere.wav")
    assert not heard(made).any() and missing_media(made) == [path]
    assert any("own.wav is missing: nothing is heard of it" in note for note in check_reel(Timeline(made)).notes)
    assert heard(relink(made, path, str(tmp_path / "elsewhere.wav"))).any()
    with pytest.raises(TempikError):
        files.heard_file(str(tmp_path / "nothing.wav"))
    with pytest.raises(TempikError, match="used in the reel"):
        files.without_sound_file(made, name)


def test_a_sound_of_a_newer_version_is_kept_and_does_nothing(reel: Reel, tmp_path: Path) -> None:
    newer = replace(reel, sound_lanes=(SoundLane("n1", ("thunder",), Rule()),))
    save_reel(newer, tmp_path / "p.tempik")
    again = load_reel(tmp_path / "p.tempik")
    assert again.sound_lanes == newer.sound_lanes and not heard(again).any()
    assert any("does not know the sound 'thunder'" in note for note in check_reel(Timeline(again)).notes)


# Kept


def test_sounds_are_saved_with_paths_and_every_step_is_journalled(laid: Reel, tmp_path: Path) -> None:
    path = write(tmp_path / "own.wav", click_at(48000, 0.3, 2), 48000, "stereo")
    made, name = files.with_sound_file(laid, files.heard_file(path))
    made = lanes.with_sound_lane(made, [name, "tick"], Rule("bars"))
    made = files.with_hit(mixing.with_channel(made, "n1", gain_db=-3.0, ducks=True), "whoosh", 0.2)
    save_reel(made, tmp_path / "p.tempik")
    assert "own.wav" in (tmp_path / "p.tempik").read_text() and str(tmp_path) not in (tmp_path / "p.tempik").read_text()
    again = load_reel(tmp_path / "p.tempik")
    for field in ("sounds", "hits", "sound_lanes", "sound_tracks", "sound_clips", "mix"):
        assert getattr(again, field) == getattr(made, field)
    assert with_difference(laid, difference(laid, made)) == made


WRONG: dict[str, Callable[[Reel], Reel]] = {
    "a track that is not": lambda r: replace(r, sound_clips=(SoundClip("x1", "tick", "t9", Edge(0.0), 1.0),)),
    "no length": lambda r: replace(r, sound_clips=(replace(r.sound_clips[0], length_s=0.0),)),
    "a point that is gone": lambda r: replace(r, sound_clips=(replace(r.sound_clips[0], at=Edge(0.0, "b999999")),)),
    "a name of the shelf": lambda r: replace(r, sounds=(SoundFile("tick", "/x.wav", 1.0),)),
    "a hit outside": lambda r: replace(r, sounds=(SoundFile("s1", "/x.wav", 1.0, 5.0),)),
    "a gain beyond": lambda r: replace(r, sound_lanes=(SoundLane("n1", ("tick",), gain_db=400.0),)),
    "nothing every": lambda r: replace(r, sound_lanes=(SoundLane("n1", ("tick",), Rule(every=0)),)),
    "too long a stretch": lambda r: replace(r, sound_lanes=(SoundLane("n1", ("tick",), beats=1e6),)),
    "infinite": lambda r: replace(r, sound_clips=(replace(r.sound_clips[0], from_s=float("inf")),)),
}


@pytest.mark.parametrize("wrong", WRONG.values(), ids=WRONG.keys())
def test_what_a_strangers_project_may_not_have(laid: Reel, wrong: Callable[[Reel], Reel]) -> None:
    assert problems(wrong(laid))


# The check


@pytest.mark.film
def test_every_hit_is_checked_and_measured_in_the_file(reel: Reel, tmp_path: Path) -> None:
    reel = lanes.with_sound_lane(
        replace(reel, mix=Mix(loudness=-14.0, ceiling_db=-1.0)), ["whoosh", "swish"], Rule("cuts")
    )
    reel = lanes.with_sound_lane(reel, ["wood"], Rule(every=4))
    reel = lanes.with_sound_lane(reel, ["impact"], Rule("bars", beats=(1,)))
    reel = clips.with_sound_clip(reel, "anvil", Edge(0.0, Timeline(reel).on_reel()[9].id))
    planned = [e for e in check_reel(Timeline(reel)).events if e.kind == "sound"]
    assert len(planned) >= 10 and all(e.tied and e.ok and abs(e.error_ms) < 0.02 for e in planned)
    export(Timeline(reel), tmp_path / "o.mp4")
    found = check_rendered(Timeline(reel), tmp_path / "o.mp4")
    measured = [e.measured_ms for e in found.events if e.kind == "sound" and e.measured_ms is not None]
    assert len(measured) >= 0.9 * len(planned) and max(map(abs, measured)) < 1.0
    assert found.ok


@pytest.mark.film
def test_a_file_whose_sounds_are_late_is_told(reel: Reel, tmp_path: Path) -> None:
    made = lanes.with_sound_lane(reel, ["wood"], Rule(every=4))
    late = files.with_hit(made, "wood", 0.0)
    late = replace(late, sound_lanes=(), sound_clips=())
    for number, trigger in enumerate(struck(made).triggers):
        late = clips.with_sound_clip(
            late, "wood", Edge(trigger.at_s + 0.02), late.sound_tracks[0].id if number else None
        )
    export(Timeline(late), tmp_path / "late.mp4")
    found = check_rendered(Timeline(made), tmp_path / "late.mp4")
    off = [e.measured_ms for e in found.events if e.kind == "sound" and e.measured_ms is not None]
    assert off and all(ms == pytest.approx(20.0, abs=0.5) for ms in off) and not found.ok


# Clips' own sound


def test_a_sound_edge_of_its_own(reel: Reel) -> None:
    """The sound of a later clip comes before its picture, and that of the one before ends there."""
    placed = Timeline(reel).placed
    footage = tuple(replace(f, has_sound=True) for f in reel.footage)
    names = [p.clip.id for p in placed]
    loud = with_clip_sound(replace(reel, footage=footage), names, ClipSound(on=True))
    led = clip_sound.with_sound_edge(loud, names[1], "start", 0.4)
    before, after = (Timeline(led).placed_clip(n) for n in names[:2])
    assert before is not None and after is not None
    assert (before.clip.sound.trail_s, after.clip.sound.lead_s) == pytest.approx((-0.4, 0.4))
    source = Sound(np.random.default_rng(1).standard_normal((20 * RATE, 2)).astype(np.float32) * 0.1, RATE)
    track = clip_audio(after, source, led.rate, 0.005)
    plain = clip_audio(placed[1], source, led.rate, 0.005)
    assert plain.first - track.first == round(0.4 * RATE)
    same = slice(round(0.45 * RATE), round(0.6 * RATE))
    later = slice(same.start - round(0.4 * RATE), same.stop - round(0.4 * RATE))
    assert np.allclose(track.samples[same], plain.samples[later], atol=0.12)
    alone = clip_sound.with_sound_edge(loud, names[1], "start", 0.4, alone=True)
    assert Timeline(alone).placed[0].clip.sound.trail_s == 0
    assert problems(led) == [] and check_reel(Timeline(led)).ok
    with pytest.raises(TempikError, match="not heard"):
        clip_sound.with_sound_edge(reel, names[0], "end", 0.1)


def test_fades_of_clips_own_sound(reel: Reel) -> None:
    placed = Timeline(reel).placed[1]
    faded = clip_sound.with_clip_sound_values(
        reel, [placed.clip.id], on=True, fade_in_s=0.5, fade_out_s=0.25, gain_db=99.0
    )
    record = Timeline(faded).placed_clip(placed.clip.id)
    assert record is not None and record.clip.sound.gain_db == 24.0
    source = Sound(np.ones((20 * RATE, 2), np.float32) * 0.01, RATE)
    track = clip_audio(record, source, faded.rate, 0.005).samples[:, 0] / (0.01 * 10 ** (24 / 20))
    assert track[round(0.25 * RATE)] == pytest.approx(0.5, abs=0.03)
    assert track[len(track) - round(0.125 * RATE)] == pytest.approx(0.5, abs=0.04)


# The command line


@pytest.mark.slow
def test_everything_from_the_command_line(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    save_reel(reel, tmp_path / "p.tempik")
    project, out = str(tmp_path / "p.tempik"), str(tmp_path / "o.tempik")

    def run(*arguments: str) -> str:
        assert main(["sound", *arguments]) == 0
        return capsys.readouterr().out

    assert "whoosh: a rush of air" in run("--list")
    run(project, "--add", "whoosh,swish", "--on", "cuts", "--gain", "-6", "--vary-pitch", "2", "-o", out)
    run(
        out,
        "--add",
        "impact",
        "--on",
        "bars",
        "--beats-of-bar",
        "1",
        "--ducks",
        "on",
        "--duck",
        "10",
        "--duck-times",
        "50,400",
    )
    run(out, "--add", "tick", "--on", "lane:1", "--every", "2", "--paint", "1.2=100")
    run(out, "--lay", "anvil", "--at", "2.1", "--fade-out", "0.5")
    run(out, "--clip", "1", "--speed", "1.5", "--pitch", "preserved", "--gain", "-3")
    run(out, "--channel", "song", "--gain", "-2", "--loudness", "-16", "--ceiling", "-1.5")
    run(out, "--hit", "whoosh=0.3")
    made = load_reel(tmp_path / "o.tempik")
    assert [r.sounds for r in made.sound_lanes] == [("whoosh", "swish"), ("impact",), ("tick",)]
    assert made.sound_lanes[1].ducks and made.mix.ducking.depth_db == 10 and made.mix.ducking.release_ms == 400
    assert made.sound_lanes[2].rule.lane == made.accent_lanes[0].id and made.sound_clips[0].at.point is not None
    assert made.mix.song.gain_db == -2 and (made.mix.loudness, made.mix.ceiling_db) == (-16, -1.5)
    assert made.hits == {"whoosh": 0.3} and made.sound_clips[0].speed == 1.5
    table = run(out).splitlines()
    assert table[0] == "lane,sound,hit_s,point_s,error_ms" and all(
        abs(float(r.split(",")[4])) < 0.02 for r in table[1:]
    )
    levels = run(out, "--levels").splitlines()
    assert float(levels[2].split(",")[1]) == pytest.approx(-16.0, abs=0.1)
    run(out, "--write", str(tmp_path / "o.wav"))
    assert decode_sound(str(tmp_path / "o.wav"), RATE).length_s == pytest.approx(10.0)
    run(out, "--lane", "3", "--remove")
    assert len(load_reel(tmp_path / "o.tempik").sound_lanes) == 2
    for wrong, message in (
        (["--lane", "9"], "There is no sound lane 9; the project has 2"),
        (["--gain", "3"], "What does --gain change"),
        (["--add", "splash"], "no sound 'splash'"),
        (["--add", "tick", "--on", "moons"], "cannot fire on 'moons'"),
        (["--lay", "tick"], "Where does it hit"),
        (["--clip", "7", "--gain", "1"], "There is no sound clip 7"),
        (["--lane", "1", "--paint", "99.1=50"], "There is no point 99.1"),
        (["--loudness", "loud"], "'loud' is no number"),
    ):
        assert main(["sound", out, *wrong]) == 2
        assert message in capsys.readouterr().err


def test_takes_forget_what_another_project_has(reel: Reel, tmp_path: Path) -> None:
    path = write(tmp_path / "own.wav", click_at(48000, 0.3, 2), 48000, "stereo")
    made, name = files.with_sound_file(reel, files.heard_file(path))
    sound_bank = SoundBank()
    first = sound_bank.source(made, name)
    write(tmp_path / "own.wav", click_at(48000, 0.6, 2), 48000, "stereo")
    assert sound_bank.source(made, name) is first
    sound_bank.forget()
    again = sound_bank.source(made, name)
    assert again is not None and first is not None and not np.array_equal(again.samples, first.samples)
