"""Small networks that score rows of traits: the choice of beats, bars, kinds of onsets and belief all ask one.

Each is a few perceptrons of two hidden layers, trained from different seeds and averaged. Traits are brought to one
scale first, and no trait may lie further than four spreads out: what was never heard must not decide.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from tempik.rhythm.weights import load

Rows = NDArray[np.float64]
_FURTHEST = 4.0


def scores(name: str, rows: Rows) -> Rows:
    """Return the network `name`'s outputs for rows of traits, shape (rows, outputs)."""
    stored = load()
    centre, spread = stored[f"{name}.centre"].astype(np.float64), stored[f"{name}.spread"].astype(np.float64)
    x = np.clip((rows - centre) / spread, -_FURTHEST, _FURTHEST).astype(np.float32)
    total: Rows | None = None
    layers = [stored[f"{name}.{part}"].astype(np.float32) for part in ("w0", "b0", "w1", "b1", "w2", "b2")]
    count = len(layers[0])
    for n in range(count):
        hidden = np.maximum(x @ layers[0][n] + layers[1][n], 0)
        hidden = np.maximum(hidden @ layers[2][n] + layers[3][n], 0)
        out = (hidden @ layers[4][n] + layers[5][n]).astype(np.float64)
        total = out if total is None else total + out
    assert total is not None
    return np.asarray(total / count)
