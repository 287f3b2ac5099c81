"""Curves of ease by name: how far something has come at a share of its time, the same wherever a name is used.

Each is given twice: as a function, and as the two handles of the cubic Bézier curve from (0, 0) to (1, 1) that is that function
(x² with its handles at (1/3, 0) and (2/3, 1/3), and so on), for what bends curves by handles.
"""

from __future__ import annotations

from collections.abc import Callable

# x and y of the first handle, x and y of the second.
Handles = tuple[float, float, float, float]

EASES: dict[str, Callable[[float], float]] = {
    "even": lambda x: x,
    "soft": lambda x: x * x * (3 - 2 * x),
    "slow start": lambda x: x * x,
    "slow end": lambda x: x * (2 - x),
    "hold": lambda x: 0.0,
}
_THIRD = 1 / 3
HANDLES: dict[str, Handles] = {
    "even": (0.0, 0.0, 1.0, 1.0),
    "soft": (_THIRD, 0.0, 2 * _THIRD, 1.0),
    "slow start": (_THIRD, 0.0, 2 * _THIRD, _THIRD),
    "slow end": (_THIRD, 2 * _THIRD, 2 * _THIRD, 1.0),
}
