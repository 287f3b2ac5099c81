"""The fitted weights of the rhythm analysis: the front end, the choice of beats, the bars, the kinds of onsets and the
confidence. `./run bench fit` writes them; docs/rhythm-model.md says what they were fitted on."""

from __future__ import annotations

from functools import lru_cache
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray

Weights = dict[str, NDArray[np.generic]]


@lru_cache(1)
def load() -> Weights:
    """Return every array of the file by name."""
    with files("tempik.rhythm").joinpath("weights.npz").open("rb") as file, np.load(file) as kept:
        return dict(kept)
