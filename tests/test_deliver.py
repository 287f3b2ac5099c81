"""Orders, frames of other shapes, what an export comes to, the queue, and all of it from the command line."""

import json
import os
import signal
import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from tempik.check import check_rendered
from tempik.cli.main import main
from tempik.deliver import presets, queue
from tempik.deliver.expected import expected, stretches
from tempik.deliver.order import SHAPES, Order, OrderedFile, fitting, made, part_of_clips, size_in, target_in
from tempik.deliver.run import deliver, measured
from tempik.edit.reframe import reframed
from tempik.errors import TempikError
from tempik.media import probe
from tempik.project.file import save_reel
from tempik.reel import Clip, Edge, Footage, Framing, Key, Nest, Position, Reel, Title
from tempik.timeline.framing import covers, frame_matrix
from tempik.timeline.timeline import Timeline, timeline_of
from tempik.titles.layout import laid_out

WIDE = Footage("f1", "/w.mp4", 1920, 1080, Fraction(30), 20.0)
TALL = Footage("f2", "/t.mp4", 1080, 1920, Fraction(30), 20.0)


def a_reel(*clips: Clip, footage: tuple[Footage, ...] = (WIDE, TALL)) -> Reel:
    return Reel(length_s=10.0, footage=footage, clips=clips)


def a_clip(of: Footage, at: Position = Position(), **fields: object) -> Clip:
    framing = fields.pop("framing", Framing(start=at))
    return Clip("c1", of.id, Edge(0.0), Edge(10.0), framing=framing, **fields)  # type: ignore[arg-type]


def middle(reel: Reel, clip: Clip, footage: Footage) -> np.ndarray:
    """The place of the picture that is in the middle of the frame, in shares of it."""
    matrix = frame_matrix(clip.framing, footage, reel.width, reel.height)
    return (np.linalg.inv(matrix) @ [reel.width / 2, reel.height / 2, 1])[:2]


# Frames of other shapes


@settings(max_examples=examples(200), deadline=None)
@given(
    footage=st.sampled_from([WIDE, TALL]),
    into=st.sampled_from([(1080, 1080), (1080, 1350), (1920, 1080), (720, 1280), (1080, 1920)]),
    zoom=st.floats(1.0, 3.0),
    x=st.floats(-0.6, 0.6),
    y=st.floats(-0.6, 0.6),
    turn=st.sampled_from([0.0, 0.0, 7.0]),
)
def test_what_was_in_the_middle_stays_there_as_far_as_the_picture_reaches(
    footage: Footage, into: tuple[int, int], zoom: float, x: float, y: float, turn: float
) -> None:
    before = a_reel(a_clip(footage, Position(zoom, x, y, turn)))
    after = reframed(before, *into)
    was, now = before.clips[0], after.clips[0]
    place_was, place_now = middle(before, was, footage), middle(after, now, footage)
    if not covers(was.framing, footage, before):
        assert place_now == pytest.approx(place_was, abs=1e-6)
        return
    assert covers(now.framing, footage, after)
    # Where the wanted place would have left the frame bare, the picture stands as near to it as its edges let it.
    wanted = replace(now.framing, start=replace(now.framing.start, **_shift(after, now, footage, place_was)))
    if turn == 0 and covers(wanted, footage, after):
        assert place_now == pytest.approx(place_was, abs=1e-4)


def _shift(reel: Reel, clip: Clip, footage: Footage, place: np.ndarray) -> dict[str, float]:
    """How far a picture must stand from the middle for a place of it to be there; of one that is not turned."""
    matrix = frame_matrix(
        replace(clip.framing, start=replace(clip.framing.start, x=0, y=0)), footage, reel.width, reel.height
    )
    seen = matrix @ [*place, 1]
    return {"x": 0.5 - seen[0] / reel.width, "y": 0.5 - seen[1] / reel.height}


def test_the_same_shape_in_another_size_changes_nothing_else() -> None:
    reel = a_reel(a_clip(WIDE, Position(1.4, 0.2, -0.1)))
    assert reframed(reel, 720, 1280) == replace(reel, width=720, height=1280)


def test_a_move_is_led_at_both_ends_and_keys_at_each() -> None:
    moving = Framing(start=Position(1.2, 0.3, 0), end=Position(1.6, -0.3, 0.05))
    after = reframed(a_reel(a_clip(WIDE, framing=moving)), 1080, 1080).clips[0].framing
    assert after.end is not None and after.start.x > 0 > after.end.x
    keyed = a_clip(WIDE, keys={"x": (Key(0.0, 0.4), Key(5.0, -0.4))})
    led = reframed(a_reel(keyed), 1080, 1080).clips[0].keys["x"]
    # The picture is 16/9 of a square frame's width: at most 0.389 to either side, where upright it had 1.08.
    assert [round(k.value, 3) for k in led] == [0.225, -0.225]
    assert [k.time_s for k in led] == [0.0, 5.0]


def test_clips_inside_a_nest_are_led_too() -> None:
    inside = Nest(Edge(0.0), Edge(10.0), (replace(a_clip(WIDE, Position(1.0, 0.5, 0)), id="c9"),))
    nest = Footage("n1", "nest", 1080, 1920, Fraction(30), 10.0, kind="nest", nest=inside)
    reel = a_reel(Clip("c1", "n1", Edge(0.0), Edge(10.0)), footage=(WIDE, nest))
    after = reframed(reel, 1080, 1080)
    held = after.footage[1].nest
    assert held is not None and held.clips[0].framing.start.x == pytest.approx(
        0.5 * (16 / 9) / (16 / 9 * 16 / 9), abs=1e-3
    )


@settings(max_examples=examples(60), deadline=None)
@given(
    into=st.sampled_from([(1080, 1080), (1080, 1350), (1920, 1080)]),
    size=st.floats(0.05, 0.2),
    y=st.floats(-0.4, 0.4),
    lines=st.integers(1, 5),
)
def test_a_title_that_was_inside_the_frame_is_inside_every_other(
    into: tuple[int, int], size: float, y: float, lines: int
) -> None:
    words = Footage("t1", "", 1080, 1920, Fraction(30), 10.0, kind="title")
    title = Title(text="\n".join(["open day"] * lines), size=size)
    before = a_reel(a_clip(words, Position(1.0, 0.0, y), title=title), footage=(words,))
    after = reframed(before, *into)
    half = [_half(c.title or title, r) for c, r in ((before.clips[0], before), (after.clips[0], after))]
    at = after.clips[0].framing.start
    if abs(y) + half[0][1] <= 0.5 and half[0][0] <= 0.5:
        assert abs(at.x) + half[1][0] <= 0.5 + 1e-6 and abs(at.y) + half[1][1] <= 0.5 + 1e-6
    assert laid_out(after.clips[0].title or title).lines == laid_out(title).lines


def _half(title: Title, reel: Reel) -> tuple[float, float]:
    block = laid_out(title)
    return block.width * title.size / 2, block.height * title.size * reel.width / reel.height / 2


# Orders


@pytest.mark.film
def test_an_order_of_three_frames_is_three_files_of_their_sizes(reel: Reel, tmp_path: Path) -> None:
    order = Order(shapes=("upright", "square", "wide"), short_px=90, quality="draft", measure=True, part=(1.0, 3.0))
    files = made(reel, order, tmp_path / "open day.mp4")
    assert [f.target.name for f in files] == ["open day-upright.mp4", "open day-square.mp4", "open day-wide.mp4"]
    for each, size in zip(files, [(90, 160), (90, 90), (160, 90)], strict=True):
        done = deliver(each, measure=True)
        facts = probe(str(each.target))
        assert (facts.width, facts.height) == size
        assert done.measured and done.report.ok and "measured in the file" in done.text
        # Measured from the reel itself, the frame is told from the file.
        assert measured(reel, each.target, (1.0, 3.0)).ok


def test_sizes_go_by_the_shorter_side_and_are_even() -> None:
    reel = Reel(width=1080, height=1920)
    assert size_in(reel, Order(short_px=720), "reel") == (720, 1280)
    assert size_in(reel, Order(short_px=1080), "portrait") == (1080, 1350)
    assert size_in(reel, Order(short_px=2160), "wide") == (3840, 2160)
    assert size_in(reel, Order(short_px=541), "square") == (540, 540)
    assert size_in(reel, Order(size=(300, 500)), "wide") == (300, 500)


def test_another_rate_is_worked_out_again_from_the_points(reel: Reel, tmp_path: Path) -> None:
    (one,) = made(reel, Order(rate="50", quality="draft", part=(1.0, 3.0)), tmp_path / "o.mp4")
    assert deliver(one, measure=True).report.ok and probe(str(one.target)).rate == 50


def test_an_order_that_makes_no_sense_is_refused(reel: Reel, tmp_path: Path) -> None:
    for order, sentence in (
        (Order(shapes=("round",)), "There is no frame shape 'round'; choose from reel, upright"),
        (Order(shapes=()), "needs a frame shape"),
        (Order(format="avi"), "There is no format 'avi'"),
        (Order(quality="best"), "There is no quality 'best'"),
        (Order(rate="0"), "out of range"),
    ):
        with pytest.raises(TempikError, match=sentence):
            made(reel, order, tmp_path / "o.mp4")


def test_an_order_loses_what_its_format_has_no_use_for() -> None:
    full = Order(shapes=("square", "wide"), limit_mb=5, hardware=True, clear=True, measure=True)
    assert fitting(replace(full, format="wav")) == Order(format="wav")
    assert fitting(replace(full, format="gif")).limit_mb is None and not fitting(replace(full, format="gif")).measure
    assert fitting(replace(full, format="prores4444")).clear and not fitting(replace(full, format="h264")).clear


def test_the_part_of_clips_goes_from_the_first_to_the_end_of_the_last(reel: Reel) -> None:
    timeline = timeline_of(reel)
    a, b = timeline.placed[1], timeline.placed[2]
    assert part_of_clips(reel, [b.clip.id, a.clip.id]) == (a.first / 30, b.end / 30)
    with pytest.raises(TempikError, match="There is no clip 'c99'"):
        part_of_clips(reel, ["c99"])


# What it comes to


@pytest.mark.film
@pytest.mark.parametrize("key", ["h264", "prores422", "png", "wav"])
def test_what_an_export_comes_to_is_told_before(reel: Reel, key: str, tmp_path: Path) -> None:
    order = Order(format=key)
    (one,) = made(reel, order, target_in(tmp_path / "o", order, "reel"))
    told = expected(one)
    done = deliver(one, measure=False).done
    assert 0.6 < told.size_bytes / done.size_bytes < 1.7, (told, done.size_bytes)
    assert (
        told.seconds > 0
        and told.text.startswith("about ")
        and [p.name for p in tmp_path.iterdir()] == [one.target.name]
    )


def test_stretches_that_are_tried_are_spread_and_inside() -> None:
    for frames in (range(1), range(90), range(200), range(40, 4000)):
        parts = stretches(frames)
        assert all(p.start >= frames.start and p.stop <= frames.stop and len(p) for p in parts)
        assert all(a.stop <= b.start for a, b in zip(parts, parts[1:], strict=False))


# Presets and what was ordered last


def test_presets_are_whole_and_ones_own_are_kept(reel: Reel, tmp_path: Path) -> None:
    for order in presets.PRESETS:
        assert fitting(replace(order, name="")) == replace(order, name="") and made(reel, order, tmp_path / "x")
    mine = presets.keep_preset(Order(format="vp9", part=(1, 2), limit_mb=3), "For the blog")
    assert mine.part is None and presets.preset_named("For the blog") == mine and presets.own_presets() == [mine]
    presets.keep_preset(Order(format="av1"), "For the blog")
    assert [o.format for o in presets.own_presets()] == ["av1"]
    with pytest.raises(TempikError, match="comes with Tempik"):
        presets.keep_preset(Order(), "To publish")
    with pytest.raises(TempikError, match="has 1 to 40 letters"):
        presets.keep_preset(Order(), "  ")
    presets.forget_preset("For the blog")
    assert presets.own_presets() == []
    with pytest.raises(TempikError, match="no preset of your own"):
        presets.forget_preset("For the blog")


def test_what_was_ordered_last_is_remembered_for_each_project(tmp_path: Path) -> None:
    a, b = tmp_path / "a.tempik", tmp_path / "b.tempik"
    presets.remember_order(a, Order(format="hevc"))
    presets.remember_order(b, Order(format="gif"))
    assert presets.last_order(a).format == "hevc" and presets.last_order(b).format == "gif"
    assert (
        presets.last_order(None) == presets.last_order(tmp_path / "new.tempik") == replace(presets.PRESETS[0], name="")
    )


def test_a_damaged_list_of_orders_is_as_none(tmp_path: Path) -> None:
    presets.remember_order(tmp_path / "a.tempik", Order(format="hevc"))
    presets._file().write_bytes(b"{]")
    assert presets.own_presets() == [] and presets.last_order(tmp_path / "a.tempik").format == "h264"


# The queue


def queued(reel: Reel, target: Path, **fields: object) -> queue.Item:
    (item,) = queue.add(reel, Order(quality="draft", part=(0.0, 1.0), **fields), target, "r")  # type: ignore[arg-type]
    return item


def test_the_queue_writes_the_reel_as_it_was_ordered(reel: Reel, tmp_path: Path) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    queued(reel, tmp_path / "o.mp4")
    save_reel(replace(reel, clips=()), tmp_path / "r.tempik")
    assert main(["queue", "run"]) == 0
    (item,) = queue.items()
    assert (
        item.state == "done" and item.size_bytes == (tmp_path / "o.mp4").stat().st_size and "on point" in item.message
    )
    assert check_rendered(timeline_of(reel), tmp_path / "o.mp4", (0.0, 1.0)).ok


def test_the_queue_is_in_order_and_can_be_put_in_another(reel: Reel, tmp_path: Path) -> None:
    a, b, c = (queued(reel, tmp_path / f"{n}.mp4") for n in "abc")
    queue.move(c.id, -1)
    assert [i.id for i in queue.items()] == [a.id, c.id, b.id]
    queue.move(a.id, 9)
    assert [i.id for i in queue.items()] == [c.id, b.id, a.id]
    queue.remove(b.id)
    assert [i.id for i in queue.items()] == [c.id, a.id]
    with pytest.raises(TempikError, match="no export 'nothing' in the queue"):
        queue.remove("nothing")
    with pytest.raises(TempikError, match="that waits"):
        queue.move(b.id, 1)


def test_an_export_that_fails_says_why_and_the_next_is_written(reel: Reel, tmp_path: Path) -> None:
    queued(reel, tmp_path / "gone" / "a.mp4")
    queued(reel, tmp_path / "b.mp4")
    assert main(["queue", "run"]) == 1
    first, second = queue.items()
    assert first.state == "failed" and "is not there; choose another place" in first.message and second.state == "done"


def test_what_is_being_written_by_another_is_left_alone(reel: Reel, tmp_path: Path) -> None:
    item = queued(reel, tmp_path / "a.mp4")
    with queue.claimed(item.id):
        queue.save(replace(item, state="running"))
        assert queue.items()[0].state == "running"
        with pytest.raises(TempikError, match="is being written; stop it first"):
            queue.remove(item.id)
        with pytest.raises(TempikError, match="by another Tempik"), queue.claimed(item.id):
            pass
    assert queue.items()[0].state == "waiting"  # whoever wrote it has gone


@pytest.mark.film
def test_a_killed_export_waits_again_and_leaves_no_half_file(reel: Reel, tmp_path: Path) -> None:
    (item,) = queue.add(reel, Order(quality="high", size=(720, 1280)), tmp_path / "a.mp4")
    run = subprocess.Popen(
        [sys.executable, "-m", "tempik.cli", "queue", "run", "--progress", "json"], stdout=subprocess.PIPE, text=True
    )
    assert run.stdout is not None and json.loads(run.stdout.readline())["done"] > 0
    run.kill()
    run.wait()
    assert queue.items()[0].state == "waiting" and not (tmp_path / "a.mp4").exists()
    queue.save(replace(item, order=replace(item.order, size=(90, 160), quality="draft")))
    assert main(["queue", "run"]) == 0
    assert [p.name for p in tmp_path.iterdir() if p.name.startswith((".a", "a"))] == ["a.mp4"]


@pytest.mark.film
def test_an_export_that_is_asked_to_stop_stops_and_says_so(reel: Reel, tmp_path: Path) -> None:
    queue.add(reel, Order(quality="high", size=(720, 1280)), tmp_path / "a.mp4")
    run = subprocess.Popen(
        [sys.executable, "-m", "tempik.cli", "queue", "run", "--progress", "json"], stdout=subprocess.PIPE, text=True
    )
    assert run.stdout is not None and run.stdout.readline()
    os.kill(run.pid, signal.SIGTERM)
    run.wait(60)
    assert (
        queue.items()[0].state == "stopped" and not list(tmp_path.glob("*.mp4")) and not list(tmp_path.glob(".*.part"))
    )


@pytest.mark.film
def test_an_export_ends_with_the_window_that_started_it(reel: Reel, tmp_path: Path) -> None:
    queue.add(reel, Order(quality="high", size=(720, 1280)), tmp_path / "a.mp4")
    run = subprocess.Popen(
        [sys.executable, "-m", "tempik.cli", "queue", "run", "--progress", "json", "--with-parent"],
        stdout=subprocess.PIPE, stdin=subprocess.PIPE, text=True,
    )  # fmt: skip
    assert run.stdout is not None and run.stdin is not None and run.stdout.readline()
    begun = time.monotonic()
    run.stdin.close()
    run.wait(60)
    assert time.monotonic() - begun < 30 and not (tmp_path / "a.mp4").exists()
    assert queue.items()[0].state == "waiting"  # nobody asked for its end: it is offered again


@pytest.mark.film
def test_a_paused_export_ends_too_when_the_window_is_killed(reel: Reel, tmp_path: Path) -> None:
    """It would have held its item and its half-written file for ever."""
    (item,) = queue.add(reel, Order(quality="high", size=(720, 1280)), tmp_path / "a.mp4")
    starter = (
        "import subprocess, sys; run = subprocess.Popen([sys.executable, '-m', 'tempik.cli', 'queue', 'run', '--progress', 'json',"
        " '--with-parent'], stdin=subprocess.PIPE, stdout=subprocess.PIPE, start_new_session=True, text=True);"
        "run.stdout.readline(); print(run.pid, flush=True); sys.stdin.read()"
    )
    window = subprocess.Popen(
        [sys.executable, "-c", starter], stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True
    )  # fmt: skip
    assert window.stdout is not None
    os.kill(int(window.stdout.readline()), signal.SIGSTOP)
    window.kill()
    window.wait()
    latest = time.monotonic() + 60
    while queue.is_claimed(item.id) and time.monotonic() < latest:
        time.sleep(0.05)
    assert not queue.is_claimed(item.id) and queue.items()[0].state == "waiting"
    assert not (tmp_path / "a.mp4").exists() and not list(tmp_path.glob(".*.part"))


def test_what_was_done_long_ago_leaves_the_queue(reel: Reel, tmp_path: Path) -> None:
    first = []
    for number in range(30):
        (item,) = queue.add(reel, Order(), tmp_path / f"{number}.mp4")
        state = "failed" if number == 0 else "done"
        queue.save(replace(item, state=state))  # type: ignore[arg-type]
        first.append(item.id)
    queue.add(reel, Order(), tmp_path / "last.mp4")
    there = [i.id for i in queue.items()]
    assert there[0] == first[0]  # what failed waits to be looked at
    assert there[1:-1] == first[-queue.KEPT_DONE :] and len(there) == queue.KEPT_DONE + 2
    assert len(list(queue.folder().iterdir())) == len(there)


def test_damaged_items_are_left_out(reel: Reel, tmp_path: Path) -> None:
    item = queued(reel, tmp_path / "a.mp4")
    other = queued(reel, tmp_path / "b.mp4")
    (queue.folder() / item.id / "item.json").write_bytes(b"\xff{")
    (queue.folder() / other.id / "reel.tempik").write_text("{}")
    assert [i.id for i in queue.items()] == [other.id]
    assert main(["queue", "run"]) == 1 and "is not a Tempik project" in queue.items()[0].message


# From the command line


@pytest.mark.film
def test_one_command_writes_three_shapes_measured(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    common = [
        "export",
        str(tmp_path / "r.tempik"),
        "-o",
        str(tmp_path / "o.webm"),
        "--short",
        "90",
        "--quality",
        "draft",
    ]
    assert main([*common, "--shape", "upright,wide", "--from", "1", "--to", "2.5", "--measure"]) == 0
    told = capsys.readouterr()
    assert told.out.split() == [str(tmp_path / "o-upright.webm"), str(tmp_path / "o-wide.webm")]
    assert told.err.count("measured in the file") == 2 and "encoder: libvpx-vp9" in told.err
    assert (
        main(
            [
                "check",
                str(tmp_path / "r.tempik"),
                "--rendered",
                str(tmp_path / "o-wide.webm"),
                "--from",
                "1",
                "--to",
                "2.5",
            ]
        )
        == 0
    )


@pytest.mark.slow
def test_expecting_and_queueing_write_nothing(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    common = ["export", str(tmp_path / "r.tempik"), "-o", str(tmp_path / "o.mp4")]
    assert main([*common, "--expect", "--clips", "c1,c2"]) == 0 and "about " in capsys.readouterr().out
    assert main([*common, "--queue", "--preset", "Upright, square and wide"]) == 0
    assert len(capsys.readouterr().out.splitlines()) == 3 and not list(tmp_path.glob("*.mp4"))
    assert main(["queue"]) == 0 and capsys.readouterr().out.count("waiting") == 3
    name = queue.items()[0].id
    assert main(["queue", "down", name]) == 0 and queue.items()[1].id == name
    assert main(["queue", "remove", name]) == 0 and len(queue.items()) == 2
    assert main(["queue", "up"]) == 2 and "Say which export" in capsys.readouterr().err


def test_bad_wishes_get_one_sentence(reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    common = ["export", str(tmp_path / "r.tempik"), "-o", str(tmp_path / "o.mp4")]
    for more, sentence in (
        (["--preset", "Nothing"], "There is no preset 'Nothing'"),
        (["--shape", "round"], "There is no frame shape 'round'"),
        (["--from", "5", "--to", "2"], "has no length"),
        (["--clips", "c1", "--from", "2"], "either --clips or --from"),
        (["--limit", "0.0001"], "raise the limit"),
        (["--format", "webp"], "is no name for Animated WebP"),
    ):
        assert main([*common, *more]) == 2
        told = capsys.readouterr().err
        assert sentence in told and told.count("\n") == 1, told
    assert not list(tmp_path.glob("o*"))


def test_the_list_of_formats_names_shapes_and_presets(capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["formats"]) == 0
    told = capsys.readouterr().out
    assert "prores4444" in told and "'To publish'" in told and all(shape in told for shape in SHAPES)


def test_a_file_that_is_no_film_of_the_reel_is_said(reel: Reel, media: Path, tmp_path: Path) -> None:
    with pytest.raises(TempikError, match="export the reel again"):
        measured(reel, media / "a.mp4")
    with pytest.raises(TempikError, match="has no pictures to measure"):
        measured(reel, media / "song.wav")
    assert isinstance(made(reel, Order(), tmp_path / "o.mp4")[0], OrderedFile) and Timeline(reel).frames == 300
