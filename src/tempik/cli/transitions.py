"""`tempik transitions`: a project's transitions as a table, and every change of them that the window makes."""

from __future__ import annotations

import argparse
import sys
from typing import TYPE_CHECKING

from tempik.cli.changing import project_of, ready, saved_or_shown
from tempik.cli.options import (
    Options,
    Parser,
    add_settings,
    add_several,
    count,
    number_in,
    number_or_text,
    pair,
    project_verb,
    real,
    settled,
    together,
    values_given,
)
from tempik.cli.places import WHICH, chosen_clips, numbered
from tempik.errors import TempikError
from tempik.reel.transition import TRANSITION_SETTINGS

if TYPE_CHECKING:
    from tempik.edit.transitions.laying import TransitionPlace
    from tempik.reel import Reel
    from tempik.timeline.timeline import Timeline

COLUMNS = "clip,kind,frames,first,turn_frame,end,point_s,error_ms"
EDGE = "over the clip's end"


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik transitions` and its options."""
    made = project_verb(verbs, "transitions", "list a project's transitions, lay them or change them")
    made.add_argument("--list", action="store_true", help="every kind of transition there is, with its settings")
    made.add_argument(
        "--on",
        metavar="WHERE",
        help="cuts, selected (with --clips), downbeats, drops, open (edges beside which nothing lies) or every:N",
    )
    made.add_argument(
        "--clips", metavar="2,4-6", help="the cuts at the start of these clips only, by place on the reel"
    )
    made.add_argument(
        "--kind", metavar="NAME", help="lay transitions of this kind, or make those there are of this kind"
    )
    made.add_argument("--own", metavar="NAME", help="lay one of your own transitions")
    made.add_argument("--frames", type=real, metavar="N", help="how long")
    made.add_argument("--beats", type=real, metavar="N", help="how long, in beats")
    made.add_argument("--longer", type=count, metavar="N", help="by so many frames; below 0 shorter")
    made.add_argument("--at", type=real, metavar="SHARE", help="of it before the cut, 0 to 1")
    add_settings(made, TRANSITION_SETTINGS, {"amount": "amount"})
    made.add_argument("--direction", metavar="NAME", help="left, right, up, down, …, turns or lot")
    made.add_argument("--ease", metavar="NAME|X1,Y1,X2,Y2", help="even, soft, sharp, …, or the handles of a curve")
    made.add_argument("--shutter", type=real, metavar="DEGREES", help="of their own; below 0 as the reel has it")
    add_several(made, "--set", "NAME=VALUE", "a setting of the kind")
    made.add_argument("--seed", type=count, default=0)
    made.add_argument("--match", action="store_true", help="choose kind and direction by how the pictures move")
    made.add_argument(
        "--copy-from", type=count, metavar="N", help="the transition at the start of clip N, on the cuts that are meant"
    )
    made.add_argument(
        "--overlap", type=count, metavar="N", help="let the --clips overlap by so many frames, each sliding over"
    )
    made.add_argument(
        "--staircase", type=count, metavar="N", help="let the --clips begin so many frames apart, each sliding over"
    )
    made.add_argument("--mend", metavar="NAME", help="shorter, move, slip, slow, hold or round, where footage is short")
    made.add_argument("--remove", action="store_true")
    made.add_argument("--keep", metavar="NAME", help="keep the first of them as a transition of your own")


def run(options: Options) -> int:
    """List or change. Raises TempikError with one sentence."""
    if options.list:
        settled(options)
        sys.stdout.write(catalogue_text())
        return 0
    reel = project_of(options, "--list for the transitions there are")
    changed = _changed(reel, options)
    ready(reel, changed, options, "keep")
    if options.keep is not None:
        _keep(changed, options)
    return saved_or_shown(reel, changed, options, table, ("on", "clips"), ("keep",))


def catalogue_text() -> str:
    """Return every kind of transition with its directions and settings, one line each."""
    from tempik.transitions import CATALOGUE

    lines = []
    for kind in CATALOGUE.values():
        settings = [
            f"{s.name}={s.default:g}" if not isinstance(s.default, str) else f"{s.name}={s.default}"
            for s in kind.settings
        ]
        parts = [f"{kind.frames} frames", *([" or ".join(kind.directions)] if kind.directions else []), *settings]
        lines.append(f"{kind.name}: {kind.does} ({', '.join(parts)})")
    return "\n".join(lines) + "\n"


def table(reel: Reel) -> str:
    """Return the transitions as CSV, in order of their turns, and what they are short of as notes below."""
    from tempik.check.landing import check_reel
    from tempik.timeline.timeline import timeline_of
    from tempik.timeline.transitions import short_of

    timeline = timeline_of(reel)
    places = {p.clip.id: n for n, p in enumerate(timeline.placed, 1)}
    events = {(e.kind, e.frame): e for e in check_reel(timeline).events if e.kind == "transition"}
    lines, notes = [COLUMNS], []
    for placed_transition in sorted(
        (s for track in timeline.transitions for s in track), key=lambda s: (s.turn, s.owner.clip.track)
    ):
        kind = (
            placed_transition.transition.kind
            if placed_transition.kind is not None
            else f"unknown ({placed_transition.transition.kind})"
        )
        event = events.get(("transition", placed_transition.turn))
        landed = f"{event.point_s:.6f},{event.error_ms:.3f}" if event is not None and placed_transition.both else ","
        place = places[placed_transition.owner.clip.id]
        lines.append(
            f"{place},{kind},{placed_transition.frames},{placed_transition.begin},{placed_transition.turn},{placed_transition.end},{landed}"
        )
        notes += [f"# clip {place}, {kind}: {message}" for message in short_of(placed_transition)]
    return "\n".join([*lines, *notes]) + "\n"


def _edges(timeline: Timeline, options: argparse.Namespace) -> list[TransitionPlace] | None:
    """Return the edges that are meant; None where none are named."""
    from tempik.edit.transitions import laying

    clips = chosen_clips(timeline.reel, options.clips) if options.clips else None
    if options.on is None:
        return None if clips is None else laying.cuts_on(timeline, "selected", clips)
    if options.on == "selected" and clips is None:
        raise TempikError(WHICH)
    found = laying.cuts_on(timeline, options.on, clips)
    if not found:
        raise TempikError(f"There is no cut for '{options.on}' on this reel.")
    return found


def _changed(reel: Reel, options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit.transitions import laying, mending
    from tempik.project.transitions import own_transition
    from tempik.timeline.timeline import timeline_of
    from tempik.transitions import CATALOGUE, new_transition

    together(options, "match", "kind", "own", "remove", "copy_from")
    together(options, "overlap", "staircase")
    if options.overlap is not None or options.staircase is not None:
        reel = _spaced(reel, options)
    timeline = timeline_of(reel)
    edges = _edges(timeline, options)
    if options.remove:
        return laying.without_transitions(reel, edges)
    if options.copy_from is not None:
        source = laying.TransitionPlace(numbered(timeline.placed, options.copy_from, "clip").clip.id)
        reel = laying.copied(reel, source, edges if edges is not None else laying.cuts(timeline))
    if options.match:
        reel = _matched(reel, edges if edges is not None else laying.cuts(timeline))
    elif options.kind or options.own:
        laid = own_transition(options.own) if options.own else new_transition(options.kind)
        at = edges if edges is not None else laying.cuts(timeline)
        kind = CATALOGUE.get(laid.kind)
        if options.direction and kind is not None and not kind.directions:
            raise TempikError(f"{kind.title} has no directions; leave --direction out.")
        reel = laying.laid(reel, at, laid, options.direction or "", options.seed)
    elif options.direction:
        reel = _redirected(reel, edges, options)
    if edges is not None:
        edges = [e for e in edges if laying.transition_at(reel, e) is not None]
    changes = _changes(options)
    if changes:
        reel = laying.changed(reel, edges, lambda j: replace(j, **changes))
    for text in options.set:
        name, value = pair(text)
        reel = laying.with_setting(reel, edges, name, number_or_text(value, text))
    if options.longer is not None:
        reel = laying.longer(reel, edges, options.longer)
    return mending.all_mended(reel, edges, options.mend) if options.mend else reel


def _spaced(reel: Reel, options: argparse.Namespace) -> Reel:
    from tempik.edit.clips import pieces

    if not options.clips:
        raise TempikError(WHICH)
    clips = chosen_clips(reel, options.clips)
    if options.overlap is not None:
        return pieces.overlapped(reel, clips, options.overlap)
    return pieces.staggered(reel, clips, options.staircase)


def _keep(reel: Reel, options: argparse.Namespace) -> None:
    from tempik.edit.transitions import laying
    from tempik.project.transitions import kept_transition
    from tempik.timeline.timeline import timeline_of

    edges = _edges(timeline_of(reel), options)
    transitions = [j for at in (edges or laying.all_joined(reel)) if (j := laying.transition_at(reel, at)) is not None]
    if not transitions:
        raise TempikError("There is no transition to keep; lay one first.")
    print(kept_transition(transitions[0], options.keep))


def _redirected(reel: Reel, edges: list[TransitionPlace] | None, options: argparse.Namespace) -> Reel:
    """Give transitions that are there other directions."""
    from tempik.edit.transitions import laying

    wanted = [at for at in (edges if edges is not None else laying.all_joined(reel)) if laying.transition_at(reel, at)]
    if not wanted:
        raise TempikError("There is no transition here; lay one with --kind.")
    return laying.with_directions(reel, wanted, options.direction, options.seed)


def _matched(reel: Reel, edges: list[TransitionPlace]) -> Reel:
    from tempik.edit.transitions import laying
    from tempik.render import PictureSource
    from tempik.render.motion import proposals_at
    from tempik.timeline.timeline import timeline_of

    timeline = timeline_of(reel)
    found = {}
    with PictureSource() as source:
        for at in edges:
            proposed = proposals_at(timeline, at.clip, source)
            if proposed:
                found[at] = proposed[0]
                print(f"# clip {at.clip}: {proposed[0].why}", file=sys.stderr)
    if not found:
        raise TempikError("There is no cut between two clips here to match a transition to.")
    return laying.with_proposals(reel, found)


def _changes(options: argparse.Namespace) -> dict[str, object]:
    """Return the fields that are set for all transitions that are meant."""
    out: dict[str, object] = {}
    if options.frames is not None and options.beats is not None:
        raise TempikError("A transition is so many frames long, or so many beats; give one of --frames and --beats.")
    if options.frames is not None:
        out |= {"length": options.frames, "unit": "frames"}
    if options.beats is not None:
        out |= {"length": options.beats, "unit": "beats"}
    if options.at is not None:
        out["at"] = options.at
    if options.ease is not None:
        out["ease"] = _handles(options.ease)
    if options.shutter is not None:
        out["shutter_deg"] = None if options.shutter < 0 else options.shutter
    out |= values_given(options, TRANSITION_SETTINGS, {"amount": "amount"})
    return out


def _handles(text: str) -> tuple[float, ...]:
    from tempik.transitions import EASES

    if text in EASES:
        return EASES[text]
    try:
        values = tuple(number_in(v) for v in text.split(","))
    except TempikError:
        values = ()
    if len(values) != 4:
        raise TempikError(
            f"'{text}' is no curve of ease; give {', '.join(EASES)}, or four numbers such as 0.4,0,0.6,1."
        )
    return values
