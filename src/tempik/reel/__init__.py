"""The model: frozen records, validation, and the project file."""

from tempik.reel.model import (
    AccentRow,
    Clip,
    Cue,
    Curve,
    Edge,
    Footage,
    Node,
    Painted,
    Pin,
    Point,
    PointKind,
    Reel,
    Rule,
    Soundtrack,
    by_id,
    new_id,
)

__all__ = [
    "AccentRow",
    "Clip",
    "Cue",
    "Curve",
    "Edge",
    "Footage",
    "Node",
    "Painted",
    "Pin",
    "Point",
    "PointKind",
    "Reel",
    "Rule",
    "Soundtrack",
    "by_id",
    "new_id",
]
