"""The fitted weights of the bar reading (`bars`) and of the choice of beats (`score`); `bench/fit.py` writes them."""

from __future__ import annotations

import json
from importlib.resources import files

import numpy as np
from numpy.typing import NDArray


def _load() -> dict[str, NDArray[np.float64]]:
    text = files("tempik.rhythm").joinpath("weights.json").read_text(encoding="utf-8")
    return {name: np.array(values, dtype=np.float64) for name, values in json.loads(text).items()}


WEIGHTS = _load()
