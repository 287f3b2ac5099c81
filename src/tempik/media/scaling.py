"""Pixels of one kind as those of another."""

from __future__ import annotations

import threading
from typing import Any

from av import VideoFrame
from av.video.reformatter import VideoReformatter

_OWN = threading.local()


def converted(frame: VideoFrame, pixels: str, **how: Any) -> VideoFrame:
    """Return a frame in another pixel format; `how` is what the binding's `VideoFrame.reformat` takes.

    That one makes a converter, and threads for it, for each frame, which takes a third of the time of a 4:2:2 frame of 1080p and
    nine tenths of a small one's. Here each thread has one of its own: they must not be shared.
    """
    converter = getattr(_OWN, "converter", None)
    if converter is None:
        converter = _OWN.converter = VideoReformatter()
    return converter.reformat(frame, format=pixels, **how)
