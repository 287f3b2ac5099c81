"""A frame as it is before any grade: for comparing."""

from __future__ import annotations

from dataclasses import replace

from tempik.render.plan import FramePlan, Pair, Shot


def ungraded(plan: FramePlan) -> FramePlan:
    """Return a plan with the colours that its footage came with."""
    layers = tuple(_layer(layer) for layer in plan.layers)
    echoes = tuple((ungraded(earlier), strength) for earlier, strength in plan.echoes)
    return plan._replace(layers=layers, echoes=echoes, grades=())


def is_graded(plan: FramePlan) -> bool:
    """Tell whether anything grades a frame."""
    inner = (shot.inner for shot in plan.shots)
    return (
        bool(plan.grades)
        or any(s.grades or s.stops for s in plan.shots)
        or any(i is not None and is_graded(i) for i in inner)
    )


def _layer(layer: Shot | Pair) -> Shot | Pair:
    if isinstance(layer, Shot):
        return _shot(layer)
    out, into = (None if shot is None else _shot(shot) for shot in (layer.out, layer.into))
    return replace(layer, out=out, into=into)


def _shot(shot: Shot) -> Shot:
    inner = None if shot.inner is None else ungraded(shot.inner)
    return replace(shot, grades=(), stops=0.0, inner=inner)
