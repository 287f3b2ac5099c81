"""Writing the demo's footage: scenes drawn and encoded, the same bytes at every run of the same libraries."""

from __future__ import annotations

import sys
from collections import deque
from collections.abc import Callable, Iterator
from concurrent.futures import ThreadPoolExecutor
from fractions import Fraction
from pathlib import Path

import av
import cv2
import numpy as np

from tempik.demo.drawing import Image
from tempik.demo.scenes import SCENES, Scene
from tempik.demo.song import RATE, blow_sound
from tempik.disk.writing import fresh_file
from tempik.media.scaling import converted

AHEAD = 4  # frames that are drawn before they are encoded


def footage_name(scene: Scene) -> str:
    """Return the file name of a scene's footage."""
    return f"{scene.name}.mp4"


def write_scene(scene: Scene, folder: Path) -> None:
    """Draw and encode one piece of footage."""
    with fresh_file(folder / footage_name(scene)) as new:
        _encode(scene, new.path)


def _encode(scene: Scene, path: Path) -> None:
    cv2.setNumThreads(1)  # two scenes at a time fill two cores
    with av.open(str(path), "w", format="mp4", options={"movflags": "+faststart"}) as container:
        # One thread: the bytes must not depend on the machine.
        options = {"preset": "superfast", "crf": "22", "threads": "1"}
        video = container.add_stream("libx264", rate=scene.rate, options=options)
        video.width, video.height, video.pix_fmt = scene.width, scene.height, "yuv420p"
        video.codec_context.gop_size = scene.rate // 2
        video.codec_context.color_range = 1
        video.codec_context.colorspace = video.codec_context.color_primaries = video.codec_context.color_trc = 1
        audio = container.add_stream("aac", rate=RATE, layout="mono") if scene.sound_ring is not None else None
        for number, frame in enumerate(_drawn(scene)):
            frame.pts, frame.time_base = number, Fraction(1, scene.rate)
            container.mux(video.encode(frame))
        container.mux(video.encode(None))
        if audio is not None and scene.sound_ring is not None:
            samples = blow_sound(scene.cue_s, scene.frames / scene.rate, scene.sound_ring, scene.frames)
            for start in range(0, len(samples), 1024):
                block = samples[None, start : start + 1024].astype(np.float32)
                sound = av.AudioFrame.from_ndarray(np.ascontiguousarray(block), "fltp", "mono")
                sound.sample_rate, sound.pts, sound.time_base = RATE, start, Fraction(1, RATE)
                container.mux(audio.encode(sound))
            container.mux(audio.encode(None))


def _drawn(scene: Scene) -> Iterator[av.VideoFrame]:
    """Yield a scene's frames; some are drawn ahead on a thread while others are encoded."""
    draw = scene.build(scene.width, scene.height)

    def frame(number: int) -> av.VideoFrame:
        made = av.VideoFrame.from_ndarray(_picture(scene, draw, number), "bgr24")
        return converted(made, "yuv420p", dst_colorspace="ITU709", dst_color_range="MPEG")

    with ThreadPoolExecutor(1) as ahead:
        waiting = deque(ahead.submit(frame, number) for number in range(AHEAD))
        for number in range(scene.frames):
            made = waiting.popleft().result()
            if number + AHEAD < scene.frames:
                waiting.append(ahead.submit(frame, number + AHEAD))
            yield made


def _picture(scene: Scene, draw: Callable[[float], Image], number: int) -> Image:
    # The cue's own frame is never one of those that repeat.
    if scene.repeats and (number - scene.cue_frame) % 5 == 2:
        number -= 1
    return draw((number - scene.cue_frame) / scene.rate)


if __name__ == "__main__":
    into, *wanted = sys.argv[1:]
    for scene in SCENES:
        if footage_name(scene) in wanted:
            write_scene(scene, Path(into))
