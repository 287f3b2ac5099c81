"""Accents: short picture events fired by points. Envelopes, the rule of a lane, and the catalogue."""

from tempik.accents.accent import Accent
from tempik.accents.apply import applied
from tempik.accents.catalogue import CATALOGUE, accent_named, setting_problem, settled
from tempik.accents.envelope import Form, form_of, level, span_frames
from tempik.accents.evaluated import EvaluatedLane, Pulse, Ruled, RuleScene, Span, Step
from tempik.accents.look import Look
from tempik.accents.pulses import clashes, evaluated, look_at, pulse_level

__all__ = [
    "CATALOGUE",
    "Accent",
    "EvaluatedLane",
    "Form",
    "Look",
    "Pulse",
    "RuleScene",
    "Ruled",
    "Span",
    "Step",
    "accent_named",
    "applied",
    "clashes",
    "evaluated",
    "form_of",
    "level",
    "look_at",
    "pulse_level",
    "setting_problem",
    "settled",
    "span_frames",
]
