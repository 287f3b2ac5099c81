"""A name of an ease means one curve, by its function and by its handles, for framings, keys and transitions alike."""

from __future__ import annotations

from typing import get_args

import numpy as np
import pytest

from tempik.easing import EASES, HANDLES
from tempik.reel.lanes import KeyEase
from tempik.reel.model import Ease
from tempik.transitions import EASES as OF_TRANSITIONS
from tempik.transitions import eased


@pytest.mark.parametrize("name", HANDLES)
def test_the_handles_are_the_function(name: str) -> None:
    for share in np.linspace(0, 1, 101):
        assert eased(float(share), HANDLES[name]) == pytest.approx(EASES[name](float(share)), abs=1e-4)


def test_every_ease_that_a_reel_may_have_is_there() -> None:
    assert set(get_args(Ease)) <= set(EASES) and set(get_args(KeyEase)) == set(EASES)
    assert all(OF_TRANSITIONS[name] == handles for name, handles in HANDLES.items())
