"""What fires a lane of accents or of sounds, as options: the same for both."""

from __future__ import annotations

import argparse
from typing import TYPE_CHECKING, Any

from tempik.cli.options import add_several, count, pair, percent_in, real, whole_numbers
from tempik.cli.places import numbered, point_named
from tempik.digits import parse_int
from tempik.errors import TempikError

if TYPE_CHECKING:
    from tempik.reel import Reel

KINDS = ("points", "bars", "onsets", "drops", "cuts", "transitions", "starts", "ends", "pins", "frames", "hand")
# Options that change a lane's rule or what is painted over it.
RULE_OPTIONS = ("on", "every", "offset", "at_least", "paint", "seed")


def add_rule(made: argparse.ArgumentParser, beats: str, kinds: tuple[str, ...] = KINDS, more: str = "") -> None:
    """Declare the options of a rule; `beats` is the option that names beats of the bar, `more` says what else fires the lane."""
    made.add_argument("--on", metavar="RULE", help=f"what fires it: {', '.join(kinds)}{more}")
    made.add_argument("--every", type=count, metavar="N", help="every n-th of them")
    made.add_argument("--offset", type=count, metavar="N", help="begin so many later")
    made.add_argument(beats, dest="beats_of_bar", type=whole_numbers, metavar="2,4", help="of --on bars")
    made.add_argument("--at-least", type=real, metavar="PERCENT", help="strength of the point")
    add_several(made, "--paint", "BAR.BEAT=PERCENT", "0 silences a point")
    made.add_argument("--seed", type=count, metavar="N", help="another draw of what is drawn by lot")


def with_rule_given(
    reel: Reel, lane: str, options: argparse.Namespace, kinds: tuple[str, ...] = KINDS, **more: Any
) -> Reel:
    """Return the reel with a lane's rule as the options have it; `more` are fields beside. Raises TempikError for what fires none."""
    from msgspec.structs import replace

    from tempik.edit import ruled

    changes: dict[str, Any] = dict(more)
    if options.on is not None:
        kind, _, number = options.on.partition(":")
        if kind == "lane" and "frames" not in kinds:
            changes |= {"of": "pulses", "lane": numbered(reel.accent_lanes, parse_int(number), "accent lane").id}
        elif options.on not in kinds:
            raise TempikError(f"A lane cannot fire on '{options.on}'; choose from {', '.join(kinds)}.")
        else:
            changes["of"] = kind
    for name, given in (("every", options.every), ("offset", options.offset), ("beats", options.beats_of_bar)):
        if given is not None:
            changes[name] = given
    if options.at_least is not None:
        changes["at_least"] = options.at_least / 100
    if changes:
        reel = ruled.with_rule(reel, lane, replace(ruled.any_lane(reel, lane).rule, **changes))
    return ruled.with_seed(reel, lane, options.seed) if options.seed is not None else reel


def with_paint_given(reel: Reel, lane: str, options: argparse.Namespace) -> Reel:
    """Return the reel with the points of a lane painted that the options name."""
    from tempik.edit.accents.painting import with_painted

    for text in options.paint:
        label, value = pair(text, "--paint BAR.BEAT=PERCENT")
        reel = with_painted(reel, lane, point_named(reel, label), percent_in(value, text))
    return reel
