"""The sound of a long reel while it plays: what is near is made and kept, what is past goes, so that an hour takes no more memory than two
minutes."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterable

import numpy as np
from numpy.typing import NDArray

from tempik.render.mastering import BLOCK

AHEAD, BEHIND = 60, 4  # blocks: half a minute on, two seconds back
AT_STARTS = 6  # that stay made where playing begins, and where a loop goes back to

Int16 = NDArray[np.int16]


class Rolling:
    """Reads like an array of samples, shape (count, 2), from one end to the other. `make` makes a block; a thread of its own calls it ahead
    of what is read, and reading makes what is not there yet."""

    def __init__(self, count: int, make: Callable[[int], Int16], starts: Iterable[int], stop: threading.Event) -> None:
        self._count, self._make, self._stop = count, make, stop
        self._blocks: dict[int, Int16] = {}
        self._last = -(-count // BLOCK)
        firsts = list(starts)
        self._stays = {n for first in firsts for n in range(first, min(first + AT_STARTS, self._last))}
        self._at = firsts[0] if firsts else 0
        self._moved = threading.Condition()
        for first in firsts:
            self._block(first)

    def __len__(self) -> int:
        return self._count

    def __getitem__(self, wanted: slice) -> Int16:
        a, b, _ = wanted.indices(self._count)
        if b <= a:
            return np.zeros((0, 2), np.int16)
        numbers = range(a // BLOCK, (b - 1) // BLOCK + 1)
        parts = [self._block(n) for n in numbers]
        with self._moved:
            self._at = numbers[0]
            self._moved.notify()
        self._let_go(numbers[0])  # here too: what reads may be quicker than the thread comes round
        return np.concatenate(parts)[a - numbers[0] * BLOCK : b - numbers[0] * BLOCK]

    def _block(self, number: int) -> Int16:
        found = self._blocks.get(number)
        if found is None:
            found = self._blocks[number] = self._make(number)
        return found

    def go_ahead(self) -> None:
        """Make what comes next until it is stopped; run by a thread."""
        while not self._stop.is_set():
            with self._moved:
                at = self._at
            near = self._let_go(at)
            wanted = next((n for n in (*range(at, near.stop), *sorted(self._stays)) if n not in self._blocks), None)
            if wanted is not None:
                self._block(wanted)
                continue
            with self._moved:
                if self._at == at:
                    self._moved.wait(0.25)

    def _let_go(self, at: int) -> range:
        """Let blocks go that lie far from one that is read, and return those that are near it."""
        near = range(max(at - BEHIND, 0), min(at + AHEAD, self._last))
        for number in list(self._blocks):  # a copy: another thread may put one there meanwhile
            if number not in near and number not in self._stays:
                self._blocks.pop(number, None)
        return near

    @property
    def nbytes(self) -> int:
        """How many bytes are held."""
        return sum(block.nbytes for block in list(self._blocks.values()))
