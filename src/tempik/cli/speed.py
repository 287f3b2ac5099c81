"""`tempik speed`: how fast a project's clips play, as a table, and every change of it that the window makes."""

from __future__ import annotations

import argparse
import re
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.cli.changing import project_of, ready, saved_or_shown
from tempik.cli.options import Options, Parser, count, project_verb, real, settled
from tempik.cli.places import chosen_clips, clip_at
from tempik.errors import TempikError

if TYPE_CHECKING:
    from tempik.reel import Reel

COLUMNS = "clip,footage,first,frames,used_s,average,slowest,fastest,shape,pins,floor,repeats,between,sound"


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik speed` and its options."""
    speed = project_verb(verbs, "speed", "list how fast clips play, or change it")
    speed.add_argument("--clips", default="all", metavar="1,3-5", help="by place on the reel, from 1 (all)")
    speed.add_argument("--constant", type=real, metavar="PERCENT", help="one speed throughout; negative is backward")
    speed.add_argument("--frames", type=count, metavar="N", help="exactly so many frames; the speed gives way")
    speed.add_argument("--uses", type=real, metavar="SECONDS", help="exactly so much footage")
    speed.add_argument(
        "--gives", choices=("source", "slot", "speed"), help="what gives way (source; speed for --frames)"
    )
    speed.add_argument("--shape", metavar="NAME")
    speed.add_argument("--amount", type=real, default=None, metavar="PERCENT", help="how much of the shape, 0 to 200")
    speed.add_argument(
        "--on",
        choices=("clip", "pin", "point", "every"),
        help="what a shape is laid on; else the pin of a clip that has one inside it, or the clip",
    )
    speed.add_argument("--every", type=count, default=1, metavar="N", help="of --on every: each n-th point")
    speed.add_argument("--reverse", action="store_true")
    speed.add_argument("--there-and-back", action="store_true")
    speed.add_argument("--see-saw", type=count, metavar="N")
    speed.add_argument("--by", choices=("pieces", "frames", "points"), default="pieces", help="what --see-saw counts")
    speed.add_argument("--swing", action="store_true", help="every second clip backward")
    speed.add_argument("--rewind", type=_stretch, metavar="FIRST-END@PERCENT", help="frames of the reel")
    speed.add_argument("--longer", action="store_true", help="a rewound clip gets longer")
    speed.add_argument("--stretch", type=_stretch, metavar="FIRST-END@PERCENT", help="speed between two frames")
    speed.add_argument("--soft", type=count, default=0, metavar="FRAMES", help="soft edges of --stretch")
    speed.add_argument("--hold", type=_hold, metavar="FRAME+N", help="hold a frame's picture for N frames in its slot")
    speed.add_argument("--between", choices=("reel", "nearest", "blend", "flow"), help="frames in between")
    speed.add_argument("--reel-between", choices=("nearest", "blend", "flow"))
    speed.add_argument("--beyond", choices=("hold", "loop"), help="past the footage's ends")
    speed.add_argument("--sound", choices=("on", "off"))
    speed.add_argument("--pitch", choices=("preserved", "follows"))
    speed.add_argument("--gain", type=real, metavar="DB")
    speed.add_argument("--fade-in", type=real, metavar="MS", help="of the clips' own sound")
    speed.add_argument("--fade-out", type=real, metavar="MS")
    speed.add_argument("--sound-leads", type=count, metavar="FRAMES", help="begin the sound so long before its picture")
    speed.add_argument("--sound-trails", type=count, metavar="FRAMES", help="end it so long after its picture")
    speed.add_argument(
        "--crossfade", type=real, metavar="MS", help="crossfade between clips' sounds, all over the reel"
    )
    speed.add_argument("--clip-crossfade", type=real, metavar="MS", help="that of the named clips alone")
    speed.add_argument("--shapes", action="store_true", help="list the shapes")
    speed.add_argument("--keep-shape", metavar="NAME", help="keep the first named clip's curve as a shape")
    speed.add_argument("--read-shape", type=Path, metavar="FILE")
    speed.add_argument("--write-shape", nargs=2, metavar=("NAME", "FILE"))


def _stretch(text: str) -> tuple[int, int, float]:
    found = re.fullmatch(r"(\d+)-(\d+)@(\d+(?:\.\d+)?)%?", text)
    if found is None:
        raise argparse.ArgumentTypeError(f"'{text}' is no stretch; give FIRST-END@PERCENT such as 30-60@200")
    return int(found[1]), int(found[2]), float(found[3]) / 100


def _hold(text: str) -> tuple[int, int]:
    found = re.fullmatch(r"(\d+)\+(\d+)", text)
    if found is None:
        raise argparse.ArgumentTypeError(f"'{text}' is no hold; give FRAME+N such as 45+10")
    return int(found[1]), int(found[2])


def run(options: Options) -> int:
    """List or change. Raises TempikError with one sentence."""
    if _shapes_asked(options):
        return 0
    reel = project_of(options, "--shapes for the list of shapes")
    changed = _changed(reel, options)
    ready(reel, changed, options, "keep_shape")
    if options.keep_shape is not None:
        _keep(changed, options)
    shows = ("keep_shape", "read_shape", "write_shape", "shapes")
    return saved_or_shown(reel, changed, options, table, ("clips",), shows)


def _shapes_asked(options: Options) -> bool:
    from tempik.project import shapes as shape_library

    shelf = options.read_shape, options.write_shape, options.shapes
    if options.project is None and any(shelf):
        settled(options)
    if options.read_shape is not None:
        print(shape_library.added(shape_library.read_shape(options.read_shape)).name)
    if options.write_shape is not None:
        name, path = options.write_shape
        shape_library.write_shape(shape_library.shape_named(name), Path(path))
        print(path)
    if options.shapes:
        for shape in shape_library.all_shapes():
            print(f"{shape.name}: {shape.does or 'one of your own'}")
    return bool((options.shapes or options.read_shape or options.write_shape) and options.project is None)


def _changed(reel: Reel, options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit.clips.slots import clip_of
    from tempik.edit.speed import direction, speed
    from tempik.project import shapes as shape_library

    names = chosen_clips(reel, options.clips)
    if options.shape:
        amount = 1.0 if options.amount is None else options.amount / 100
        shape = shape_library.shape_named(options.shape)
        reel = speed.with_shape(reel, names, shape, amount, options.on, options.every)
    elif options.amount is not None:
        reel = speed.with_amount(reel, names, options.amount / 100)
    if options.constant is not None:
        reel = speed.with_constant(reel, names, options.constant / 100, options.gives or "source")
    if options.frames is not None:
        reel = speed.with_slot_frames(reel, names, options.frames, options.gives or "speed")
    for name in names:
        if options.uses is not None:
            reel = speed.with_source_used(reel, name, options.uses, options.gives or "speed")
        if options.reverse:
            reel = speed.with_reversed(reel, name)
        if options.there_and_back:
            reel = direction.with_there_and_back(reel, name)
        if options.see_saw is not None:
            reel = direction.with_see_saw(reel, name, **{options.by: options.see_saw})
    if options.swing:
        reel = direction.with_swing(reel, names)
    if options.rewind:
        first, end, rate = options.rewind
        reel = direction.with_rewind(reel, clip_at(reel, first), first, end, rate, options.longer)
    if options.stretch:
        first, end, rate = options.stretch
        reel = speed.with_stretch_speed(reel, clip_at(reel, first), first, end, rate, options.soft)
    if options.hold:
        reel = speed.with_hold(reel, clip_at(reel, options.hold[0]), *options.hold)
    if options.between:
        reel = speed.with_between(reel, names, None if options.between == "reel" else options.between)
    if options.reel_between:
        reel = speed.with_between(reel, None, options.reel_between)
    if options.beyond:
        reel = speed.with_beyond(reel, names, options.beyond)
    if options.sound or options.pitch or options.gain is not None:
        for name in names:
            sound = clip_of(reel, name).sound
            on = sound.on if options.sound is None else options.sound == "on"
            gain = sound.gain_db if options.gain is None else options.gain
            sound = replace(sound, on=on, pitch=options.pitch or sound.pitch, gain_db=gain)
            reel = speed.with_clip_sound(reel, [name], sound)
    reel = _sound_ends(reel, names, options)
    if options.crossfade is not None:
        reel = replace(reel, crossfade_ms=options.crossfade)
    return _sound(reel)


def _sound_ends(reel: Reel, names: list[str], options: argparse.Namespace) -> Reel:
    """Return the reel with the fades of clips' own sound, and where it begins and ends beside its picture."""
    from tempik.edit.sounds.clip_sound import with_clip_sound_values, with_sound_edge

    fades = {"fade_in_s": options.fade_in, "fade_out_s": options.fade_out}
    given = {n: ms / 1000 for n, ms in fades.items() if ms is not None}
    if options.clip_crossfade is not None:
        given["crossfade_ms"] = options.clip_crossfade
    if given:
        reel = with_clip_sound_values(reel, names, **given)
    for name in names:
        if options.sound_leads is not None:
            reel = with_sound_edge(reel, name, "start", options.sound_leads / float(reel.rate))
        if options.sound_trails is not None:
            reel = with_sound_edge(reel, name, "end", options.sound_trails / float(reel.rate))
    return reel


def _sound(reel: Reel) -> Reel:
    from tempik.reel.validate import problems

    found = problems(reel)
    if found:
        raise TempikError(found[0])
    return reel


def _keep(reel: Reel, options: argparse.Namespace) -> None:
    from tempik.project import shapes as shape_library
    from tempik.timeline.timeline import timeline_of

    placed = timeline_of(reel).placed_clip(chosen_clips(reel, options.clips)[0])
    if placed is not None:
        print(shape_library.kept_shape(placed.chosen, options.keep_shape).name)


def table(reel: Reel) -> str:
    """Return CSV of every clip's speed; speeds are multiples, the floor is the slowest clean one."""
    from tempik.edit.speed.speed import source_used
    from tempik.timeline.placed_clip import clean_floor, repeats_most
    from tempik.timeline.timeline import timeline_of

    timeline = timeline_of(reel)
    lines = [COLUMNS]
    for number, placed in enumerate(timeline.placed, 1):
        clip, footage = placed.clip, placed.footage
        speeds = [n.speed for n in placed.curve.nodes]
        shape = clip.shaped.shape.name if clip.shaped is not None else ""
        values = (
            number,
            '"' + footage.name.replace('"', '""') + '"',
            placed.first,
            placed.frames,
            f"{source_used(placed):.3f}",
            f"{placed.map.average_speed:.4f}",
            f"{min(speeds, key=abs):.4f}",
            f"{max(speeds, key=abs):.4f}",
            shape,
            len(placed.ties),
            f"{clean_floor(footage, reel.rate):.4f}",
            repeats_most(placed, reel.rate),
            clip.interpolation or reel.interpolation,
            f"{clip.sound.pitch} {clip.sound.gain_db:+g} dB" if clip.sound.on and footage.has_sound else "",
        )
        lines.append(",".join(str(v) for v in values))
    return "\n".join(lines) + "\n"
