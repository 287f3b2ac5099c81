"""`tempik accents`: a project's accent lanes as a table, and every change of them that the window makes."""

from __future__ import annotations

import argparse
import re
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

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
    settled,
    together,
    values_given,
)
from tempik.cli.places import chosen_clips, numbered
from tempik.cli.rule_options import RULE_OPTIONS, add_rule, with_paint_given, with_rule_given
from tempik.digits import parse_int
from tempik.errors import TempikError
from tempik.reel.clip_settings import REEL_SETTINGS
from tempik.reel.lanes import LANE_SETTINGS

if TYPE_CHECKING:
    from tempik.reel import Length, Reel

COLUMNS = "lane,accent,fires,every,amount,pulses,painted,muted,alone,bundle"
# Settings that have options, and what these are called.
OF_LANE = {"amount": "amount", "degree": "by_strength", "overlap": "overlap"}
OF_REEL = {"amount": "all", "shutter_deg": "shutter"}
UNITS = {"": "frames", "f": "frames", "ms": "ms", "gap": "gap", "clip": "clip"}


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik accents` and its options."""
    made = project_verb(verbs, "accents", "list a project's accent lanes, or change them")
    made.add_argument("--list", action="store_true", help="every accent there is, with its settings")
    made.add_argument("--add", metavar="NAME", help="add a lane; what follows changes it")
    made.add_argument("--lane", type=count, metavar="N", help="the lane to change, from 1")
    add_rule(made, "--beats")
    made.add_argument("--bands", metavar="kick,snare", help="of --on onsets")
    add_settings(made, LANE_SETTINGS, OF_LANE)
    add_settings(made, REEL_SETTINGS, OF_REEL)
    add_several(made, "--set", "NAME=VALUE", "a setting of the accent")
    made.add_argument("--lead", type=_length, metavar="LENGTH", help="such as 4f, 120ms, 0.5gap, 0.25clip")
    made.add_argument("--hold", type=_length, metavar="LENGTH")
    made.add_argument("--decay", type=_length, metavar="LENGTH")
    made.add_argument("--clips", metavar="1,3-5", help="fire in these clips only, by place on the reel")
    add_several(made, "--key", "NAME@FRAME=VALUE", "NAME is a setting or level")
    made.add_argument("--picture", choices=("on", "off"), help="act on the pictures of --clips alone, not on the frame")
    made.add_argument("--focus", metavar="X,Y", help="shares of the frame from its left and top")
    made.add_argument("--mask", metavar="IMAGE", help="where it shows; '' everywhere")
    made.add_argument("--by-lot", type=count, metavar="SEED", help="paint the lane by lot")
    made.add_argument("--copy-bar", type=count, metavar="N", help="repeat a bar's pattern in the later ones")
    made.add_argument("--shift", type=count, metavar="N", help="by so many points")
    made.add_argument("--mute", choices=("on", "off"))
    made.add_argument("--alone", choices=("on", "off"))
    made.add_argument("--remove", action="store_true")
    made.add_argument("--bundle", metavar="NAME", help="add the lanes of a bundle")
    made.add_argument("--read", type=Path, metavar="FILE", help="add the lanes of a bundle's file")
    made.add_argument("--write", type=Path, metavar="FILE", help="write the lanes to a bundle's file")
    made.add_argument("--from", dest="source", type=Path, metavar="PROJECT", help="copy all lanes of another project")


def _length(text: str) -> Length:
    from tempik.reel import Length

    found = re.fullmatch(r"(\d+(?:\.\d+)?)(f|ms|gap|clip|)", text)
    if found is None:
        raise argparse.ArgumentTypeError(f"'{text}' is no length; give one such as 4f, 120ms, 0.5gap or 0.25clip")
    return Length(float(found[1]), UNITS[found[2]])  # type: ignore[arg-type]


def run(options: Options) -> int:
    """List or change. Raises TempikError with one sentence."""
    from tempik.edit.accents.copying import copied_lanes
    from tempik.project import bundles as accent_library

    if options.list:
        settled(options)
        sys.stdout.write(catalogue_text())
        return 0
    reel = project_of(options, "--list for the accents there are")
    changed = _changed(reel, options)
    ready(reel, changed, options, "write")
    if options.write is not None:
        every = copied_lanes(changed, [r.id for r in changed.accent_lanes])
        accent_library.write_bundle(every, options.write.stem, options.write)
        print(options.write)
    return saved_or_shown(reel, changed, options, table, ("lane", "clips"), ("write",))


def catalogue_text() -> str:
    """Return every accent with its settings, one line each."""
    from tempik.accents import CATALOGUE

    lines = []
    for accent in CATALOGUE.values():
        settings = ", ".join(
            f"{s.name}={s.default:g}" if not isinstance(s.default, str) else f"{s.name}={s.default}"
            for s in accent.settings
        )
        lines.append(f"{accent.name}: {accent.does}" + (f" ({settings})" if settings else ""))
    return "\n".join(lines) + "\n"


def table(reel: Reel) -> str:
    """Return the lanes as CSV."""
    from tempik.timeline.timeline import timeline_of

    names = {b.id: b.name for b in reel.bundles}
    lines = [COLUMNS]
    for number, found in enumerate(timeline_of(reel).accent_lanes, 1):
        lane = found.lane
        accent = lane.accent if found.accent is not None else f"unknown ({lane.accent})"
        lines.append(
            f"{number},{accent},{lane.rule.of},{lane.rule.every},{lane.amount:.2f},{len(found.pulses)},"
            f"{len(lane.overrides)},{'yes' if lane.muted else ''},{'yes' if lane.solo else ''},{names.get(lane.bundle, '')}"
        )
    return "\n".join(lines) + "\n"


def _changed(reel: Reel, options: Options) -> Reel:
    from tempik.edit.accents import lanes as accent_lanes
    from tempik.edit.accents.copying import copied_lanes, pasted_lanes
    from tempik.project import bundles as accent_library
    from tempik.project.file import load_reel

    together(options, "add", "lane")
    if options.source is not None:
        other = load_reel(options.source)
        reel, _ = pasted_lanes(reel, copied_lanes(other, [r.id for r in other.accent_lanes]))
    for what in (
        accent_library.bundle_named(options.bundle) if options.bundle else None,
        accent_library.read_bundle(options.read) if options.read is not None else None,
    ):
        if what is not None:
            reel, _ = pasted_lanes(reel, what, _clips(reel, options.clips))
    for name, value in values_given(options, REEL_SETTINGS, OF_REEL).items():
        change = accent_lanes.with_all_amounts if name == "amount" else accent_lanes.with_shutter
        reel = change(reel, value)
    if options.add:
        reel = accent_lanes.with_lane(reel, options.add)
        return _lane_changed(reel, reel.accent_lanes[-1].id, options)
    if options.lane is None:
        asked = [n for n in _OF_A_ROW if options.is_given(n)]
        if asked and not (options.bundle or options.read):
            raise TempikError(f"Which lane does --{asked[0].replace('_', '-')} change? Give --lane N, or --add NAME.")
        return reel
    return _lane_changed(reel, numbered(reel.accent_lanes, options.lane, "accent lane").id, options)


_OF_A_ROW = (
    *RULE_OPTIONS, "beats_of_bar", "bands", *OF_LANE.values(), "set", "lead", "hold", "decay", "clips", "key", "focus", "mask",
    "by_lot", "copy_bar", "shift", "mute", "alone", "remove",
)  # fmt: skip


def _lane_changed(reel: Reel, lane: str, options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit import ruled
    from tempik.edit.accents import lanes as accent_lanes
    from tempik.reel import Limit

    if options.remove:
        return accent_lanes.without_lane(reel, lane)
    reel = _ruled(reel, lane, options)
    envelope = accent_lanes.envelope_of(accent_lanes.lane_of(reel, lane))
    given = {n: getattr(options, n) for n in ("lead", "hold", "decay") if getattr(options, n) is not None}
    if given:
        reel = accent_lanes.with_envelope(reel, lane, replace(envelope, **given))
    changes = {
        "amount": accent_lanes.with_amount,
        "degree": accent_lanes.with_degree,
        "overlap": accent_lanes.with_overlap,
    }
    for name, value in values_given(options, LANE_SETTINGS, OF_LANE).items():
        reel = changes[name](reel, lane, value)  # type: ignore[operator]
    for text in options.set:
        name, given_value = pair(text, "--set NAME=VALUE")
        reel = accent_lanes.with_setting(reel, lane, name, number_or_text(given_value))
    if options.clips:
        reel = ruled.with_limit(reel, lane, Limit(clips=tuple(_clips(reel, options.clips))))
    if options.picture is not None:
        reel = accent_lanes.with_alone(reel, lane, options.picture == "on")
    if options.focus:
        try:
            x, y = (number_in(t) for t in options.focus.split(","))
        except (ValueError, TempikError):
            raise TempikError(f"'{options.focus}' is no place; give --focus X,Y such as 0.5,0.3.") from None
        reel = accent_lanes.with_focus(reel, lane, x, y)
    if options.mask is not None:
        reel = accent_lanes.with_mask(reel, lane, str(Path(options.mask).absolute()) if options.mask else "")
    for name, change in (("mute", ruled.with_muted), ("alone", ruled.with_solo)):
        if getattr(options, name):
            reel = change(reel, lane, getattr(options, name) == "on")
    return _painted(reel, lane, options)


def _ruled(reel: Reel, lane: str, options: argparse.Namespace) -> Reel:
    from tempik.rhythm.records import BANDS

    more: dict[str, Any] = {}
    if options.bands:
        more["bands"] = bands = tuple(options.bands.split(","))
        unknown = [b for b in bands if b not in BANDS]
        if unknown:
            raise TempikError(f"There is no band '{unknown[0]}'; choose from {', '.join(BANDS)}.")
    return with_rule_given(reel, lane, options, **more)


def _painted(reel: Reel, lane: str, options: argparse.Namespace) -> Reel:
    from tempik.edit.accents.keys import with_key
    from tempik.edit.accents.painting import with_bar_copied, with_lane_shifted, with_random

    if options.shift is not None:
        reel = with_lane_shifted(reel, lane, options.shift)
    if options.by_lot is not None:
        reel = with_random(reel, lane, options.by_lot)
    reel = with_paint_given(reel, lane, options)
    if options.copy_bar is not None:
        reel = with_bar_copied(reel, lane, options.copy_bar)
    for text in options.key:
        place, value = pair(text, "--key NAME@FRAME=VALUE")
        name, _, frame = place.partition("@")
        number = parse_int(frame)
        if number is None or number < 0:
            raise TempikError(f"'{text}' says no frame; give --key NAME@FRAME=VALUE such as level@120=1.")
        reel = with_key(reel, lane, name, number, number_in(value, text))
    return reel


def _clips(reel: Reel, text: str | None) -> list[str]:
    return chosen_clips(reel, text) if text else []
