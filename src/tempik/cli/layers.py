"""`tempik layers`: how a project's clips are laid over each other, as a table, and changes of it."""

from __future__ import annotations

import argparse
import re
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.cli import layer_options
from tempik.cli.changing import add_shape, changed_in_shape, project_of, saved_or_shown
from tempik.cli.options import (
    Options,
    Parser,
    add_settings,
    add_several,
    count,
    number_in,
    project_verb,
    real,
    settled,
    together,
    values_given,
)
from tempik.cli.places import WHICH, chosen_clips
from tempik.disk.reading import shortened
from tempik.errors import TempikError
from tempik.reel.clip_settings import CLIP_SETTINGS

if TYPE_CHECKING:
    from tempik.reel import Clip, Reel
    from tempik.timeline.timeline import Timeline

OF_CLIP = {"opacity": "opacity"}
# What changes clips that are named.
OF_CLIPS = ("by_itself", "blend", "opacity", "fade_in", "fade_out", "key", "remove", *layer_options.OF_CLIPS)
COLUMNS = "clip,track,footage,first,end,blend,opacity,fade_in,fade_out,keys,masks,clear,again,follow"


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik layers` and its options."""
    does = "list how clips lie over each other, add layers or change them"
    made = project_verb(verbs, "layers", does)
    made.add_argument("--list", action="store_true", help="every blend mode there is")
    made.add_argument("--add", metavar="FILE|#colour", help="lay a file or a solid colour on a track above")
    made.add_argument(
        "--track", type=count, metavar="N", help="the track to lay it on, from 1; a new one on top without"
    )
    made.add_argument(
        "--over", action="store_true", help="put it in the place of what lies there on that track, which goes"
    )
    made.add_argument("--from", dest="from_s", type=real, default=0.0, metavar="SECONDS", help="of the reel")
    made.add_argument("--length", type=real, metavar="SECONDS", help="to the reel's end without")
    made.add_argument("--clips", metavar="2,4-6", help="the clips to change, by place in the table")
    made.add_argument("--blend", metavar="NAME", help="a mode of --list")
    add_settings(made, CLIP_SETTINGS, OF_CLIP)
    made.add_argument(
        "--fade-in", type=_length, metavar="N", help="frames, or such as 0.5b for half a beat; 0 takes it off"
    )
    made.add_argument("--fade-out", type=_length, metavar="N")
    add_several(made, "--key", "NAME@FRAME=VALUE", "of opacity, zoom, x, y or turn_deg, in shares")
    made.add_argument("--split", metavar="FORM", help="show two to four --clips at once: strips, rows or tiles")
    made.add_argument("--border", type=real, default=0.0, metavar="PERCENT", help="of the width, between them")
    made.add_argument("--nest", action="store_true", help="make the --clips one clip with a reel inside")
    made.add_argument("--flatten", action="store_true", help="lay the nest that --clips names flat again")
    made.add_argument(
        "--open", action="store_true", help="open the nest that --clips names: the table is what lies in it"
    )
    made.add_argument("--close", action="store_true", help="close the nest that was opened last")
    add_shape(made)
    made.add_argument(
        "--by-itself",
        action="store_true",
        help="let the --clips stand in --shape as they are led over from the reel's own",
    )
    layer_options.add_arguments(made)
    made.add_argument("--remove", action="store_true", help="take the clips off")


def _length(text: str) -> tuple[float, str]:
    found = re.fullmatch(r"(\d+(?:\.\d+)?)(b|f|)", text)
    if found is None:
        raise argparse.ArgumentTypeError(f"'{text}' is no length; give frames such as 12, or beats such as 0.5b")
    return float(found[1]), "beats" if found[2] == "b" else "frames"


def run(options: Options) -> int:
    """List or change. Raises TempikError with one sentence."""
    from tempik.media.blend import BLENDS

    if options.list:
        settled(options)
        print("\n".join(BLENDS))
        return 0
    reel = project_of(options, "--list for the blend modes there are")
    changed = changed_in_shape(reel, options, _changed)
    return saved_or_shown(reel, changed, options, table, ("clips", "shape"))


def table(reel: Reel) -> str:
    """Return the clips as CSV, by their first frames."""
    from tempik.timeline.timeline import timeline_of

    timeline = timeline_of(reel)
    lines = [COLUMNS]
    for number, placed in enumerate(timeline.placed, 1):
        clip = placed.clip
        fades = []
        for at_end in (False, True):
            placed_transition = timeline.transition_of(clip.id, at_end)
            fades.append("" if placed_transition is None or placed_transition.both else str(placed_transition.frames))
        keys = " ".join(f"{name}:{len(k)}" for name, k in clip.keys.items())
        lines.append(
            f"{number},{clip.track + 1},{placed.footage.name},{placed.first},{placed.end},{clip.blend},"
            f"{clip.opacity:.2f},{fades[0]},{fades[1]},{keys},{len(clip.masks) or ''},"
            f"{'' if clip.clear is None else clip.clear.of},{_again_text(timeline, clip)},"
            f"{'' if clip.follow is None else clip.follow.track}"
        )
    return "\n".join(lines) + "\n"


def _again_text(timeline: Timeline, clip: Clip) -> str:
    """Return how often a clip is laid again, and on what; '' for once."""
    from tempik.edit.clips.repeats import repeat_instances

    return "" if clip.repeat is None else f"{len(repeat_instances(timeline, clip.id))}× {clip.repeat.rule.of}"


def _changed(reel: Reel, options: Options) -> Reel:
    from tempik.edit.clips import layers
    from tempik.edit.clips.split_picture import with_split_picture
    from tempik.edit.clips.trim import without_clips

    names: list[str] = []
    together(options, "add", "adjust", "clips")
    together(options, "split", "nest", "flatten", "open", "remove")
    if options.close:
        from tempik.edit.clips.nests import with_nest_closed

        reel = with_nest_closed(reel)
    if options.add is not None:
        reel, name = _added(reel, options)
        names = [name]
    elif options.adjust:
        reel, name = _adjusting(reel, options)
        names = [name]
    elif options.clips:
        names = chosen_clips(reel, options.clips)
    if options.split is not None:
        if not names:
            raise TempikError(WHICH)
        return with_split_picture(reel, names, options.split, options.border / 100)
    if options.nest or options.flatten or options.open:
        return _nested(reel, names, options)
    if options.given.intersection(OF_CLIPS) and not names:
        raise TempikError("Which clips? Give --clips, such as 2,4-6, or --add.")
    if options.by_itself:
        from tempik.edit.frame_shapes import without_shape

        if options.shape is None:
            raise TempikError("In which shape? Give --shape, such as --shape wide.")
        reel = without_shape(reel, names, options.shape)
    if options.remove:
        return without_clips(reel, names)
    if options.blend is not None:
        reel = layers.with_blend(reel, names, options.blend)
    for opacity in values_given(options, CLIP_SETTINGS, OF_CLIP).values():
        reel = layers.with_opacity(reel, names, opacity)
    for at_end, wanted in ((False, options.fade_in), (True, options.fade_out)):
        if wanted is not None:
            reel = layers.with_fade(reel, names, at_end, wanted[0], wanted[1])
    for text in options.key:
        what, frame, value = _key(text)
        for name in names:
            made = layers.with_clip_key(reel, name, what, frame, value, within=1)
            _within(reel, name, frame)
            reel = made
    reel = layer_options.keys_changed(reel, names, options)
    return layer_options.changed(reel, names, options)


def _nested(reel: Reel, names: list[str], options: argparse.Namespace) -> Reel:
    from tempik.edit.clips import nests

    if not names:
        raise TempikError(WHICH)
    if options.nest:
        return nests.with_nest(reel, names)[0]
    if len(names) != 1:
        raise TempikError("One nest at a time: give --clips one place in the table.")
    if options.flatten:
        return nests.flattened(reel, names[0])[0]
    return nests.with_nest_open(reel, names[0])


def _stretch(reel: Reel, options: argparse.Namespace) -> tuple[int, int]:
    """Return the first frame and the length of a layer, in frames. Raises TempikError where it does not lie within the reel."""
    from tempik.time import frame_of
    from tempik.timeline.timeline import timeline_of

    whole = timeline_of(reel).frames
    length_s = options.length if options.length is not None else reel.length_s - options.from_s
    first, frames = frame_of(options.from_s, reel.rate), frame_of(length_s, reel.rate)
    if frames < 1 or first < 0 or first >= whole:
        raise TempikError(
            f"A layer lies within the reel and is one frame long at least; the reel is {reel.length_s:g} s long."
        )
    return first, min(frames, whole - first)


def _on_track(reel: Reel, wanted: int | None) -> tuple[Reel, int]:
    """Return the reel and a track's number from 0: the one that is named, or a new one on top."""
    from tempik.edit.clips import place

    track = len(reel.tracks) if wanted is None else wanted - 1
    if not 0 <= track <= len(reel.tracks):
        raise TempikError(f"There is no track {track + 1}; the reel has {len(reel.tracks)}.")
    return (place.with_new_track(reel) if track == len(reel.tracks) else reel), track


def _adjusting(reel: Reel, options: Options) -> tuple[Reel, str]:
    from tempik.edit.clips.masks import with_adjust
    from tempik.edit.clips.slots import cleared

    first, frames = _stretch(reel, options)
    if options.track is None:
        made, name = with_adjust(reel, first, frames)
    else:
        room, track = _on_track(reel, options.track)
        made, name = with_adjust(cleared(room, track, first, first + frames), first, frames, track)
    _say_laid(reel, made, name, options)
    return made, name


def _added(reel: Reel, options: Options) -> tuple[Reel, str]:
    from tempik.edit.clips import place
    from tempik.edit.footage.facts import with_footage
    from tempik.media import probe

    first, frames = _stretch(reel, options)
    made, track = _on_track(reel, options.track)
    if options.add.startswith("#"):
        if not re.fullmatch("#[0-9a-fA-F]{6}", options.add):
            raise TempikError(f"'{shortened(options.add)}' is no colour; give one such as #ffcc00.")
        made = place.with_solid(made, first, frames, options.add, track, insert=False)
    else:
        path = str(Path(options.add).absolute())
        if not any(f.path == path for f in reel.footage):
            made = with_footage(made, probe(path))
        piece = next(f for f in made.footage if f.path == path)
        made = place.with_clip_at(made, piece.id, first, track, "over", frames=frames)
    name = made.clips[-1].id
    _say_laid(reel, made, name, options)
    return made, name


def _say_laid(reel: Reel, made: Reel, name: str, options: Options) -> None:
    """Say where a new layer lies in the table, and what gave way to it. Raises TempikError where something would without having been
    told to."""
    from tempik.edit.clips.slots import lying_in
    from tempik.timeline.timeline import timeline_of

    before, after = timeline_of(reel), timeline_of(made)
    placed = after.placed_clip(name)
    assert placed is not None
    there = lying_in(before, placed.clip.track, placed.first, placed.end)
    over = options.over
    if there:
        numbers = {p.clip.id: n for n, p in enumerate(before.placed, 1)}
        message = ", ".join(f"{numbers[p.clip.id]} ({p.footage.name})" for p in there[:8]) + (
            " …" if len(there) > 8 else ""
        )
        if not over:
            raise TempikError(
                f"Clips lie on track {placed.clip.track + 1} there: {message}; choose another track, or give --over and they "
                "give way."
            )
        gone = sum(placed.first <= p.first and p.end <= placed.end for p in there)
        what = [f"{gone} went" if gone else "", f"{len(there) - gone} cut back" if gone < len(there) else ""]
        options.note(f"gave way: {message}: {' and '.join(t for t in what if t)}.")
    number = 1 + [p.clip.id for p in after.placed].index(name)
    options.note(f"laid as clip {number} on track {placed.clip.track + 1}.")


def _within(reel: Reel, clip: str, frame: int) -> None:
    from tempik.timeline.timeline import timeline_of

    placed = timeline_of(reel).placed_clip(clip)
    if placed is None or not placed.first <= frame <= placed.end:
        where = f"it has frames {placed.first} to {placed.end - 1}" if placed is not None else "it lies beyond the reel"
        raise TempikError(f"Frame {frame} is not in the clip: {where}.")


def _key(text: str) -> tuple[str, int, float]:
    found = re.fullmatch(r"(\w+)@(\d{1,7})=(-?\d+(?:\.\d+)?)", text)
    if found is None:
        raise TempikError(f"'{text}' is not of the form NAME@FRAME=VALUE, such as opacity@30=0.5.")
    return found[1], int(found[2]), number_in(found[3])
