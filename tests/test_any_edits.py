"""Edits in any order, as nobody plans them: a reel stays sound, is saved and read as it is, and its ties hold.

Each step is one of the edits that keys, menus and pages have, with whatever it may be given; it is had, or refused in one
sentence. What holds after all of them is what an editor takes for granted."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from tempik.accents import CATALOGUE as ACCENTS
from tempik.check.landing import check_reel
from tempik.derive import DERIVED
from tempik.edit.accents import keys, lanes, painting
from tempik.edit.clips import layers, masks, nests, pieces, pins, place, repeats, split_picture, trim
from tempik.edit.clips.slots import clip_of
from tempik.edit.footage import cues, facts
from tempik.edit.grading import grades
from tempik.edit.grading.grades import Where
from tempik.edit.reel import with_settings
from tempik.edit.reframe import reframed
from tempik.edit.ruled import with_limit, with_muted, with_rule, with_solo
from tempik.edit.song import arranging, points, stretches
from tempik.edit.sounds import clips as sound_clips
from tempik.edit.sounds import lanes as sound_lanes
from tempik.edit.sounds import mixing
from tempik.edit.speed import direction, speed
from tempik.edit.titles import with_named_points, with_title, with_title_fields, with_words_on_points
from tempik.edit.transitions import laying
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.reel import Edge, Framing, Position, Reel, Title
from tempik.reel.lanes import Limit, Rule
from tempik.reel.nests import all_clips
from tempik.reel.validate import problems
from tempik.retime.shapes import READY
from tempik.timeline.timeline import Timeline
from tempik.transitions import CATALOGUE as JOINS
from tempik.transitions import new_transition


class Pick:
    """What an edit is given: anything that a reel has, and now and then something that it has not."""

    def __init__(self, data: st.DataObject, reel: Reel) -> None:
        self._data, self.reel, self.timeline = data, reel, Timeline(reel)

    def one(self, *of: object) -> object:
        return self._data.draw(st.sampled_from(of))

    def whole(self, low: int, high: int) -> int:
        return self._data.draw(st.integers(low, high))

    def number(self, low: float, high: float) -> float:
        return self._data.draw(st.integers(0, 20)) / 20 * (high - low) + low

    def yes(self) -> bool:
        return self._data.draw(st.booleans())

    def _of(self, ids: list[str]) -> str:
        return self._data.draw(st.sampled_from([*ids, *ids, "gone"]))

    @property
    def clip(self) -> str:
        return self._of([c.id for c in self.reel.clips])

    @property
    def clips(self) -> list[str]:
        return sorted({self.clip for _ in range(self.whole(1, 3))})

    @property
    def footage(self) -> str:
        return self._of([f.id for f in self.reel.footage])

    @property
    def point(self) -> str:
        return self._of([p.id for p in self.timeline.on_reel()[:12]] or ["gone"])

    @property
    def row(self) -> str:
        return self._of([*(r.id for r in self.reel.accent_lanes), *(r.id for r in self.reel.sound_lanes)] or ["gone"])

    @property
    def accent_lane(self) -> str:
        return self._of([r.id for r in self.reel.accent_lanes] or ["gone"])

    @property
    def sound_clip(self) -> str:
        return self._of([c.id for c in self.reel.sound_clips] or ["gone"])

    @property
    def frame(self) -> int:
        return self.whole(-3, self.timeline.frames + 3)

    @property
    def track(self) -> int:
        return self.whole(0, len(self.reel.tracks) - 1)

    @property
    def cue(self) -> tuple[str, str]:
        """A clip and a cue of its footage."""
        name = self.clip
        placed = self.timeline.placed_clip(name)
        return name, self._of([c.id for c in placed.footage.cues] if placed is not None else ["gone"])

    @property
    def edge(self) -> Edge:
        point = self.timeline.point(self.point)
        return Edge(self.number(0, 10)) if point is None else Edge(self.timeline.reel_s(point), point.id)

    @property
    def cut(self) -> list[laying.TransitionPlace]:
        return [laying.TransitionPlace(name, self.yes()) for name in self.clips]

    @property
    def rule(self) -> Rule:
        of = self.one("points", "bars", "onsets", "drops", "cuts", "starts", "ends", "pins", "frames")
        return Rule(str(of), every=self.whole(1, 5), offset=self.whole(0, 3))

    @property
    def where(self) -> Where:
        return Where("clips", tuple(self.clips)) if self.yes() else Where("reel")


def _first(made: tuple[Reel, object]) -> Reel:
    return made[0]


EDITS: dict[str, Callable[[Pick], Reel]] = {
    # Cutting and placing
    "split": lambda p: trim.with_split(p.reel, [p.frame, p.frame], p.clips if p.yes() else None),
    "split at points": lambda p: trim.with_split_at_points(p.reel, p.clips if p.yes() else None, p.whole(1, 4)),
    "before": lambda p: trim.without_before(p.reel, p.clip, p.frame, p.yes()),
    "after": lambda p: trim.without_after(p.reel, p.clip, p.frame, p.yes()),
    "take out": lambda p: trim.without_clips(p.reel, p.clips, p.yes()),
    "run on": lambda p: place.without_clip(p.reel, p.clip),
    "length": lambda p: trim.with_length(p.reel, p.clips, p.whole(1, 90), p.yes()),
    "beats": lambda p: trim.with_beats(p.reel, p.clips, p.whole(1, 9), p.yes()),
    "edge": lambda p: trim.with_moved_edge(p.reel, p.clip, "start" if p.yes() else "end", p.frame, p.yes()),
    "roll": lambda p: trim.with_rolled_cut(p.reel, p.clip, p.clip, p.frame),
    "slide": lambda p: trim.with_slid(p.reel, p.clip, p.whole(-40, 40)),
    "slip": lambda p: trim.with_slipped(p.reel, p.clips, p.number(-2, 2)),
    "fill": lambda p: place.filled(
        p.reel, [p.footage, p.footage], p.one("given", "shuffled", "strongest"), p.whole(0, 9), p.whole(1, 4), p.track  # type: ignore[arg-type]
    ),
    "on a point": lambda p: place.with_clip_on_point(p.reel, p.footage, None, p.point, p.track),
    "lay": lambda p: place.with_clip_at(
        p.reel, p.footage, p.frame, p.track, p.one("insert", "over"), p.number(0, 4), p.whole(0, 90)  # type: ignore[arg-type]
    ),
    "swap": lambda p: place.with_swapped_footage(p.reel, p.clips, p.footage),
    "solid": lambda p: place.with_solid(p.reel, p.frame, p.whole(1, 60), "#204060", p.track, p.yes()),
    "freeze": lambda p: place.with_freeze(p.reel, p.clip, p.frame, p.whole(1, 60), p.yes()),
    "add a track": lambda p: place.with_new_track(p.reel),
    "drop a track": lambda p: place.without_track(p.reel, p.track),
    "hide a track": lambda p: place.with_track(p.reel, p.track, hidden=p.yes()),
    "other track": lambda p: place.on_other_track(p.reel, p.clips, p.whole(-1, 1)),
    "move": lambda p: place.moved_to(p.reel, p.clips, p.whole(-90, 90), p.whole(-1, 1)),
    "paste": lambda p: _first(pieces.pasted(p.reel, pieces.copied(p.reel, p.clips), p.frame, p.yes(), p.track)),
    "duplicate": lambda p: _first(pieces.duplicated_at_next_point(p.reel, p.clips)),
    "repeat": lambda p: pieces.repeated(p.reel, p.clip, p.whole(1, 4)),
    "overlap": lambda p: pieces.overlapped(p.reel, p.clips, p.whole(1, 30)),
    "stagger": lambda p: pieces.staggered(p.reel, p.clips, p.whole(1, 30)),
    "group": lambda p: pieces.grouped(p.reel, p.clips),
    "ungroup": lambda p: pieces.ungrouped(p.reel, p.clips),
    "frame": lambda p: pieces.with_framing(
        p.reel, p.clips, Framing(str(p.one("cover", "contain", "stretch")), Position(p.number(0.5, 3), p.number(-1, 1)))  # type: ignore[arg-type]
    ),
    "attributes": lambda p: pieces.with_attributes(p.reel, clip_of(p.reel, p.clip), p.clips),
    "split picture": lambda p: split_picture.with_split_picture(p.reel, p.clips, str(p.one("strips", "rows", "tiles")), 0.02),
    "nest": lambda p: _first(nests.with_nest(p.reel, p.clips)),
    "open a nest": lambda p: nests.with_nest_open(p.reel, p.clip),
    "close a nest": lambda p: nests.with_nest_closed(p.reel),
    "flatten": lambda p: _first(nests.flattened(p.reel, p.clip)),
    "lay again": lambda p: repeats.with_repeat(p.reel, p.clips, p.rule if p.yes() else None),
    # Cues and pins
    "cue": lambda p: cues.with_cue(p.reel, p.footage, p.number(0, 6)),
    "pin": lambda p: pins.with_pin(p.reel, *p.cue, p.point, p.yes()),
    "cue here": lambda p: pins.with_clip_cue_here(p.reel, p.clip, p.frame, p.point, p.yes()),
    "pins along": lambda p: pins.with_pins_moved(p.reel, p.clips, p.whole(-2, 2)),
    "unpin": lambda p: pins.without_pins(p.reel, p.clips),
    "read rate": lambda p: facts.with_read_rate(p.reel, p.footage, p.one(None, Fraction(24), Fraction(120))),  # type: ignore[arg-type]
    "drop footage": lambda p: facts.without_footage(p.reel, p.footage, p.yes()),
    # Speed
    "one speed": lambda p: speed.with_constant(
        p.reel, p.clips, p.number(-3, 3), p.one("source", "slot", "speed")  # type: ignore[arg-type]
    ),
    "slot": lambda p: speed.with_slot_frames(p.reel, p.clips, p.whole(1, 90), p.one("source", "slot", "speed")),  # type: ignore[arg-type]
    "used": lambda p: speed.with_source_used(p.reel, p.clip, p.number(0.05, 4), p.one("slot", "speed")),  # type: ignore[arg-type]
    "reverse": lambda p: speed.with_reversed(p.reel, p.clip),
    "shape": lambda p: speed.with_shape(
        p.reel, p.clips, p.one(*READY), p.number(0, 2), p.one("clip", "pin", "point", "every"), p.whole(1, 3), p.frame  # type: ignore[arg-type]
    ),
    "stretch": lambda p: speed.with_stretch_speed(p.reel, p.clip, p.frame, p.frame, p.number(-2, 4), p.whole(0, 9)),
    "hold": lambda p: speed.with_hold(p.reel, p.clip, p.frame, p.whole(1, 40)),
    "beyond": lambda p: speed.with_beyond(p.reel, p.clips, p.one("hold", "loop")),  # type: ignore[arg-type]
    "between": lambda p: speed.with_between(p.reel, p.clips, p.one(None, "nearest", "blend", "flow")),  # type: ignore[arg-type]
    "there and back": lambda p: direction.with_there_and_back(p.reel, p.clip, p.frame),
    "rewind": lambda p: direction.with_rewind(p.reel, p.clip, p.frame, p.frame, p.number(0.2, 4), p.yes()),
    "see-saw": lambda p: direction.with_see_saw(p.reel, p.clip, **{str(p.one("pieces", "frames", "points")): p.whole(1, 9)}),
    "swing": lambda p: direction.with_swing(p.reel, p.clips if p.yes() else ()),
    # Accents
    "accent": lambda p: lanes.with_lane(p.reel, str(p.one(*list(ACCENTS)[::5])), p.whole(0, 4)),
    "other accent": lambda p: lanes.with_other_accent(p.reel, p.accent_lane, str(p.one(*list(ACCENTS)[::7]))),
    "drop accent": lambda p: lanes.without_lane(p.reel, p.accent_lane),
    "amount": lambda p: lanes.with_amount(p.reel, p.accent_lane, p.number(0, 2)),
    "rule": lambda p: with_rule(p.reel, p.row, p.rule),
    "limit": lambda p: with_limit(p.reel, p.row, Limit(tuple(p.clips))),
    "mute": lambda p: with_muted(p.reel, p.row, p.yes()),
    "solo": lambda p: with_solo(p.reel, p.row, p.yes()),
    "shift lane": lambda p: painting.with_lane_shifted(p.reel, p.row, p.whole(-2, 2)),
    "by lot": lambda p: painting.with_random(p.reel, p.row, p.whole(0, 99)),
    "copy bar": lambda p: painting.with_bar_copied(p.reel, p.row, p.whole(1, 5)),
    "paint": lambda p: painting.with_painted(p.reel, p.row, p.point, p.number(0, 2)),
    "key a lane": lambda p: keys.with_key(p.reel, p.accent_lane, "level", p.frame, p.number(0, 1), within=p.whole(0, 2)),
    # Transitions, layers, titles, grades
    "transition": lambda p: laying.laid(p.reel, p.cut, new_transition(str(p.one(*JOINS)))),
    "transition's length": lambda p: laying.with_length(p.reel, p.cut if p.yes() else None, p.whole(1, 60)),
    "transition's sides": lambda p: laying.with_sides(p.reel, p.cut[0], p.whole(0, 20), p.whole(0, 20)),
    "no transitions": lambda p: laying.without_transitions(p.reel, p.cut if p.yes() else None),
    "opacity": lambda p: layers.with_opacity(p.reel, p.clips, p.number(0, 1), p.frame if p.yes() else None),
    "key a clip": lambda p: layers.with_clip_key(p.reel, p.clip, str(p.one("opacity", "zoom", "x", "grade")), p.frame, p.number(0, 1)),
    "unkey a clip": lambda p: layers.without_clip_key(p.reel, p.clip, ["opacity", "zoom", "x", "grade", "word"], p.frame),
    "fade": lambda p: layers.with_fade(p.reel, p.clips, p.yes(), p.whole(1, 60)),
    "mask": lambda p: _first(masks.with_mask(p.reel, p.clip, str(p.one("ellipse", "rectangle")))),
    "adjust": lambda p: _first(masks.with_adjust(p.reel, p.frame, p.whole(1, 90))),
    "title": lambda p: _first(with_title(p.reel, Title("hot iron, cold water"), p.frame, p.whole(1, 120))),
    "words": lambda p: with_words_on_points(p.reel, p.clips, p.yes()),
    "text": lambda p: with_title_fields(p.reel, p.clips, text="strike", size=p.number(0.05, 0.4)),
    "named": lambda p: _first(with_named_points(p.reel)),
    "grade": lambda p: grades.with_grade_fields(p.reel, p.where, exposure=p.number(-2, 2), saturation=p.number(0, 2)),
    "key a grade": lambda p: grades.with_amount_key(p.reel, p.where, p.frame, p.number(0, 1.5)),
    "unkey a grade": lambda p: grades.without_amount_key(p.reel, p.where, p.frame),
    # The song and its points
    "nudge": lambda p: points.nudged(p.reel, [p.point], p.number(-0.2, 0.2)),
    "place a point": lambda p: points.with_point(p.reel, p.number(0, 16)),
    "take points": lambda p: points.without_points(p.reel, [p.point, p.point]),
    "name a point": lambda p: points.with_name(p.reel, p.point, "anvil"),
    "lock": lambda p: points.with_locked(p.reel, [p.point], p.yes()),
    "pace": lambda p: points.with_pace(p.reel, p.one(Fraction(1, 2), Fraction(2))),  # type: ignore[arg-type]
    "half a beat": lambda p: points.with_half_a_beat(p.reel),
    "bar here": lambda p: points.with_one(p.reel, p.point),
    "metre": lambda p: points.with_metre(p.reel, p.whole(2, 7)),
    "anchor": lambda p: points.with_anchor(p.reel, p.point),
    "as found": lambda p: points.with_all_back(p.reel),
    "without bars": lambda p: arranging.without_bars(p.reel, *sorted((p.number(0, 16), p.number(0, 16)))),
    "bars again": lambda p: arranging.with_bars_again(p.reel, *sorted((p.number(0, 16), p.number(0, 16)))),
    "whole song": lambda p: arranging.with_whole_song(p.reel),
    "another stretch": lambda p: stretches.with_stretch(p.reel, p.number(0, 8), p.number(2, 12)),
    # Sound
    "sound lane": lambda p: sound_lanes.with_sound_lane(p.reel, [str(p.one("tick", "boom", "whoosh"))], p.rule),
    "sound track": lambda p: sound_clips.with_sound_track(p.reel),
    "sound": lambda p: sound_clips.with_sound_clip(p.reel, str(p.one("boom", "riser")), p.edge),
    "move a sound": lambda p: sound_clips.with_clip_moved(p.reel, p.sound_clip, p.edge),
    "cut a sound": lambda p: sound_clips.with_clip_split(p.reel, p.sound_clip, p.number(0, 10)),
    "trim a sound": lambda p: sound_clips.with_end_trimmed(p.reel, p.sound_clip, p.number(0, 10)),
    "mix": lambda p: mixing.with_channel(p.reel, str(p.one("song", "clips")), gain_db=p.number(-20, 6), muted=p.yes()),
    # The frame
    "settings": lambda p: with_settings(p.reel, 180, 320, p.one(Fraction(24), Fraction(30), Fraction(60000, 1001))),  # type: ignore[arg-type]
    "reframe": lambda p: reframed(p.reel, *p.one((320, 180), (240, 240), (180, 320))),  # type: ignore[misc]
}  # fmt: skip


def assert_sound(reel: Reel, folder: Path) -> None:
    """Check what holds of every reel."""
    assert problems(reel) == []
    names = [c.id for c in all_clips(reel)]
    assert len(set(names)) == len(names)
    save_reel(reel, folder / "r.tempik")
    assert load_reel(folder / "r.tempik") == reel
    timeline = Timeline(reel)
    for row in timeline.own_tracks:
        assert all(0 <= p.first < p.end <= timeline.frames for p in row)
        assert all(a.end <= b.first for a, b in zip(row, row[1:], strict=False)), "one picture at a time on a track"
    for placed in timeline.placed:
        for edge, frame in ((placed.clip.start, placed.begin), (placed.clip.end, placed.until)):
            point = timeline.point(edge.point)
            assert point is None or timeline.frame_of_point(point) == frame, "an edge stands on its point"
        for tie in placed.ties:
            assert timeline.frame_of_point(tie.point) == tie.frame
            if placed.begin <= tie.frame < placed.until and not placed.message:
                shown = float(placed.map.source_at((tie.frame - placed.begin) / float(reel.rate)))
                assert shown == pytest.approx(tie.cue_s, abs=1e-4), "the cue's frame is on screen at its point"
    check_reel(timeline)


@settings(
    max_examples=examples(60),
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow, HealthCheck.data_too_large],
)
@given(data=st.data())
def test_whatever_is_done_a_reel_stays_sound(reel: Reel, tmp_path: Path, data: st.DataObject) -> None:
    for name in data.draw(st.lists(st.sampled_from(sorted(EDITS)), min_size=1, max_size=10)):
        try:
            reel = EDITS[name](Pick(data, reel))
        except TempikError as error:
            assert str(error).endswith(".") and "\n" not in str(error), f"{name} is refused in a sentence: {error}"
    assert_sound(reel, tmp_path)


@pytest.mark.slow
@pytest.mark.parametrize("name", sorted(EDITS))
def test_each_edit_is_had_or_refused(reel: Reel, tmp_path: Path, name: str) -> None:
    """By itself, with whatever it is given, it leaves a sound reel; undone and done again it is the same one."""

    @settings(max_examples=3, deadline=None, database=None, suppress_health_check=list(HealthCheck))
    @given(data=st.data())
    def tried(data: st.DataObject) -> None:
        try:
            made = EDITS[name](Pick(data, reel))
        except TempikError:
            return
        assert_sound(made, tmp_path)
        laid = [(p.clip, p.first, p.end, p.map.start_s) for p in Timeline(made).placed]
        Timeline(reel)
        assert [(p.clip, p.first, p.end, p.map.start_s) for p in Timeline(made).placed] == laid
        DERIVED.forget()
        assert [(p.clip, p.first, p.end, p.map.start_s) for p in Timeline(made).placed] == laid

    tried()


def test_a_locked_track_is_left_as_it_is(reel: Reel) -> None:
    locked = place.with_track(reel, 0, locked=True)
    assert locked.tracks[0].locked and replace(locked, tracks=reel.tracks) == reel
