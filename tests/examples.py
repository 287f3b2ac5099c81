"""How many drawn examples a test tries: some each time, all of them with ./run test --all."""

from __future__ import annotations

import os

SOME = 25
ALL = "TEMPIK_TEST_ALL"


def examples(most: int) -> int:
    """Return how many of so many examples are tried in this run."""
    return most if os.environ.get(ALL) else min(most, SOME)
