"""The demo's footage: eight moments of a smithy's open day, each with one decisive frame that is known exactly.

A scene is data plus one small function from time to picture. Times are seconds since the cue, so a scene cannot
drift from its truth.
"""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import cv2
import numpy as np

from tempik.demo.drawing import (
    EMBER,
    HOT,
    IRON,
    IRON_EDGE,
    STEAM,
    WHITE_HOT,
    Image,
    Light,
    Sparks,
    anvil,
    edge,
    hammer,
    room,
    shape,
    turned,
)

Draw = Callable[[float], Image]


class Scene(NamedTuple):
    """A piece of footage to be made: `cue_frame` is the number of its decisive frame."""

    name: str
    width: int
    height: int
    rate: int
    frames: int
    cue_frame: int
    build: Callable[[int, int], Draw]
    sound_ring: float | None = None  # how long the blow rings, None for footage without sound
    repeats: bool = False  # every fifth frame is shown twice in place of a new one

    @property
    def cue_s(self) -> float:
        """The second of its decisive frame."""
        return self.cue_frame / self.rate


def _swing(since: float, raised: float, up_s: float = 0.75) -> float:
    """Return a hammer's angle: raised slowly, brought down ever faster, on the work at 0, with a small rebound."""
    if since < -0.28:
        return raised * float(np.sin(np.clip((since + 0.28 + up_s) / up_s, 0, 1) * np.pi / 2) ** 2)
    if since < 0:
        return raised * (1 - ((since + 0.28) / 0.28) ** 2)
    if since < 0.4:
        return raised * 0.2 * float(np.sin(np.pi * since / 0.4) * (1 - since))
    return raised * float(np.sin(np.clip((since - 0.4) / 1.2, 0, 1) * np.pi / 2) ** 2) * 0.8


def hammer_blow(width: int, height: int) -> Draw:
    """Return what draws a hammer that strikes an anvil."""
    ground = room(width, height, (0.5, 0.6), (38, 88, 178), 0.7)
    x, y, size = width * 0.46, height * 0.62, width * 0.5
    sparks = Sparks(11, 190, width, (15, 165), 2.6)
    second = Sparks(12, 70, width, (-10, 190), 1.2)

    def draw(since: float) -> Image:
        image = ground.copy()
        anvil(image, x, y, size)
        shape(
            image,
            [
                (x - 0.62 * size, y - 0.075 * size),
                (x + 0.3 * size, y - 0.075 * size),
                (x + 0.3 * size, y),
                (x - 0.62 * size, y),
            ],
            HOT,
        )
        top = y - 0.075 * size
        hammer(image, x, top, size * 0.5, _swing(since, 58), (x + 1.05 * size, top - 0.5 * size))
        light = Light(width, height)
        flare = float(np.exp(-max(since, 0) / 0.07)) if since >= 0 else 0.0
        light.glow(x - 0.1 * size, top, 0.62 * size, EMBER, 0.55)
        if since >= 0:
            light.glow(x, top, 0.8 * size, WHITE_HOT, 1.3 * flare)
            sparks.draw(light, (x, top), since)
            second.draw(light, (x, top), since)
        return light.over(image)

    return draw


def hammer_close(width: int, height: int) -> Draw:
    """Return what draws the same blow from close by."""
    ground = room(width, height, (0.42, 0.7), (34, 76, 165), 0.9)
    x, y, size = width * 0.44, height * 0.8, height * 1.0
    sparks = Sparks(21, 170, height, (10, 170), 2.2)

    def draw(since: float) -> Image:
        image = ground.copy()
        shape(
            image,
            [
                (0, y),
                (width * 0.86, y),
                (width * 0.86, y + height * 0.12),
                (width * 0.7, height),
                (0, height),
            ],
            IRON,
        )
        edge(image, [(0, y), (width * 0.86, y)], IRON_EDGE, 3)
        flat = 0.11 - (0.035 if since >= 0 else 0.0)  # the bar is thinner after the blow
        shape(
            image,
            [(0, y - flat * size), (x + 0.3 * size, y - flat * size), (x + 0.34 * size, y), (0, y)],
            HOT,
        )
        shape(
            image,
            [
                (0, y - flat * size),
                (x + 0.1 * size, y - flat * size),
                (x + 0.1 * size, y - 0.3 * flat * size),
                (0, y - 0.3 * flat * size),
            ],
            WHITE_HOT,
        )
        top = y - 0.075 * size
        hammer(image, x, top, size * 0.5, _swing(since, 44), (x + 1.3 * size, top - 0.35 * size))
        light = Light(width, height)
        light.glow(x - 0.2 * size, y - 0.1 * size, 0.7 * size, EMBER, 0.5)
        if since >= 0:
            light.glow(x, top, 0.6 * size, WHITE_HOT, 1.5 * float(np.exp(-since / 0.06)))
            sparks.draw(light, (x, top), since)
        return light.over(image)

    return draw


def bellows(width: int, height: int) -> Draw:
    """Return what draws glowing coals that the bellows brighten."""
    ground = room(width, height, (0.5, 0.85), (26, 62, 150), 0.75)
    rng = np.random.default_rng(31)
    coals = [
        (rng.uniform(0.1, 0.9) * width, rng.uniform(0.8, 0.97) * height, rng.uniform(0.03, 0.075) * width)
        for _ in range(90)
    ]
    puff = Sparks(32, 110, width, (55, 125), 1.7)

    def draw(since: float) -> Image:
        image = ground.copy()
        # Open before the cue, shut exactly on it, opening again after.
        opened = (
            0.5 * (1 - np.cos(np.pi * np.clip(-since / 0.9, 0, 1)))
            if since < 0
            else float(np.clip(since / 1.3, 0, 1)) ** 1.5
        )
        heat = float(np.exp(-max(since, 0) / 0.35)) if since >= 0 else 0.15 + 0.1 * (1 - opened)
        cx, cy, size = width * 0.5, height * 0.42, width * 0.42
        gap = (0.06 + 0.42 * opened) * size
        for side in (-1, 1):
            shape(
                image,
                [
                    (cx - 0.75 * size, cy + side * gap),
                    (cx + 0.55 * size, cy + side * gap * 0.5),
                    (cx + 0.75 * size, cy + side * 6),
                    (cx + 0.6 * size, cy + side * (gap * 0.5 + 0.08 * size)),
                    (cx - 0.78 * size, cy + side * (gap + 0.11 * size)),
                ],
                (40, 62, 98),
            )
        for fold in range(5):
            fx = cx - 0.6 * size + fold * 0.24 * size
            edge(
                image,
                [
                    (fx, cy - gap * (1 - 0.12 * fold)),
                    (fx + 0.09 * size, cy),
                    (fx, cy + gap * (1 - 0.12 * fold)),
                ],
                (28, 36, 52),
                6,
            )
        shape(
            image,
            [
                (cx + 0.62 * size, cy - 0.07 * size),
                (cx + 0.9 * size, cy + 0.5 * size),
                (cx + 0.8 * size, cy + 0.55 * size),
                (cx + 0.5 * size, cy + 0.05 * size),
            ],
            IRON,
        )
        light = Light(width, height)
        for number, (x, y, r) in enumerate(coals):
            flicker = 0.75 + 0.25 * np.sin(number * 1.7 + since * 9)
            tint = tuple(int(c * (0.25 + 0.75 * heat) * flicker) for c in (40, 120, 250))
            cv2.circle(image, (int(x), int(y)), int(r), (int(tint[0]), int(tint[1]), int(tint[2])), -1, cv2.LINE_AA)
        light.glow(width / 2, height * 0.88, width * 0.8, EMBER, 0.35 + 1.0 * heat)
        if since >= 0:
            puff.draw(light, (width * 0.55, height * 0.8), since)
        return light.over(image)

    return draw


def quench(width: int, height: int) -> Draw:
    """Return what draws iron that is plunged into water, and the steam."""
    ground = room(width, height, (0.5, 0.45), (120, 96, 60), 0.8)
    rng = np.random.default_rng(41)
    clouds = [
        (rng.uniform(-0.3, 0.3), rng.uniform(0.25, 1.0), rng.uniform(0.08, 0.22), rng.uniform(0, 0.5))
        for _ in range(46)
    ]
    drops = Sparks(42, 90, width, (35, 145), 1.9)

    def draw(since: float) -> Image:
        image = ground.copy()
        water = height * 0.66
        cx = width * 0.5
        depth = since * 1.5 * height if since < 0 else min(0.16, 0.5 * since) * height
        tip = water + max(depth, -0.6 * height)
        cool = float(np.clip(since / 1.0, 0, 1)) if since > 0 else 0.0
        hot = tuple(int(a * (1 - cool) + b * cool) for a, b in zip(WHITE_HOT, (60, 66, 84), strict=True))
        shape(
            image,
            [
                (cx - 0.045 * width, tip - 0.75 * height),
                (cx + 0.045 * width, tip - 0.75 * height),
                (cx + 0.045 * width, tip - 0.06 * width),
                (cx, tip),
                (cx - 0.045 * width, tip - 0.06 * width),
            ],
            (hot[0], hot[1], hot[2]),
        )
        shape(
            image,
            [
                (cx - 0.06 * width, -10),
                (cx + 0.06 * width, -10),
                (cx + 0.06 * width, tip - 0.55 * height),
                (cx - 0.06 * width, tip - 0.55 * height),
            ],
            IRON,
        )
        tub = [
            (0.14 * width, water),
            (0.86 * width, water),
            (0.8 * width, height * 0.94),
            (0.2 * width, height * 0.94),
        ]
        surface = 0.012 * height * float(np.exp(-max(since, 0) / 0.4)) if since >= 0 else 0.0
        wave = [
            (
                0.14 * width + 0.72 * width * i / 40,
                water
                + surface * np.sin(i * 0.9 - since * 22)
                - (0.02 * height if since >= 0 and abs(i - 20) < 4 else 0),
            )
            for i in range(41)
        ]
        shape(image, [*wave, *tub[2:]], (66, 48, 30))
        edge(image, wave, (170, 150, 120), 3)
        shape(image, [tub[0], (0.17 * width, water), (0.225 * width, height * 0.94), tub[3]], (30, 40, 60))
        shape(image, [tub[1], (0.83 * width, water), (0.775 * width, height * 0.94), tub[2]], (30, 40, 60))
        light = Light(width, height)
        light.glow(cx, tip - 0.2 * height, 0.5 * width, EMBER, 0.7 * (1 - cool))
        if since >= 0:
            for dx, rise, size, late in clouds:
                age = since - late * 0.5
                if age > 0:
                    fade = float(np.exp(-age / 0.7)) * min(1.0, age / 0.05)
                    light.glow(
                        cx + dx * width * (0.6 + age),
                        water - rise * height * 0.55 * (1 - np.exp(-2 * age)),
                        size * width * (0.7 + 1.3 * age),
                        STEAM,
                        0.22 * fade,
                    )
            drops.draw(light, (cx, water), since, 0.01)
        return light.over(image)

    return draw


def grinding(width: int, height: int) -> Draw:
    """Return what draws streams of sparks from a grindstone."""
    ground = room(width, height, (0.55, 0.5), (44, 74, 130), 0.9)
    streams = [Sparks(50 + i, 26, height, (-28, 24), 3.0) for i in range(14)]

    def draw(since: float) -> Image:
        image = ground.copy()
        cx, cy, radius = width * 0.36, height * 0.58, height * 0.3
        cv2.circle(image, (int(cx), int(cy)), int(radius), (58, 60, 66), -1, cv2.LINE_AA)
        cv2.circle(image, (int(cx), int(cy)), int(radius * 0.96), (44, 46, 52), -1, cv2.LINE_AA)
        for spoke in range(9):
            a = spoke * 40 + since * 800
            arm = turned([(cx + radius * 0.2, cy), (cx + radius * 0.9, cy)], a, (cx, cy))
            edge(image, arm, (54, 57, 64), 5)
        cv2.circle(image, (int(cx), int(cy)), int(radius * 0.16), IRON, -1, cv2.LINE_AA)
        shape(
            image,
            [
                (cx - 0.1 * height, cy),
                (cx + 0.1 * height, cy),
                (cx + 0.25 * height, height),
                (cx - 0.25 * height, height),
            ],
            IRON,
        )
        # The blade comes down on the wheel and touches it at the cue.
        lift = float(np.clip(-since / 0.6, 0, 1)) ** 1.5 * height * 0.32
        px, py = cx + radius * 0.72, cy - radius * 0.72 - lift
        shape(
            image,
            [
                (px, py),
                (px + width * 0.5, py - height * 0.2),
                (px + width * 0.5, py - height * 0.13),
                (px + 0.02 * width, py + 0.02 * height),
            ],
            (128, 132, 140),
        )
        shape(
            image,
            [
                (px + width * 0.36, py - height * 0.165),
                (px + width * 0.62, py - height * 0.28),
                (px + width * 0.62, py - height * 0.15),
                (px + width * 0.37, py - height * 0.085),
            ],
            (36, 50, 76),
        )
        light = Light(width, height)
        if since >= 0:
            burst = 1.0 + 1.6 * float(np.exp(-since / 0.08))
            light.glow(px, py, 0.2 * height * burst, WHITE_HOT, 0.9)
            for number, stream in enumerate(streams):
                age = (since - number * 0.07) % (len(streams) * 0.07)
                if since >= number * 0.07:
                    stream.draw(light, (px, py), age)
        return light.over(image)

    return draw


def tongs(width: int, height: int) -> Draw:
    """Return what draws tongs that turn a glowing iron."""
    ground = room(width, height, (0.5, 0.55), (40, 80, 160), 0.65)

    def draw(since: float) -> Image:
        image = ground.copy()
        cx, cy = width * 0.5, height * 0.56
        closing = float(np.clip(-since / 0.55, 0, 1)) ** 2 if since < 0 else 0.0
        lift = float(np.clip((since - 0.25) / 1.1, 0, 1)) ** 1.6 * height * 0.4 if since > 0.25 else 0.0
        bar_y = cy - lift
        shape(
            image,
            [
                (cx - 0.1 * width, bar_y - 0.13 * height),
                (cx + 0.1 * width, bar_y - 0.13 * height),
                (cx + 0.1 * width, bar_y + 0.13 * height),
                (cx - 0.1 * width, bar_y + 0.13 * height),
            ],
            HOT,
        )
        shape(
            image,
            [
                (cx - 0.06 * width, bar_y - 0.12 * height),
                (cx + 0.04 * width, bar_y - 0.12 * height),
                (cx + 0.04 * width, bar_y + 0.12 * height),
                (cx - 0.06 * width, bar_y + 0.12 * height),
            ],
            WHITE_HOT,
        )
        joint = (cx, bar_y - 0.36 * height)
        spread = 26 * closing
        for side in (-1, 1):
            jaw = [
                (joint[0], joint[1]),
                (joint[0] + side * 0.17 * width, joint[1] + 0.13 * height),
                (joint[0] + side * 0.115 * width, bar_y - 0.02 * height),
                (joint[0] + side * 0.115 * width, bar_y + 0.05 * height),
                (joint[0] + side * 0.19 * width, bar_y + 0.05 * height),
                (joint[0] + side * 0.25 * width, joint[1] + 0.12 * height),
                (joint[0] + side * 0.05 * width, joint[1] - 0.03 * height),
            ]
            shape(image, turned(jaw, -side * spread, joint), (34, 32, 32))
            edge(image, turned(jaw[3:6], -side * spread, joint), (84, 104, 140), 3)
            rein = [
                (joint[0] - 0.03 * width, joint[1]),
                (joint[0] + 0.03 * width, joint[1]),
                (joint[0] + side * 0.2 * width + 0.03 * width, -0.2 * height),
                (joint[0] + side * 0.2 * width - 0.03 * width, -0.2 * height),
            ]
            shape(image, turned(rein, side * spread * 0.6, joint), (34, 32, 32))
        cv2.circle(image, (int(joint[0]), int(joint[1])), int(0.035 * width), (70, 84, 110), -1, cv2.LINE_AA)
        light = Light(width, height)
        light.glow(cx, bar_y, width * 0.5, EMBER, 0.8)
        if since >= 0:
            light.glow(cx, bar_y, width * 0.55, WHITE_HOT, 0.9 * float(np.exp(-since / 0.09)))
        return light.over(image)

    return draw


def door_of_light(width: int, height: int) -> Draw:
    """Return what draws a door that swings open onto light."""
    ground = room(width, height, (0.5, 0.5), (20, 22, 28), 0.8)

    def draw(since: float) -> Image:
        image = ground.copy()
        # Swings open ever faster and stops dead at the cue.
        opened = float(np.clip(1 + since / 1.1, 0, 1)) ** 2.4
        half = 0.20 * width
        cx, top, bottom = width * 0.5, height * 0.12, height * 0.92
        glowing = tuple(int(c * (0.25 + 0.75 * opened)) for c in (150, 205, 250))
        shape(
            image,
            [
                (cx - half * opened, top),
                (cx + half * opened, top),
                (cx + half * opened, bottom),
                (cx - half * opened, bottom),
            ],
            (glowing[0], glowing[1], glowing[2]),
        )
        for side in (-1, 1):
            inner, outer = cx + side * half * opened, cx + side * half
            skew = 0.05 * height * opened
            shape(
                image,
                [(inner, top + skew), (outer, top), (outer, bottom), (inner, bottom - skew * 0.3)],
                (26, 34, 50),
            )
            for plank in range(1, 4):
                px = inner + (outer - inner) * plank / 4
                edge(image, [(px, top + skew * (1 - plank / 4)), (px, bottom)], (18, 24, 36), 3)
        # The smith steps into the light after the door stands open.
        if opened > 0.4:
            s = height * 0.34
            fx, fy = cx + width * 0.02 * float(np.clip(since, 0, 1)), bottom
            shape(
                image,
                [
                    (fx - 0.16 * s, fy),
                    (fx - 0.2 * s, fy - 1.0 * s),
                    (fx - 0.3 * s, fy - 1.05 * s),
                    (fx - 0.26 * s, fy - 1.35 * s),
                    (fx + 0.26 * s, fy - 1.35 * s),
                    (fx + 0.3 * s, fy - 1.05 * s),
                    (fx + 0.2 * s, fy - 1.0 * s),
                    (fx + 0.16 * s, fy),
                ],
                (14, 15, 20),
            )
            cv2.circle(image, (int(fx), int(fy - 1.53 * s)), int(0.15 * s), (14, 15, 20), -1, cv2.LINE_AA)
            shape(
                image,
                [
                    (fx + 0.22 * s, fy - 1.2 * s),
                    (fx + 0.5 * s, fy - 0.8 * s),
                    (fx + 0.44 * s, fy - 0.74 * s),
                    (fx + 0.16 * s, fy - 1.05 * s),
                ],
                (14, 15, 20),
            )
            shape(
                image,
                [
                    (fx + 0.36 * s, fy - 0.72 * s),
                    (fx + 0.62 * s, fy - 0.86 * s),
                    (fx + 0.66 * s, fy - 0.76 * s),
                    (fx + 0.4 * s, fy - 0.62 * s),
                ],
                (14, 15, 20),
            )
        floor = [
            (cx - half * opened, bottom),
            (cx + half * opened, bottom),
            (cx + half * opened * 2.4, height),
            (cx - half * opened * 2.4, height),
        ]
        shape(image, floor, tuple(int(g * 0.5) for g in glowing[:2]) + (int(glowing[2] * 0.5),))  # type: ignore[arg-type]
        light = Light(width, height)
        light.glow(cx, height * 0.5, width * 0.5, (120, 180, 240), 0.15 + 0.75 * opened)
        if since >= 0:
            light.glow(cx, height * 0.5, width * 0.6, (200, 225, 255), 0.8 * float(np.exp(-since / 0.12)))
        return light.over(image)

    return draw


def embers(width: int, height: int) -> Draw:
    """Return what draws embers that rise and burst."""
    ground = room(width, height, (0.5, 1.0), (24, 60, 150), 0.8)
    rng = np.random.default_rng(71)
    motes = rng.uniform(0, 1, (150, 5))
    burst = Sparks(72, 150, width, (40, 140), 2.4)

    def draw(since: float) -> Image:
        image = ground.copy()
        shape(
            image,
            [
                (0, height * 0.93),
                (width * 0.3, height * 0.9),
                (width * 0.55, height * 0.92),
                (width, height * 0.895),
                (width, height),
                (0, height),
            ],
            (16, 24, 44),
        )
        light = Light(width, height)
        light.glow(width * 0.5, height * 0.96, width * 0.9, EMBER, 0.55)
        for x, y, speed, phase, size in motes:
            rise = (y + (0.10 + 0.22 * speed) * (since + 4)) % 1.0
            sway = 0.035 * np.sin(6.28 * phase + since * (1.5 + 2 * speed))
            px, py = (x + sway) * width, (1 - rise) * height
            dim = float(np.sin(np.pi * rise)) * (0.5 + 0.5 * np.sin(6.28 * phase + since * 7))
            if dim > 0.08:
                tint = (int(30 * dim), int(120 * dim), int(250 * dim))
                light.streak((px, py), (px + sway * 40, py + 6 + 12 * speed), tint, 2 + int(3 * size))
        if since >= 0:
            light.glow(width * 0.5, height * 0.9, width * 0.8, WHITE_HOT, 1.0 * float(np.exp(-since / 0.1)))
            burst.draw(light, (width * 0.5, height * 0.9), since)
        return light.over(image)

    return draw


SCENES: tuple[Scene, ...] = (
    Scene("hammer-blow", 1080, 1920, 60, 132, 69, hammer_blow, sound_ring=0.6),
    Scene("bellows", 720, 1280, 30, 96, 48, bellows),
    Scene("quench", 720, 1280, 120, 228, 116, quench),
    Scene("grinding", 1280, 720, 60, 144, 69, grinding, sound_ring=0.15),
    Scene("tongs", 720, 1280, 24, 72, 34, tongs),
    Scene("hammer-close", 1280, 720, 120, 228, 116, hammer_close, sound_ring=0.4),
    Scene("door-of-light", 1280, 720, 24, 84, 40, door_of_light),
    Scene("embers", 720, 1280, 30, 96, 46, embers, repeats=True),
)
