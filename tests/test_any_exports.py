"""Whatever was done to a reel, the exported file holds what the window shows: each picture, each instant, each sound.

Reels are made by edits in any order. A picture is compared with the one that is made of that frame alone, out of turn, by a source
that has seen nothing before it: as the preview makes it where one jumps."""

from __future__ import annotations

import random
from fractions import Fraction
from pathlib import Path

import av
import numpy as np
import pytest
import soundfile
from hypothesis import HealthCheck, assume, given, settings
from hypothesis import strategies as st
from PIL import Image

from tempik.check import check_reel, check_rendered
from tempik.check.landing import Report
from tempik.deliver.order import SHAPES, Order, made, part_of_clips
from tempik.errors import TempikError
from tempik.formats import FORMATS
from tempik.media.picture import to_rgb
from tempik.project.file import load_reel, save_reel
from tempik.reel import Reel
from tempik.reel.nests import all_closed
from tempik.reel.validate import problems
from tempik.render import ExportSettings, PictureSource, export, plan
from tempik.render.sound import mix
from tempik.time import frame_of, parse_rate, time_of
from tempik.timeline.covering import gaps
from tempik.timeline.timeline import Timeline
from test_any_edits import EDITS, Pick

RATE = 48000
by_lot = settings(
    max_examples=8, deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture, HealthCheck.too_slow, HealthCheck.data_too_large],
)  # fmt: skip


def edited(reel: Reel, data: st.DataObject, most: int = 7) -> Timeline:
    """Return the timeline of a reel after some edits, as the window has it after saving and opening; one that can be exported."""
    for name in data.draw(st.lists(st.sampled_from(sorted(EDITS)), max_size=most)):
        try:
            reel = EDITS[name](Pick(data, reel))
        except TempikError:
            continue
    timeline = Timeline(all_closed(reel))
    assume(timeline.frames > 20 and timeline.placed)
    return timeline


def a_part(timeline: Timeline, data: st.DataObject, frames: int) -> tuple[range, tuple[float, float]]:
    """Return a stretch of the reel: its frames, and the seconds that ask for them."""
    first = data.draw(st.integers(0, max(0, timeline.frames - frames)))
    at = range(first, min(first + frames, timeline.frames))
    return at, (time_of(at.start, timeline.rate), time_of(at.stop, timeline.rate))


@pytest.mark.slow
@by_lot
@given(data=st.data(), dice=st.integers(0, 1000))
def test_each_picture_in_the_file_is_the_one_that_is_shown(
    reel: Reel, tmp_path_factory: pytest.TempPathFactory, data: st.DataObject, dice: int
) -> None:
    timeline = edited(reel, data)
    frames, part = a_part(timeline, data, 9)
    folder = tmp_path_factory.mktemp("pictures") / "o"
    export(timeline, folder, ExportSettings((90, 160), format="png", part=part))
    files = sorted(folder.iterdir())
    assert len(files) == len(frames)
    order = list(zip(frames, files, strict=True))
    random.Random(dice).shuffle(order)
    for number, file in order[:4]:
        with PictureSource() as source:
            meant = to_rgb(source.render(plan(timeline, number, 90, 160)))
        assert np.array_equal(np.asarray(Image.open(file)), meant), f"frame {number}"


@pytest.mark.explore
@by_lot
@given(
    data=st.data(), kind=st.sampled_from([k for k in FORMATS if k.kind == "film" and k.key in ("h264", "prores422")])
)
def test_each_frame_of_the_file_has_its_instant_and_every_event_lands(
    reel: Reel, tmp_path_factory: pytest.TempPathFactory, data: st.DataObject, kind: object
) -> None:
    timeline = edited(reel, data, 5)
    frames, part = a_part(timeline, data, 45)
    path = tmp_path_factory.mktemp("films") / f"o{kind.suffixes[0]}"  # type: ignore[attr-defined]
    done = export(timeline, path, ExportSettings((90, 160), "high", kind.key, part=part))  # type: ignore[attr-defined]
    with av.open(str(path)) as film:
        times = [Fraction(f.pts) * f.time_base for f in film.decode(video=0) if f.pts is not None and f.time_base]
    assert [t * timeline.rate for t in times] == list(range(len(frames))), "evenly, from 0, none missing"
    with av.open(str(path)) as film:
        heard = sum(f.samples for f in film.decode(audio=0)) / RATE
    assert heard == pytest.approx(part[1] - part[0], abs=0.1)
    assert [n for n in done.notes if "black there" in n] == said_gaps(timeline, frames)
    report = check_rendered(timeline, path, part)
    assert not_landing(report, part) == not_landing(check_reel(timeline), part), "no worse in the file than as planned"
    assert report.sound_offset_ms == pytest.approx(0, abs=1)


def said_gaps(timeline: Timeline, frames: range) -> list[str]:
    return [
        f"No clip covers {time_of(a, timeline.rate):.2f} to {time_of(b, timeline.rate):.2f} s: black there."
        for a, b in gaps(timeline)
        if a < frames.stop and b > frames.start
    ]


def not_landing(report: Report, part: tuple[float, float]) -> list[tuple[object, ...]]:
    inside = [e for e in report.events if part[0] - 1e-6 <= e.time_s < part[1] - 1e-6]
    return [(e.kind, e.frame, e.lane, e.part) for e in inside if e.tied and not e.ok]


@pytest.mark.explore
@by_lot
@given(data=st.data())
def test_the_sound_of_a_part_is_that_of_the_whole(
    reel: Reel, tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    timeline = edited(reel, data)
    frames, part = a_part(timeline, data, 40)
    path = tmp_path_factory.mktemp("sounds") / "o.wav"
    export(timeline, path, ExportSettings(part=part, reel_level=True))
    heard, rate = soundfile.read(path, dtype="float32")
    whole = mix(timeline).samples
    first, end = (round(time_of(n, timeline.rate) * RATE) for n in (frames.start, frames.stop))
    assert rate == RATE and len(heard) == end - first
    # 24 bits are 2⁻²³ apart.
    assert np.abs(heard - whole[first:end]).max(initial=0.0) <= 2**-22
    assert np.abs(whole).max(initial=0.0) <= 10 ** (timeline.reel.mix.ceiling_db / 20) + 1e-4


@pytest.mark.slow
@by_lot
@given(data=st.data())
def test_a_saved_project_is_exported_as_the_one_in_the_window(
    reel: Reel, tmp_path_factory: pytest.TempPathFactory, data: st.DataObject
) -> None:
    """The export is a process of its own, that reads what was saved: another machine, another day."""
    timeline = edited(reel, data)
    folder = tmp_path_factory.mktemp("saved")
    save_reel(timeline.reel, folder / "r.tempik")
    again = Timeline(load_reel(folder / "r.tempik"))
    for number in data.draw(st.lists(st.integers(0, timeline.frames - 1), min_size=3, max_size=3)):
        here, there = plan(timeline, number, 90, 160), plan(again, number, 90, 160)
        with PictureSource() as source, PictureSource() as other:
            assert np.array_equal(to_rgb(source.render(here)), to_rgb(other.render(there)))


@by_lot
@given(data=st.data(), rate=st.sampled_from(["24", "25", "29.97", "50"]), shape=st.sampled_from(sorted(SHAPES)))
def test_at_another_rate_and_in_another_shape_every_event_is_within_half_a_frame_of_its_point(
    reel: Reel, tmp_path: Path, data: st.DataObject, rate: str, shape: str
) -> None:
    timeline = edited(reel, data, 5)
    (result,) = made(timeline.reel, Order(rate=rate, shapes=(shape,), short_px=90), tmp_path / "o")
    other = Timeline(result.reel)
    assert other.rate == parse_rate(rate) and abs(other.frames - timeline.reel.length_s * float(other.rate)) <= 1
    assert problems(result.reel) == [] and min(result.settings.size or ()) == 90
    landed = [e for e in check_reel(other).events if e.ok and e.tied]
    assert all(abs(e.error_ms) <= 500 / float(other.rate) + 0.01 for e in landed)
    assert len(landed) >= 0.8 * sum(e.ok and e.tied for e in check_reel(timeline).events)


@by_lot
@given(data=st.data())
def test_the_part_of_chosen_clips_holds_all_of_them(reel: Reel, data: st.DataObject) -> None:
    timeline = edited(reel, data)
    names = data.draw(st.sets(st.sampled_from([p.clip.id for p in timeline.placed]), min_size=1, max_size=3))
    chosen = [p for p in timeline.placed if p.clip.id in names]
    a, b = (frame_of(s, timeline.rate) for s in part_of_clips(timeline.reel, sorted(names)))
    assert (a, b) == (min(p.first for p in chosen), max(p.end for p in chosen))
