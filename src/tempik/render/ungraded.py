"""A frame as it is before any grade: for comparing."""

from __future__ import annotations

from dataclasses import replace

from tempik.render.plan import FramePlan, LayerPlan, Pair


def ungraded(plan: FramePlan) -> FramePlan:
    """Return a plan with the colours that its footage came with."""
    layers = tuple(_layer(layer) for layer in plan.layers)
    echoes = tuple((ungraded(earlier), strength) for earlier, strength in plan.echoes)
    return plan._replace(layers=layers, echoes=echoes, grades=())


def is_graded(plan: FramePlan) -> bool:
    """Tell whether anything grades a frame."""
    inner = (layer_plan.inner for layer_plan in plan.layer_plans)
    return (
        bool(plan.grades)
        or any(s.grades or s.stops for s in plan.layer_plans)
        or any(i is not None and is_graded(i) for i in inner)
    )


def _layer(layer: LayerPlan | Pair) -> LayerPlan | Pair:
    if isinstance(layer, LayerPlan):
        return _layer_plan(layer)
    out, into = (None if layer_plan is None else _layer_plan(layer_plan) for layer_plan in (layer.out, layer.into))
    return replace(layer, out=out, into=into)


def _layer_plan(layer_plan: LayerPlan) -> LayerPlan:
    inner = None if layer_plan.inner is None else ungraded(layer_plan.inner)
    return replace(layer_plan, grades=(), stops=0.0, inner=inner)
