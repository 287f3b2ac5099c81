"""What was worked out, kept by the records that it was made of: one store, bounded."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from functools import lru_cache
from threading import Lock
from typing import Any, Generic, ParamSpec, TypeVar
from weakref import WeakSet

from cachetools import LRUCache, cached

T = TypeVar("T")
P = ParamSpec("P")
LEAST_CROWD = 600
STATES = 6  # of the reel at hand, that a generation has room for
_expected = [0]  # how many clips the reel at hand has
ENTRY_BYTES = 200  # of the store itself, for each that is kept


class Memory(Generic[T]):
    """The last results by what they were made of, told by identity: records are frozen, so the same objects mean the
    same result. The objects are held with the result, so that their identities stay theirs. What was asked for longest
    ago goes first; threads may ask at once."""

    def __init__(self, most: int) -> None:
        # The standard library's cache keeps an empty shelf for each key; what was made is laid on it.
        cached = lru_cache(most)(_empty_shelf)
        self._shelf: Callable[..., list[tuple[tuple[object, ...], T]]] = cached
        self.forget: Callable[[], None] = cached.cache_clear
        _EVERY.add(self)

    def get(self, objects: tuple[object, ...], values: tuple[Hashable, ...], make: Callable[[], T]) -> T:
        """Return what `make` makes of the objects and values, made once for as long as it is kept."""
        shelf = self._shelf(*map(id, objects), *values)
        if shelf:
            return shelf[0][1]
        made = make()
        shelf.append((objects, made))
        return made


class Crowd(Generic[T]):
    """As `Memory`, of the many small records of a reel: what was made for states that are long past goes, however few they were.

    What is asked for moves into a new generation; once that has grown to several times what it took over from the one before, or to
    what the reel at hand needs, the older goes. A store that fills up to a bound for the longest reel would take hours to do so, and
    hold a hundred states of a short one."""

    def __init__(self, most: int, least: int = LEAST_CROWD) -> None:
        """No more than `most` are kept, and no fewer than `least` where there are as many."""
        self._most, self._least = most // 2, least
        self._young: dict[Hashable, tuple[tuple[object, ...], T]] = {}
        self._old = self._young
        self._taken_over, self._limit = 0, least
        _EVERY.add(self)

    def get(self, objects: tuple[object, ...], values: tuple[Hashable, ...], make: Callable[[], T]) -> T:
        """Return what `make` makes of the objects and values, made once for as long as it is kept."""
        key = (*map(id, objects), *values)
        found = self._young.get(key)
        if found is not None:
            return found[1]
        found = self._old.get(key)
        if found is None:
            found = objects, make()
        else:
            self._taken_over += 1
        self._young[key] = found
        if len(self._young) > self._limit:
            self._limit = min(self._most, max(self._least, 4 * self._taken_over, STATES * _expected[0]))
            self._old, self._young, self._taken_over = self._young, {}, 0
        return found[1]

    def forget(self) -> None:
        """Let go of all."""
        self._young = self._old = {}
        self._taken_over, self._limit = 0, min(self._most, max(self._least, STATES * _expected[0]))


def expect(records: int) -> None:
    """Say how many clips the reel at hand has: crowds keep a few states of as many."""
    _expected[0] = records


def cached_within(most_bytes: int, size: Callable[[Any], int]) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Keep what a function of hashable values makes, as much of it as takes so many bytes; `size` tells those of one. What was
    asked for longest ago goes first; threads may ask at once. What is larger than all of it is made each time."""

    def keep(function: Callable[P, T]) -> Callable[P, T]:
        store: LRUCache[Hashable, T] = LRUCache(most_bytes, getsizeof=lambda made: size(made) + ENTRY_BYTES)
        return cached(store, lock=Lock())(function)

    return keep


def forget_all() -> None:
    """Let go of all that is remembered: another project is opened, and nothing of this one will be asked for again."""
    for memory in list(_EVERY):
        memory.forget()


def _empty_shelf(*_key: Hashable) -> list[Any]:
    return []


_EVERY: WeakSet[Memory[Any] | Crowd[Any]] = WeakSet()
