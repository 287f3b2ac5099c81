"""What a plan costs, to know which frames are worth making ahead."""

from __future__ import annotations

import numpy as np

from tempik.accents.look import BLOCKS, BLUR, LENS, SHADE, SPLIT, WASH
from tempik.grade.pointwise import acts
from tempik.media.paint import halvings, reach_px
from tempik.reel import Grade
from tempik.render.plan import FramePlan, Pair

# What things cost against one warp of the frame, roughly, as `./run bench` shows them.
STAGE_COSTS = {LENS: 1.6, BLOCKS: 0.5, BLUR: 2.5, SPLIT: 2.2, WASH: 1.8, SHADE: 0.8}
BETWEEN_COSTS = {"nearest": 0.0, "blend": 1.2, "flow": 8.0}
MIX_COST = 1.2
# Of a grade: its look-up, and each of its effects.
GRADE_COST, FINISH_COST = 1.5, 0.8
# Frames dearer than this are made ahead.
HEAVY = 3.2


def weight(plan: FramePlan) -> float:
    """Return what a plan costs against one warp of the frame."""
    total = 0.0
    for layer in plan.layer_plans:
        total += weight(layer.inner) if layer.inner is not None else 0.0
        total += 1.0 + (BETWEEN_COSTS[layer.interpolation] if layer.share or layer.number is None else 0.0)
        for segment in layer.segments:
            steps = halvings(reach_px(segment.sweep, (plan.width, plan.height)))
            moves_only = bool(np.abs(segment.sweep[:, :2] - np.eye(2)).max() * max(plan.width, plan.height) < 0.5)
            total += steps * (0.25 if moves_only else 1.0)
        total += max(0, len(layer.segments) - 1)
    for pair in plan.layers:
        if isinstance(pair, Pair):
            looks = (pair.transition_frame.out, pair.transition_frame.into, pair.transition_frame.over)
            total += sum(STAGE_COSTS.get(e.stage, 1.0) for look in looks for e in look.effects)
            total += MIX_COST if pair.transition_frame.mix is not None else 0.0
    total += sum(STAGE_COSTS.get(e.stage, 1.0) for e in plan.look.effects)
    total += sum(_grade_weight(grade) for grade, _ in plan.all_grades)
    return total + sum(weight(earlier) for earlier, _ in plan.echoes)


def _grade_weight(grade: Grade) -> float:
    effects = (grade.fringe, grade.soft, grade.glow, grade.sharpen, grade.vignette, grade.grain)
    return (GRADE_COST if acts(grade) else 0.0) + FINISH_COST * sum(map(bool, effects))
