"""Transitions in which one picture fades into the other: nothing moves but light."""

from __future__ import annotations

import math

from tempik.accents.accent import Values, number, words
from tempik.accents.light import exposed, wash
from tempik.accents.look import BLUR, Look
from tempik.media.paint import softened
from tempik.media.picture import Picture
from tempik.settings import Setting
from tempik.transitions.mixing import by_light, dissolved, dissolved_in_light, to_colour
from tempik.transitions.timing import SOFT
from tempik.transitions.transition_type import TransitionFrame, TransitionMix, TransitionMoment, TransitionType

PLAIN = Look()


def crossed(progress: float, share: float) -> float:
    """Return how much of the incoming picture shows where both are mixed over a share of the course about the turn."""
    return min(max((progress - 0.5) / max(share, 1e-6) + 0.5, 0.0), 1.0)


def shown(out: Look, into: Look, weight: float, over: Look = PLAIN) -> TransitionFrame:
    """Return a crossing with so much of the incoming picture; what is not seen need not be made."""
    if 0 < weight < 1:
        return TransitionFrame(out, into, TransitionMix(dissolved, (weight,)), over)
    return TransitionFrame(out, into, over=over, only="into" if weight >= 1 else "out")


def _dissolve(at: TransitionMoment, values: Values) -> TransitionFrame:
    return shown(PLAIN, PLAIN, at.progress)


def _light_dissolve(at: TransitionMoment, values: Values) -> TransitionFrame:
    return TransitionFrame(mix=TransitionMix(dissolved_in_light, (at.progress,)))


def _dip(at: TransitionMoment, values: Values) -> TransitionFrame:
    share = min(1.0, (1 - abs(2 * at.progress - 1)) * at.amount)
    incoming = at.progress >= 0.5
    mix = TransitionMix(to_colour, (words(values, "colour"), share, incoming))
    return TransitionFrame(mix=mix, only="into" if incoming else "out")


def _flash(at: TransitionMoment, values: Values) -> TransitionFrame:
    near = 1 - abs(2 * at.progress - 1)
    light = PLAIN.toned(exposed, number(values, "stops") * at.amount * near**1.5)
    light = light.toned(wash, words(values, "colour"), min(1.0, number(values, "opacity") * at.amount * near * near))
    return TransitionFrame(light, light, only="out" if at.progress < 0.5 else "into")


def _bright_first(at: TransitionMoment, values: Values) -> TransitionFrame:
    mix = TransitionMix(by_light, (at.progress, number(values, "soft"), words(values, "of")))
    return TransitionFrame(mix=mix)


def blurred_by_width(picture: Picture, share: float) -> Picture:
    """Return a picture blurred by a share of its width."""
    return softened(picture, share * picture.size[0])


def _blur_through(at: TransitionMoment, values: Values) -> TransitionFrame:
    size = number(values, "size") * at.amount * math.sin(math.pi * at.progress)
    look = PLAIN.painted(BLUR, blurred_by_width, round(size, 5)) if size > 1e-4 else PLAIN
    return shown(look, look, crossed(at.progress, 0.6))


KINDS = (
    TransitionType("dissolve", "Dissolve", "fade", "the one picture fades into the other as it is displayed", _dissolve),
    TransitionType(
        "light-dissolve", "Dissolve in light", "fade", "the light of both is mixed, as in a double exposure: bright parts stay",
        _light_dissolve,
    ),
    TransitionType(
        "dip", "Dip to a colour", "fade", "to a colour, and out of it again", _dip,
        (Setting("colour", "colour", "#000000"),), frames=10,
    ),
    TransitionType(
        "flash-through", "Flash-through", "fade", "light rises, the picture changes in it, and it falls", _flash,
        (
            Setting("opacity", "white at the turn", 0.85),
            Setting("stops", "brighter by", 2.0, 0, 5, "stops"),
            Setting("colour", "colour", "#ffffff"),
        ),
    ),
    TransitionType(
        "bright-first", "Bright parts first", "fade", "the new picture comes where the old one is bright, the dark parts last",
        _bright_first,
        (
            Setting("soft", "softness", 0.35, 0.02, 1),
            Setting("of", "brightness of", "the old picture", choices=("the old picture", "the new picture")),
        ),
        frames=10,
    ),
    TransitionType(
        "blur-through", "Through a blur", "fade", "out of focus, and in again on the other picture", _blur_through,
        (Setting("size", "blur", 0.035, 0, 0.2),), ease=SOFT,
    ),
)  # fmt: skip
