"""What `tempik layers` does to single clips beyond how they are laid: masks, what is clear, again on points, following."""

from __future__ import annotations

import argparse
import re
from typing import TYPE_CHECKING

from tempik.cli.options import Options, add_several, count, number_in
from tempik.disk.reading import shortened
from tempik.errors import TempikError
from tempik.reel.clip_settings import CROP_SETTINGS, FRAMING_SETTINGS, PLACE_SETTINGS
from tempik.reel.mask import CLEAR_SETTINGS, MASK_SETTINGS
from tempik.reel.window import RIM_SETTINGS, WINDOW_SETTINGS
from tempik.settings import Setting, read

if TYPE_CHECKING:
    from tempik.edit.clip_keys import KeyAt
    from tempik.reel import Reel, Rule


# What can be set of masks, as it is called here, and of what is made clear.
MASK_NAMES = {name.removesuffix("_deg"): name for name in MASK_SETTINGS}
CLEAR_NUMBERS = tuple(name for name, setting in CLEAR_SETTINGS.items() if setting.kind == "number")
# What can be set of how a picture stands in the frame, as it is called here: the setting, and where it is kept.
PLACE_NAMES: dict[str, tuple[Setting, str, str]] = {
    **{name: (setting, "framing", name) for name, setting in FRAMING_SETTINGS.items()},
    **{name.removesuffix("_deg"): (setting, "start", name) for name, setting in PLACE_SETTINGS.items()},
    **{f"crop-{name}": (setting, "crop", name) for name, setting in CROP_SETTINGS.items()},
    "flip-x": (Setting("flip-x", "flip across", False), "framing", "flip_x"),
    "flip-y": (Setting("flip-y", "flip down", False), "framing", "flip_y"),
}
WINDOW_NAMES = tuple(WINDOW_SETTINGS)
RIM_NAMES = {name.replace("_", "-"): name for name in RIM_SETTINGS}
REMOVE_GREEN = "remove green"
KEY_ACTS = ("keys_to", "keys_again", "keys_ease", "keys_off")
OF_CLIPS = (
    "recipe",
    "window",
    "rim",
    "keys",
    *KEY_ACTS,
    "place",
    "onto",
    "mask",
    "mask_set",
    "unmask",
    "clear",
    "clear_set",
    "repeat",
    "follow",
    "cut_out",
)


def add_arguments(made: argparse.ArgumentParser) -> None:
    """Declare the options of `tempik layers` for single clips."""
    placed = f"{', '.join(PLACE_NAMES)}; in percent of the frame, such as zoom=36, x=28, fit=contain, crop-left=10"
    add_several(made, "--place", "NAME=VALUE", placed.replace("%", "%%"))
    rows = "opacity@15,place@30: keys, by what they set and their frames; mask 1 is the first mask; for the options that follow"
    made.add_argument("--keys", metavar="ROW@FRAME", help=rows)
    made.add_argument("--keys-to", type=count, metavar="FRAME", help="move them, the first to that frame")
    made.add_argument("--keys-again", type=count, metavar="FRAME", help="set them once more, the first at that frame")
    made.add_argument("--keys-ease", metavar="EASE", help="let them go on so: even, soft, slow start, slow end or hold")
    made.add_argument("--keys-off", action="store_true", help="take them away")
    made.add_argument(
        "--onto",
        type=count,
        metavar="N",
        help="lay it on that track, from 1; what it would cover there changes places with it",
    )
    shapes = "rectangle:X,Y,W,H, ellipse:X,Y,W,H or polygon:X,Y,X,Y,X,Y…, in percent of the picture"
    add_several(made, "--mask", "SHAPE", shapes)
    masks = f"of all masks: {', '.join(MASK_NAMES)}; in percent, such as feather=2, invert=1, mix='take away'"
    add_several(made, "--mask-set", "NAME=VALUE", masks.replace("%", "%%"))
    windows = f"see them through a window: {', '.join(WINDOW_NAMES)}, in percent; off for the whole frame again"
    add_several(made, "--window", "NAME=VALUE", windows.replace("%", "%%"))
    rims = f"lay round them: {', '.join(RIM_NAMES)}, such as outline=0.8, outline-colour=#ffffff; off for nothing"
    add_several(made, "--rim", "NAME=VALUE", rims)
    made.add_argument(
        "--recipe",
        metavar="NAME",
        help="small picture, words behind, outline, glow, on downbeats, split, or remove green (the colour of the edges)",
    )
    made.add_argument("--unmask", action="store_true", help="take all masks off")
    made.add_argument("--clear", metavar="#colour|dark|bright|off", help="make that of the picture clear")
    add_several(made, "--clear-set", "NAME=PERCENT", ", ".join(CLEAR_NUMBERS))
    made.add_argument(
        "--repeat",
        metavar="RULE",
        help="lay it again on points:4, bars:1,3, onsets, drops, frames:10; off lays it once",
    )
    made.add_argument(
        "--adjust", action="store_true", help="lay a clip that changes what lies below (--from, --length)"
    )
    made.add_argument(
        "--cut-out",
        metavar="keep:X,Y,X,Y…;drop:X,Y,…@FRAME",
        help="cut what is stroked out of the clip's picture (in percent of the frame, at that one); off shows all of it",
    )
    made.add_argument(
        "--follow", metavar="X,Y@FRAME|auto|off", help="keep what is seen there (percent of the frame) in the frame"
    )


def changed(reel: Reel, names: list[str], options: Options) -> Reel:
    """Return the reel with what is asked for done to clips. Raises TempikError where it cannot be."""
    if options.onto is not None:
        from tempik.edit.clips.layers import restacked

        if options.onto > len(reel.tracks) + 1:
            raise TempikError(
                f"There is no track {options.onto}; the reel has {len(reel.tracks)}, {len(reel.tracks) + 1} makes one."
            )
        for name in names:
            reel = restacked(reel, name, options.onto - 1)
    reel = _placed(reel, names, options)
    reel = _windowed(reel, names, options)
    reel = _masked(reel, names, options)
    if options.recipe is not None:
        reel = _by_recipe(reel, names, options.recipe)
    reel = _cleared(reel, names, options)
    if options.repeat is not None:
        from tempik.edit.clips.repeats import with_repeat

        reel = with_repeat(reel, names, None if options.repeat == "off" else _rule(options.repeat))
    if options.cut_out is not None:
        reel = _cut(reel, names, options)
    if options.follow is not None:
        reel = _followed(reel, names, options.follow, options)
    return reel


def _placed(reel: Reel, names: list[str], options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit.clips.layers import has_place_keys
    from tempik.edit.clips.pieces import with_framing
    from tempik.edit.clips.slots import clip_of

    for text in options.place:
        called, _, value = text.partition("=")
        if called not in PLACE_NAMES:
            raise TempikError(f"'{shortened(called)}' is nothing of a place; give one of {', '.join(PLACE_NAMES)}.")
        setting, part, field = PLACE_NAMES[called]
        wanted = read(setting, value)
        for name in names:
            clip = clip_of(reel, name)
            framing = clip.framing
            if part == "start":
                if has_place_keys(clip):
                    raise TempikError(
                        f"The clip's place has keys; set {called} at a frame with --key {field}@FRAME=VALUE."
                    )
                framing = replace(framing, start=replace(framing.start, **{field: wanted}))
            elif part == "crop":
                at = list(CROP_SETTINGS).index(field)
                framing = replace(framing, crop=(*framing.crop[:at], wanted, *framing.crop[at + 1 :]))
            else:
                framing = replace(framing, **{field: wanted})
            reel = with_framing(reel, [name], framing)
    return reel


def _windowed(reel: Reel, names: list[str], options: argparse.Namespace) -> Reel:
    """Change windows and rims of clips."""
    from tempik.edit.clips.windows import with_rim, with_window, without_rim, without_window

    for text in options.window:
        called, _, value = text.partition("=")
        if text == "off":
            reel = without_window(reel, names)
            continue
        if called not in WINDOW_NAMES:
            raise TempikError(f"A window has no '{shortened(called)}'; give one of {', '.join(WINDOW_NAMES)}, or off.")
        reel = with_window(reel, names, **{called: read(WINDOW_SETTINGS[called], value)})
    for text in options.rim:
        called, _, value = text.partition("=")
        if text == "off":
            reel = without_rim(reel, names)
            continue
        if called not in RIM_NAMES:
            raise TempikError(f"A rim has no '{shortened(called)}'; give one of {', '.join(RIM_NAMES)}, or off.")
        reel = with_rim(reel, names, **{RIM_NAMES[called]: read(RIM_SETTINGS[RIM_NAMES[called]], value)})
    return reel


def _by_recipe(reel: Reel, names: list[str], recipe: str) -> Reel:
    from tempik.edit.recipes import recipe_named

    if recipe != REMOVE_GREEN:
        return recipe_named(recipe).edit(reel, names)
    from tempik.edit.clips.masks import with_clear
    from tempik.edit.clips.slots import on_reel
    from tempik.reel import Clear
    from tempik.render.picking import edge_colour
    from tempik.timeline.timeline import timeline_of

    for name in names:
        placed = on_reel(timeline_of(reel), name)
        colour = edge_colour(timeline_of(reel), placed, (placed.first + placed.end) // 2)
        reel = with_clear(reel, [name], Clear(of="colour", colour=colour))
    return reel


def _numbers(text: str, what: str) -> list[float]:
    try:
        return [number_in(part) for part in text.split(",")]
    except TempikError:
        raise TempikError(f"'{shortened(text)}' is no list of numbers; give {what}.") from None


def _masked(reel: Reel, names: list[str], options: argparse.Namespace) -> Reel:
    from tempik.edit.clips import masks
    from tempik.edit.clips.slots import clip_of

    for name in names:
        if options.unmask:
            for mask in clip_of(reel, name).masks:
                reel = masks.without_mask(reel, name, mask.id)
        for text in options.mask:
            kind, _, rest = text.partition(":")
            at = [v / 100 for v in _numbers(rest, "percent such as 50,50,40,40")] if rest else []
            wanted = "an even count of six or more" if kind == "polygon" else "four: X,Y,W,H"
            if (kind == "polygon" and (len(at) < 6 or len(at) % 2)) or (kind != "polygon" and len(at) not in (0, 4)):
                raise TempikError(f"'{shortened(text)}' has {len(at)} numbers; a {kind} takes {wanted}, in percent.")
            if kind == "polygon":
                reel, _made = masks.with_mask(reel, name, kind, list(zip(at[::2], at[1::2], strict=False)))
                continue
            reel, made = masks.with_mask(reel, name, kind)
            fields = dict(zip(("x", "y", "width", "height"), at, strict=False))
            reel = masks.with_mask_fields(reel, name, made, fields)
        for text in options.mask_set:
            fields_ = _mask_fields(text)
            if not clip_of(reel, name).masks:
                raise TempikError("There is no mask on that clip to set; draw one with --mask.")
            for mask in clip_of(reel, name).masks:
                reel = masks.with_mask_fields(reel, name, mask.id, fields_)
    return reel


def _mask_fields(text: str) -> dict[str, object]:
    name, _, value = text.partition("=")
    if name not in MASK_NAMES:
        raise TempikError(f"'{name}' is nothing of a mask; give one of {', '.join(MASK_NAMES)}.")
    return {MASK_NAMES[name]: read(MASK_SETTINGS[MASK_NAMES[name]], value)}


def _cleared(reel: Reel, names: list[str], options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit.clips.masks import with_clear
    from tempik.edit.clips.slots import clip_of
    from tempik.reel import Clear

    if options.clear == "off":  # --clear-set would do nothing beside it
        return with_clear(reel, names, None)
    for name in names:
        clear = clip_of(reel, name).clear
        if options.clear in ("dark", "bright"):
            clear = replace(clear or Clear(), of=options.clear)
        elif options.clear is not None:
            clear = replace(clear or Clear(), of="colour", colour=options.clear)
        if options.clear_set and clear is None:
            raise TempikError("Nothing of that clip is made clear yet; give --clear with what is to be.")
        for text in options.clear_set:
            what, _, value = text.partition("=")
            if what not in CLEAR_NUMBERS:
                raise TempikError(f"'{what}' is nothing of what is made clear; give {', '.join(CLEAR_NUMBERS)}.")
            clear = replace(clear or Clear(), **{what: read(CLEAR_SETTINGS[what], value)})
        if clear is not None and (options.clear is not None or options.clear_set):
            reel = with_clear(reel, [name], clear)
    return reel


def _rule(text: str) -> Rule:
    from tempik.reel import Rule
    from tempik.rhythm.records import BANDS

    of, _, rest = text.partition(":")
    if not rest:
        return Rule(of=of)
    if of == "bars":
        beats = tuple(int(v) for v in _numbers(rest, "beats such as 1,3"))
        return Rule(of="bars", beats=beats)
    if of == "onsets" and rest in BANDS:
        return Rule(of="onsets", bands=(rest,))
    number = _numbers(rest, "a count")[0]
    return Rule(of=of, every=int(number))


def _cut(reel: Reel, names: list[str], options: argparse.Namespace) -> Reel:
    from tempik.edit.footage import cutting_out
    from tempik.project.file import state_folder
    from tempik.reel import Cutout, by_id
    from tempik.timeline.timeline import timeline_of

    if options.cut_out == "off":
        return cutting_out.without_cutout(reel, names)
    text, at, frame_text = options.cut_out.rpartition("@")
    if not at or not frame_text.isdigit():
        raise TempikError(f"'{options.cut_out}' names no frame; give such as keep:40,50,60,50;drop:5,5,95,5@120.")
    frame = int(frame_text)
    for name in names:
        timeline = timeline_of(reel)
        placed = timeline.placed_clip(name)
        if placed is None or not placed.first <= frame < placed.end:
            raise TempikError(f"Frame {frame} is not in clip {name}; stroke on a frame that it shows.")
        strokes = []
        for part in text.split(";"):
            kind, _, rest = part.partition(":")
            if kind not in ("keep", "drop"):
                raise TempikError(f"'{kind}' is no kind of stroke; give keep or drop.")
            values = [v / 100 for v in _numbers(rest, "percent such as 40,50,60,50")]
            points = list(zip(values[::2], values[1::2], strict=False))
            strokes.append(cutting_out.stroke_at(timeline, placed, frame, points, kind == "keep"))
        old = by_id(placed.footage.cutouts, placed.clip.cutout)
        asked = Cutout(old.id if old is not None else "", (*(old.strokes if old is not None else ()), *strokes))
        target = cutting_out.target_beside(options.output or options.project, state_folder(), placed.footage)
        made = cutting_out.cut_out(placed.footage, asked, cutting_out.stretch_shown(timeline, placed), target)
        reel = cutting_out.with_cutout(reel, name, made)
    return reel


def _followed(reel: Reel, names: list[str], text: str, options: Options) -> Reel:
    from tempik.edit.clips import follow
    from tempik.edit.footage import tracking
    from tempik.timeline.timeline import timeline_of

    if text == "off":
        return follow.without_follow(reel, names)
    found = re.fullmatch(r"(\d+(?:\.\d+)?),(\d+(?:\.\d+)?)@(\d{1,7})", text)
    if found is None and text != "auto":
        raise TempikError(f"'{text}' picks nothing; give X,Y@FRAME in percent of the frame, auto, or off.")
    for name in names:
        timeline = timeline_of(reel)
        placed = timeline.placed_clip(name)
        if placed is None:
            continue
        if found is not None:
            x, y, frame = float(found[1]) / 100, float(found[2]) / 100, int(found[3])
            if not placed.first <= frame < placed.end:
                raise TempikError(f"Frame {frame} is not in the clip; it has {placed.first} to {placed.end - 1}.")
            start = tracking.footage_place(timeline, placed, frame, (x - 0.5, (y - 0.5) * timeline.height_ratio))
        else:
            start = tracking.subject_of(timeline, placed)
        reel = follow.with_follow(reel, name, tracking.tracked(placed.footage, *start))
        after = timeline_of(reel)
        again = after.placed_clip(name)
        if again is not None and (message := follow.message_of_follow(after, again)):
            options.note(message)
        lost = follow.lost_frames(after, again) if again is not None else []
        if lost:
            message = ", ".join(f"{a} to {b - 1}" for a, b in lost[:4])
            options.note(f"{placed.footage.name}: the subject is lost at frames {message}.")
    return reel


def keys_changed(reel: Reel, clips: list[str], options: Options) -> Reel:
    """Move keys of clips, set them once more, ease them or take them away. Raises TempikError for keys that are not there."""
    from tempik.edit import clip_keys
    from tempik.edit.clips.slots import clip_of
    from tempik.timeline.timeline import timeline_of

    acts = [name for name in KEY_ACTS if getattr(options, name) not in (None, False)]
    if options.keys is None or len(acts) != 1:
        if options.keys is None and not acts:
            return reel
        raise TempikError("Say which keys with --keys, and one of --keys-to, --keys-again, --keys-ease, --keys-off.")
    for name in clips:
        clip = clip_of(reel, name)
        chosen = frozenset(_key_at(text, [m.id for m in clip.masks]) for text in options.keys.split(","))
        for at in chosen:
            if all(mark.frame != at.frame for mark in clip_keys.marks_in(timeline_of(reel), clip, at.row)):
                raise TempikError(f"No key of the {at.row.split()[0]} stands at frame {at.frame}.")
        first = min(at.frame for at in chosen)
        if options.keys_to is not None:
            reel = clip_keys.with_keys_moved(reel, name, chosen, options.keys_to - first)
        elif options.keys_again is not None:
            reel = clip_keys.with_keys_copied(reel, name, chosen, options.keys_again - first)
        elif options.keys_ease is not None:
            reel = clip_keys.with_key_ease(reel, name, chosen, options.keys_ease)
        else:
            reel = clip_keys.without_keys(reel, name, chosen)
    return reel


def _key_at(text: str, masks: list[str]) -> KeyAt:
    from tempik.edit.clip_keys import MASK, KeyAt

    row, _, frame = text.strip().rpartition("@")
    if not frame.isdigit():
        raise TempikError(f"--keys {shortened(text)} names no key; write opacity@15, place@30 or mask 1@30.")
    if row.startswith(MASK) and row.removeprefix(MASK).isdigit():
        number = int(row.removeprefix(MASK))
        if not 1 <= number <= len(masks):
            raise TempikError(f"The clip has no mask {number}; it has {len(masks)}.")
        row = MASK + masks[number - 1]
    return KeyAt(row, int(frame))
