"""`tempik export`, `tempik queue` and `tempik formats`: one reel out, several in a row, and what there is."""

from __future__ import annotations

import argparse
import json
import os
import signal
import sys
import threading
import time
from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec

from tempik.cli.kinds import rate_of, size_of
from tempik.cli.options import Options, count, real, settled, together
from tempik.disk.reading import shortened
from tempik.errors import Missed, TempikError
from tempik.formats import FORMATS, format_of, qualities

if TYPE_CHECKING:
    from tempik.deliver.order import Order
    from tempik.deliver.queue import Item
    from tempik.deliver.run import Delivered
    from tempik.reel import Reel


# Whoever edits meanwhile comes first.
NICE = 5


def add_parsers(verbs: Any) -> None:
    """Add the verbs of delivery."""
    export = verbs.add_parser("export", help="write a reel as a file, in any format and shape")
    export.add_argument("project", type=Path)
    export.add_argument("-o", "--output", type=Path, required=True, metavar="OUT")
    export.add_argument("--preset", metavar="NAME", help="begin with an order that has a name; see tempik formats")
    export.add_argument(
        "--shape", metavar="NAME[,NAME…]", help="frames to make it in: reel, upright, portrait, square, wide"
    )
    export.add_argument("--size", type=size_of, metavar="WxH", help="a size in pixels, in place of shape and --short")
    export.add_argument("--short", type=count, metavar="PX", help="the frame's shorter side")
    export.add_argument("--rate", type=rate_of, metavar="R", help="frames a second")
    export.add_argument("--from", dest="start", type=real, metavar="SECONDS", help="begin there")
    export.add_argument("--to", dest="end", type=real, metavar="SECONDS", help="end there")
    export.add_argument("--clips", metavar="ID[,ID…]", help="from the first of these clips to the end of the last")
    export.add_argument("--format", choices=[f.key for f in FORMATS], help="by the file's name where it is not given")
    export.add_argument("--quality", choices=qualities())
    export.add_argument("--limit", type=real, metavar="MB", help="the largest size, in millions of bytes")
    export.add_argument("--at", type=real, metavar="SECONDS", help="the instant of a poster frame")
    for name, text in (
        ("hardware", "use an encoder on the graphics chip where one starts"),
        ("clear", "keep clear what no picture covers, where the format can"),
        ("sound", "write the sound too (the default)"),
        (
            "reel-level",
            "leave a part as loud as it is in the reel; else it is brought to the reel's loudness by itself",
        ),
        ("measure", "measure the file against its rhythm points when it is written"),
    ):
        export.add_argument(f"--{name}", action=argparse.BooleanOptionalAction, default=None, help=text)
    export.add_argument("--expect", action="store_true", help="say what it will come to, and write nothing")
    export.add_argument("--queue", action="store_true", help="put it in the queue, with the reel as it is now")
    export.add_argument("--progress", choices=("json",))

    queue = verbs.add_parser("queue", help="exports that wait: list, run, move, remove")
    queue.add_argument("do", nargs="?", choices=("list", "run", "up", "down", "remove", "clear"), default="list")
    queue.add_argument("item", nargs="?", metavar="ID")
    queue.add_argument("--progress", choices=("json",))
    queue.add_argument("--with-parent", action="store_true", help=argparse.SUPPRESS)

    verbs.add_parser("formats", help="list formats, presets and shapes")


def run_formats(options: argparse.Namespace) -> int:
    """List formats, frame shapes and presets. Raises TempikError with one sentence."""
    from tempik.deliver.order import SHAPES
    from tempik.deliver.presets import PRESETS, own_presets

    settled(options)
    for kind in FORMATS:
        endings = " ".join(s for s in kind.suffixes if s) or "a folder"
        print(f"{kind.key:11} {kind.name:15} {endings:16} {kind.purpose}")
    print("\npresets: " + ", ".join(f"'{o.name}'" for o in (*PRESETS, *own_presets())))
    print("shapes: " + ", ".join(SHAPES))
    return 0


def order_of(options: argparse.Namespace, reel: Reel) -> Order:
    """Return the order that options make. Raises TempikError where they name what there is not."""
    from tempik.deliver.order import Order
    from tempik.deliver.presets import preset_named

    order = preset_named(options.preset) if options.preset else Order()
    changed: dict[str, Any] = {"name": ""}
    if options.format or not options.preset:
        changed["format"] = format_of(options.output, options.format or "").key
    if options.shape:
        changed["shapes"] = tuple(dict.fromkeys(options.shape.split(",")))
    for field, value in (
        ("size", options.size), ("short_px", options.short), ("quality", options.quality), ("limit_mb", options.limit),
        ("hardware", options.hardware), ("clear", options.clear), ("sound", options.sound), ("measure", options.measure),
        ("at_s", options.at), ("reel_level", options.reel_level), ("rate", str(options.rate) if options.rate else None),
    ):  # fmt: skip
        if value is not None:
            changed[field] = value
    changed["part"] = _part(options, reel)
    return msgspec.structs.replace(order, **changed)


def _part(options: argparse.Namespace, reel: Reel) -> tuple[float, float] | None:
    if options.clips:
        if options.start is not None or options.end is not None:
            raise TempikError("Give either --clips or --from and --to.")
        from tempik.deliver.order import part_of_clips

        return part_of_clips(reel, options.clips.split(","))
    if options.start is None and options.end is None:
        return None
    start, end = options.start or 0.0, options.end if options.end is not None else reel.length_s
    if not 0 <= start < end:
        raise TempikError(f"A part from {start:g} to {end:g} s has no length; give --from and a later --to.")
    return start, end


def run_export(options: Options) -> int:
    """Write what was ordered, or line it up. Returns 1 where a file was measured and misses. Raises TempikError with one sentence."""
    from tempik.deliver import queue
    from tempik.deliver.order import fit, made
    from tempik.deliver.run import deliver
    from tempik.project.file import load_reel

    together(options, "expect", "queue")
    together(options, "size", "shape")
    together(options, "size", "short")
    reel = load_reel(options.project)
    order = order_of(options, reel)
    refused = refused_of(options, order)
    if refused:
        raise TempikError(refused)
    files = made(reel, order, options.output)
    fit(files)
    settled(options, "expect", "queue", *(() if options.queue or options.expect else ("progress",)))
    for each in files:
        if each.message:
            print(f"note: {each.message}", file=sys.stderr)
    if options.queue:
        for item in queue.add(reel, order, options.output, options.project.name):
            print(f"{item.id} {item.target}")
        return 0
    if options.expect:
        from tempik.deliver.expected import expected

        for each in files:
            print(f"{each.target}: {expected(each).text}")
        return 0
    whole, missed = len(files), list[str]()
    for number, each in enumerate(files):
        done = deliver(each, order.measure, _teller(options.progress, number, whole))
        _say(done)
        if not options.progress:
            print(each.target)
        if order.measure and not done.report.ok:
            missed.append(f"{each.target} ({done.text})")
    if missed:
        raise Missed(f"All is written, and events miss their points in {'; '.join(missed)}.")
    return 0


def refused_of(options: Options, order: Order) -> str:
    """Return why what was asked of an order cannot be had, as a sentence; '' where it can."""
    from tempik.deliver.order import fitting

    kept, name = fitting(order), format_of(options.output, order.format).name
    names = {"limit_mb": "limit", "hardware": "hardware", "clear": "clear", "measure": "measure", "shapes": "shape"}
    for field, option in names.items():
        wanted = options.is_given(option) and getattr(options, option) is not False
        if wanted and getattr(kept, field) != getattr(order, field):
            return f"{name} has no use for --{option}; leave it out, or choose another format."
    if options.reel_level and order.part is None:
        return "--reel-level is of a part; give --from and --to, or --clips."
    if options.is_given("at") and format_of(options.output, order.format).kind != "picture":
        return f"--at is of a poster frame; {name} has none."
    return ""


def _say(done: Delivered) -> None:
    for note in done.notes:
        print(f"note: {note}", file=sys.stderr)
    if done.done.encoder:
        print(f"encoder: {done.done.encoder}", file=sys.stderr)
    print(done.text, file=sys.stderr)


def _teller(wished: str | None, number: int = 0, whole: int = 1) -> Callable[[int, int], None] | None:
    if not wished:
        return None

    def progress(done: int, total: int) -> None:
        if done == total or done % 10 == 0:
            try:
                print(json.dumps({"done": number * total + done, "total": whole * total}), flush=True)
            except BrokenPipeError:  # whoever listened has gone, and it is to be written all the same
                os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())

    return progress


# The queue


def run_queue(options: Options) -> int:
    """List, work off or change the queue of exports. Raises TempikError with one sentence."""
    from tempik.deliver import queue

    if options.do in ("up", "down", "remove") and not options.item:
        raise TempikError(f"Say which export: tempik queue {options.do} ID.")
    if options.do in ("list", "clear") and options.item:
        raise TempikError(f"tempik queue {options.do} takes no ID.")
    running = ("with_parent", "progress", "item") if options.do == "run" else ("item",)
    settled(options, *running)
    if options.do == "list":
        for item in queue.items():
            print(f"{item.id}  {item.state:8} {item.target}  {item.message}".rstrip())
    elif options.do == "remove":
        queue.remove(options.item)
    elif options.do in ("up", "down"):
        queue.move(options.item, -1 if options.do == "up" else 1)
    elif options.do == "clear":
        for item in queue.items():
            if item.state in queue.ENDED:
                queue.remove(item.id)
    else:
        return _run_waiting(options)
    return 0


def _run_waiting(options: argparse.Namespace) -> int:
    from tempik.deliver import queue
    from tempik.deliver.run import go_on_when_parent_dies

    stop, left, alone = threading.Event(), threading.Event(), threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stop.set())
    if options.with_parent:
        os.nice(NICE)
        go_on_when_parent_dies()
        threading.Thread(target=_end_with_parent, args=(stop, left, alone), daemon=True).start()
    failed, ran = 0, set[str]()
    while not stop.is_set():
        waiting = [
            i for i in queue.items()
            if i.id not in ran and (i.id == options.item or ((not options.item or alone.is_set()) and i.state == "waiting"))
        ]  # fmt: skip
        if not waiting:
            break
        ran.add(waiting[0].id)
        after = run_item(waiting[0], _teller(options.progress), stop, left)
        failed += after.state == "failed"
        print(f"{after.target}: {after.message}", file=sys.stderr)
    if options.item and not ran and not stop.is_set():
        raise TempikError(f"There is no export '{shortened(options.item)}' in the queue.")
    return 1 if failed else 0


def run_item(
    item: Item, progress: Callable[[int, int], None] | None, stop: threading.Event, left: threading.Event
) -> Item:
    """Write one item of the queue and keep what came of it; return it as it is then. Stopped because whoever started it has
    `left`, it waits again: nobody asked for its end."""
    from tempik.deliver import queue
    from tempik.deliver.run import deliver
    from tempik.render.export import Cancelled

    replace = msgspec.structs.replace
    with queue.claimed(item.id):
        item = replace(item, state="running", message="", notes=(), ok=True)
        queue.save(item)
        begun = time.monotonic()
        try:
            done = deliver(queue.made_of(item), item.order.measure, progress, stop)
            item = replace(
                item, state="done", message=done.text, notes=tuple(done.notes), size_bytes=done.done.size_bytes,
                ok=done.report.ok,
            )  # fmt: skip
        except Cancelled:
            item = (
                replace(item, state="waiting") if left.is_set() else replace(item, state="stopped", message="stopped")
            )
        except TempikError as error:
            item = replace(item, state="failed", message=str(error), ok=False)
        except Exception as error:  # a fault of ours must not take the rest of the queue with it
            item = replace(item, state="failed", message=f"failed ({type(error).__name__}: {error})", ok=False)
        item = replace(item, seconds=time.monotonic() - begun)
        queue.save(item)
    return item


def _end_with_parent(stop: threading.Event, left: threading.Event, alone: threading.Event) -> None:
    """Stop when whoever started this has gone: its end of the pipe closes. Told that it is to go on alone before that, it does, with all
    that waits."""
    try:
        while message := os.read(0, 64):
            if b"alone" in message:
                alone.set()
                return
    except OSError:
        pass
    left.set()
    stop.set()
