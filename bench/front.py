"""Train the front end of the rhythm analysis (needs PyTorch: `./run bench fit` installs it for itself).

One network for each third of the open pieces, trained on the two others: what a network says of a piece that it has
not seen is what the choice is fitted on, and a song is heard by all of them.
"""

from __future__ import annotations

import time
from typing import Any, NamedTuple

import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

from tempik.rhythm.front import HEADS, RATE, seen

Array = NDArray[np.float32]
FOLDS = 3
CHANNELS, LAYERS, TAPS = 32, 9, 5
_CROP = 30 * RATE
_KINDS = ("kick", "snare", "hat", "other")


class Lesson(NamedTuple):
    """A piece as the network learns it: bands at 100 rows a second, what is to be heard at 50, and where that is known."""

    bands: NDArray[np.float16]
    wanted: NDArray[np.float16]  # (rows, heads)
    known: NDArray[np.bool_]  # (rows, heads)
    weight: float


def lesson(
    bands: Array, beats: NDArray[np.float64], numbers: NDArray[np.int64], onsets: list[tuple[float, Any]], weight: float
) -> Lesson:
    """Return a piece as a lesson. Without onsets the kinds are not known; without bars the downbeats are not."""
    rows = (len(bands) + 1) // 2
    wanted, known = np.zeros((rows, len(HEADS)), np.float32), np.ones((rows, len(HEADS)), bool)

    def mark(head: int, times: NDArray[np.float64], width: float) -> None:
        for at in np.asarray(times) * RATE:
            near = np.arange(max(0, int(at) - 2), min(rows, int(at) + 4))
            wanted[near, head] = np.maximum(wanted[near, head], np.clip(1.15 - np.abs(near - at) / width, 0, 1))

    mark(0, beats, 1.7)
    mark(1, beats[numbers == 1], 1.7)
    known[:, 1] = bool((numbers == 1).any()) or not len(beats)
    for kind, name in enumerate(_KINDS):
        mark(2 + kind, np.array([t for t, k in onsets if k == name]), 1.3)
    known[:, 2:] = bool(onsets)
    if not len(beats):  # talk, rain, clatter: there is nothing to be heard
        return Lesson(bands.astype(np.float16), wanted.astype(np.float16), known, weight)
    # Beyond the annotation nothing is known of the beats.
    gap = float(np.median(np.diff(beats)))
    instants = np.arange(rows) / RATE
    known[(instants < beats[0] - 0.6 * gap) & (instants > beats[0] - 3 * gap), :2] = False
    known[instants > beats[-1] + 0.6 * gap, :2] = False
    return Lesson(bands.astype(np.float16), wanted.astype(np.float16), known, weight)


class Network(nn.Module):  # type: ignore[misc]
    def __init__(self, bands: int) -> None:
        super().__init__()
        self.first = nn.Conv1d(2 * bands, CHANNELS, 3, padding=1)
        self.wide = nn.ModuleList(
            nn.Conv1d(CHANNELS, CHANNELS, TAPS, dilation=2**i, padding=2**i * (TAPS // 2)) for i in range(LAYERS)
        )
        self.mix = nn.ModuleList(nn.Conv1d(CHANNELS, CHANNELS, 1) for _ in range(LAYERS))
        self.out = nn.Conv1d(CHANNELS, len(HEADS), 1)
        self.drop = nn.Dropout1d(0.1)

    def forward(self, x: Any) -> Any:
        x = nn.functional.elu(self.first(x))
        for wide, mix in zip(self.wide, self.mix, strict=True):
            x = x + mix(self.drop(nn.functional.elu(wide(x))))
        return self.out(nn.functional.elu(x))


def _varied(bands: Array, rng: np.random.Generator) -> Array:
    """Return bands with another equaliser, level, noise floor and, now and then, pitch."""
    count = bands.shape[1]
    marks = rng.normal(0, 4.0 if rng.random() < 0.7 else 0.5, 6)
    gain_db = np.interp(np.linspace(0, 5, count), np.arange(6), marks) + rng.normal(0, 3)
    out = np.log1p(np.expm1(bands) * (10 ** (gain_db / 20)).astype(np.float32))
    if rng.random() < 0.3:
        floor = rng.uniform(0, 0.25) * rng.random(bands.shape, dtype=np.float32)
        out = np.maximum(out, floor)
    if rng.random() < 0.3:
        out = np.roll(out, int(rng.integers(-2, 3)), axis=1)
    return np.asarray(out, dtype=np.float32)


def _crop(piece: Lesson, rng: np.random.Generator) -> tuple[Array, Array, NDArray[np.bool_]]:
    """Return a stretch of a piece, a little faster or slower now and then, filled up with silence."""
    rows = len(piece.wanted)
    start = int(rng.integers(0, max(1, rows - _CROP + 200)))
    start = min(start, max(0, rows - _CROP // 2))
    end = min(rows, start + _CROP)
    bands = piece.bands[2 * start : 2 * end].astype(np.float32)
    rows_seen = seen(_varied(bands, rng))
    wanted, known = piece.wanted[start:end].astype(np.float32), piece.known[start:end]
    count = min(len(rows_seen), len(wanted))
    x = np.zeros((_CROP, rows_seen.shape[1]), np.float32)
    y, k = np.zeros((_CROP, len(HEADS)), np.float32), np.zeros((_CROP, len(HEADS)), bool)
    x[:count], y[:count], k[:count] = rows_seen[:count], wanted[:count], known[:count]
    return x, y, k


def train(
    lessons: list[Lesson], seed: int, epochs: int, name: str = "", start: dict[str, Array] | None = None
) -> dict[str, Array]:
    """Return the weights of a network trained on lessons; the same for the same seed and lessons. From the weights of one
    that was trained before, where some are given, in smaller steps."""
    torch.manual_seed(seed)
    torch.set_num_threads(1)
    torch.use_deterministic_algorithms(True)
    rng = np.random.default_rng(seed)
    net = Network(lessons[0].bands.shape[1])
    if start is not None:
        net.load_state_dict(
            {k.replace("in.", "first."): torch.from_numpy(v.astype(np.float32)) for k, v in start.items()}
        )
    chance = np.array([piece.weight for piece in lessons])
    chance /= chance.sum()
    batch, steps = 8, max(1, len(lessons) // 8)
    optimiser = torch.optim.AdamW(net.parameters(), lr=3e-3, weight_decay=1e-3)
    plan = torch.optim.lr_scheduler.OneCycleLR(
        optimiser, 4e-3 if start is None else 1e-3, total_steps=epochs * steps, pct_start=0.15
    )
    heads = torch.tensor([1.0, 1.0, 0.3, 0.3, 0.3, 0.3])[None, :, None]
    began = time.time()
    for epoch in range(epochs):
        total = 0.0
        for _ in range(steps):
            picked = rng.choice(len(lessons), batch, p=chance)
            crops = [_crop(lessons[i], rng) for i in picked]
            x, y, known = (torch.from_numpy(np.stack(part)).transpose(1, 2) for part in zip(*crops, strict=True))
            loss = nn.functional.binary_cross_entropy_with_logits(net(x), y, reduction="none")
            loss = (loss * known * heads).sum() / (known * heads).sum()
            optimiser.zero_grad()
            loss.backward()
            nn.utils.clip_grad_norm_(net.parameters(), 1.0)
            optimiser.step()
            plan.step()
            total += loss.item()
        print(
            f"front end {name}: epoch {epoch + 1} of {epochs}, loss {total / steps:.4f}, {time.time() - began:.0f} s",
            flush=True,
        )
    out: dict[str, Array] = {}
    for key, value in net.state_dict().items():
        out[key.replace("first.", "in.")] = value.numpy().astype(np.float16)
    return out
