"""From a timeline to frames and sound: one plan for preview and export alike."""

from tempik.render.compose import compose
from tempik.render.export import Exported, Progress, Settings, export
from tempik.render.pictures import PictureSource
from tempik.render.plan import FramePlan, Shot, plan
from tempik.render.sound import mix

__all__ = [
    "Exported",
    "FramePlan",
    "PictureSource",
    "Progress",
    "Settings",
    "Shot",
    "compose",
    "export",
    "mix",
    "plan",
]
