"""From a timeline to frames and sound: one plan for preview and export alike."""

from tempik.render.compose import compose
from tempik.render.export import Exported, ExportSettings, Progress, export
from tempik.render.pictures import PictureSource
from tempik.render.plan import FramePlan, LayerPlan, plan
from tempik.render.sound import mix

__all__ = [
    "ExportSettings",
    "Exported",
    "FramePlan",
    "LayerPlan",
    "PictureSource",
    "Progress",
    "compose",
    "export",
    "mix",
    "plan",
]
