"""Train the small networks of `tempik.rhythm.ranking` (needs PyTorch): by ranking, by kind, each from several seeds."""

from __future__ import annotations

from collections.abc import Callable
from typing import NamedTuple

import numpy as np
import torch
from numpy.typing import NDArray
from torch import nn

Rows = NDArray[np.float64]


class PointChoice(NamedTuple):
    """One choice: a row of traits for each possibility, how right each is (0 to 1), and the weight of the choice."""

    rows: Rows
    right: NDArray[np.float64]
    weight: float


class Trained(NamedTuple):
    """Arrays by the name that `ranking.scores` asks for, less the network's own name."""

    arrays: dict[str, NDArray[np.float32]]


def by_ranking(
    choices: list[PointChoice], hidden: tuple[int, int], seeds: int, epochs: int, decay: float = 0.02
) -> dict[str, NDArray[np.float32]]:
    """Return a network under which the right possibilities of each choice are likeliest (softmax over a choice)."""
    everything = np.concatenate([c.rows for c in choices])
    centre, spread = everything.mean(axis=0), everything.std(axis=0) + 1e-3
    most = max(len(c.rows) for c in choices)
    x = np.zeros((len(choices), most, everything.shape[1]), np.float32)
    right, there = np.zeros((len(choices), most), np.float32), np.zeros((len(choices), most), bool)
    for n, c in enumerate(choices):
        x[n, : len(c.rows)] = np.clip((c.rows - centre) / spread, -4, 4)
        right[n, : len(c.rows)], there[n, : len(c.rows)] = c.right, True
    weight = torch.tensor([c.weight for c in choices], dtype=torch.float32)
    xt, rt, tt = torch.from_numpy(x), torch.from_numpy(right), torch.from_numpy(there)

    def loss(net: nn.Module, picked: torch.Tensor) -> torch.Tensor:
        score = net(xt[picked])[..., 0].masked_fill(~tt[picked], -1e9)
        likely = (torch.softmax(score, dim=1) * rt[picked]).sum(dim=1)
        return -(weight[picked] * torch.log(likely + 1e-4)).sum() / weight[picked].sum()

    return _trained(loss, len(choices), x.shape[2], 1, hidden, seeds, epochs, 32, decay, centre, spread)


def by_kind(
    rows: Rows,
    kinds: NDArray[np.int64],
    weights: NDArray[np.float64],
    outputs: int,
    hidden: tuple[int, int],
    seeds: int,
    epochs: int,
) -> dict[str, NDArray[np.float32]]:
    """Return a network under which each row's kind is likeliest."""
    centre, spread = rows.mean(axis=0), rows.std(axis=0) + 1e-3
    xt = torch.from_numpy(np.clip((rows - centre) / spread, -4, 4).astype(np.float32))
    kt, wt = torch.from_numpy(kinds), torch.from_numpy(weights.astype(np.float32))

    def loss(net: nn.Module, picked: torch.Tensor) -> torch.Tensor:
        return (wt[picked] * nn.functional.cross_entropy(net(xt[picked]), kt[picked], reduction="none")).sum() / wt[
            picked
        ].sum()

    return _trained(loss, len(rows), rows.shape[1], outputs, hidden, seeds, epochs, 512, 0.005, centre, spread)


def _trained(loss: Callable[[nn.Module, torch.Tensor], torch.Tensor], count: int, inputs: int, outputs: int, hidden: tuple[int, int],
    seeds: int, epochs: int, batch: int, decay: float, centre: Rows, spread: Rows) -> dict[str, NDArray[np.float32]]:  # fmt: skip
    torch.set_num_threads(1)
    kept: list[list[NDArray[np.float32]]] = []
    for seed in range(seeds):
        torch.manual_seed(seed)
        net = nn.Sequential(
            nn.Linear(inputs, hidden[0]),
            nn.ReLU(),
            nn.Dropout(0.25),
            nn.Linear(hidden[0], hidden[1]),
            nn.ReLU(),
            nn.Dropout(0.15),
            nn.Linear(hidden[1], outputs),
        )
        optimiser = torch.optim.AdamW(net.parameters(), lr=2e-3, weight_decay=decay)
        steps = max(1, count // batch)
        plan = torch.optim.lr_scheduler.OneCycleLR(optimiser, 3e-3, total_steps=epochs * steps)
        for _ in range(epochs):
            order = torch.randperm(count)
            for step in range(steps):
                optimiser.zero_grad()
                loss(net, order[step * batch : (step + 1) * batch]).backward()
                optimiser.step()
                plan.step()
        layers = [m for m in net if isinstance(m, nn.Linear)]
        kept.append(
            [part for m in layers for part in (m.weight.detach().numpy().T.copy(), m.bias.detach().numpy().copy())]
        )
    names = ("w0", "b0", "w1", "b1", "w2", "b2")
    out = {name: np.stack([k[i] for k in kept]) for i, name in enumerate(names)}
    return {**out, "centre": centre.astype(np.float32), "spread": spread.astype(np.float32)}
