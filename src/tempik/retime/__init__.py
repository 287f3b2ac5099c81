"""Speed curves, shapes and pins, and the exact time map that says which source instant is on screen."""

from tempik.retime.curve import average_speed, constant, cut_out, ramp, reversed_curve, scaled, speed_at, speed_range
from tempik.retime.pins import PinnedCurve, through
from tempik.retime.shapes import READY, SlotAnchors, ready_shape, shape_of, shaped_curve
from tempik.retime.timemap import TimeMap

__all__ = [
    "READY",
    "PinnedCurve",
    "SlotAnchors",
    "TimeMap",
    "average_speed",
    "constant",
    "cut_out",
    "ramp",
    "ready_shape",
    "reversed_curve",
    "scaled",
    "shape_of",
    "shaped_curve",
    "speed_at",
    "speed_range",
    "through",
]
