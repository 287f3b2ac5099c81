"""Speed curves and the exact time map that says which source instant is on screen."""

from tempik.retime.curve import average_speed, constant, cut_out, ramp, reversed_curve, scaled, speed_at, speed_range
from tempik.retime.pins import Bent, through
from tempik.retime.timemap import TimeMap

__all__ = [
    "Bent",
    "TimeMap",
    "average_speed",
    "constant",
    "cut_out",
    "ramp",
    "reversed_curve",
    "scaled",
    "speed_at",
    "speed_range",
    "through",
]
