"""What follows from records, worked out once for as long as its inputs are the same: one graph for all stages.

A stage is a name and what it is made of: frozen records, told by identity, and numbers. The graph holds each value with its inputs, so
that an identity stays its record's; equal inputs give the one value, whichever thread asks first. What no state of a reel has asked for
while some more of them were built goes, so an edit costs what it touches, undoing costs nothing, and what was tried long ago takes no
room. Nothing needs to be told that a project was opened or how large it is.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, Generic, TypeVar

T = TypeVar("T")
# For how many more states of a reel a value stays that none of them asks for: a gesture's steps, a few undos.
STATES = 24
LONG = 10 * STATES  # of what is asked for once a step, however many states an edit goes through
LEAST = 600  # values that are there are not gone through while they are no more than these
# Of the largest reels that are tried no more states are kept than make so many values.
MOST = 250_000


class Stage(Generic[T]):
    """A kind of value that the graph holds, told by identity: its name, and for how many more states one stays that none asks for."""

    __slots__ = ("name", "states")

    def __init__(self, name: str, states: int = STATES) -> None:
        self.name, self.states = name, states


class _Node:
    """A value with what it was made of, and the state that asked for it last."""

    __slots__ = ("made", "objects", "state")

    def __init__(self, objects: tuple[object, ...], made: Any, state: int) -> None:
        self.objects, self.made, self.state = objects, made, state


class Graph:
    """What follows from the records at hand. Threads may ask at once: of two that make the same value, one's is kept and given to both."""

    def __init__(self) -> None:
        self._nodes: dict[tuple[Hashable, ...], _Node] = {}
        self._state = 0
        self._limit = LEAST
        self._lock = Lock()
        self._latest: dict[Stage[Any], Any] = {}

    def begin_state(self) -> None:
        """Say that another state of a reel is worked out from here on: what none of the last ones asks for may go."""
        with self._lock:
            self._state += 1
            if len(self._nodes) > self._limit:
                self._let_go()

    def get(
        self, stage: Stage[T], objects: tuple[object, ...], values: tuple[Hashable, ...], make: Callable[[], T]
    ) -> T:
        """Return a stage's value of some records and numbers, made by `make` where it is not there. What `make` raises is raised, and
        nothing is kept."""
        key = (stage, *map(id, objects), *values)
        node = self._nodes.get(key)
        if node is None:
            made = make()
            with self._lock:
                node = self._nodes.setdefault(key, _Node(objects, made, self._state))
                self._latest[stage] = node.made
        node.state = self._state
        return node.made  # type: ignore[no-any-return]

    def latest(self, stage: Stage[T]) -> T | None:
        """Return the value of a stage that was made last, whatever it was made of: much of the next may be as it is there."""
        return self._latest.get(stage)

    def __len__(self) -> int:
        return len(self._nodes)

    def forget(self) -> None:
        """Let go of all. Nothing depends on it: what is asked for again is made again."""
        with self._lock:
            self._nodes, self._latest, self._limit = {}, {}, LEAST

    def _let_go(self) -> None:
        spare = 1 if len(self._nodes) <= MOST else 6  # of the very largest, fewer states
        self._nodes = {k: n for k, n in self._nodes.items() if self._state - n.state <= k[0].states // spare}  # type: ignore[attr-defined]
        self._limit = max(LEAST, 2 * len(self._nodes))


DERIVED = Graph()
