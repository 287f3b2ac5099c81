"""How a bench tells what it measured."""

from __future__ import annotations


def say(what: str, measured: str, asked: str, met: bool) -> None:
    """Print what was measured beside what is asked of it."""
    print(f"{what:58} {measured:>24}   asked {asked:22} {'met' if met else 'NOT MET'}", flush=True)
