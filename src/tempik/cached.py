"""Functions whose results are kept, bounded by the bytes that they take."""

from __future__ import annotations

from collections.abc import Callable, Hashable
from threading import Lock
from typing import Any, ParamSpec, TypeVar

from cachetools import LRUCache, cached

T = TypeVar("T")
P = ParamSpec("P")
ENTRY_BYTES = 200  # of the store itself, for each that is kept


def cached_within(most_bytes: int, size: Callable[[Any], int]) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """Keep what a function of hashable values makes, as much of it as takes so many bytes; `size` tells those of one. What was
    asked for longest ago goes first; threads may ask at once. What is larger than all of it is made each time."""

    def keep(function: Callable[P, T]) -> Callable[P, T]:
        store: LRUCache[Hashable, T] = LRUCache(most_bytes, getsizeof=lambda made: size(made) + ENTRY_BYTES)
        return cached(store, lock=Lock())(function)

    return keep
