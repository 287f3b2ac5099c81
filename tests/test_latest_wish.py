"""A thread that does what is wanted now: the latest wish wins, a fault is told and the next is done, and it closes clean."""

from __future__ import annotations

import threading

import pytest

from tempik.desktop.session import latest_wish
from tempik.desktop.session.latest_wish import IDLE, LatestWish, Wait
from tempik.errors import TempikError

LONG_S = 10.0


class Anvil:
    """Hammers what lies on it; the first blow waits until it is let go on."""

    def __init__(self) -> None:
        self.on: str | None = None
        self.done: list[str] = []
        self.failed: list[tuple[str, Exception]] = []
        self.go_on, self.at_it, self.ended = threading.Event(), threading.Event(), threading.Event()
        self.worker = LatestWish(
            "anvil", self.wanted, self.hammer, lambda w, e: self.failed.append((w, e)), self.ended.set
        )
        self.worker.start()

    def wanted(self) -> str | Wait:
        found, self.on = self.on, None
        return found or IDLE

    def lay(self, iron: str) -> None:
        with self.worker.lock:
            self.on = iron
            self.worker.notify()

    def hammer(self, iron: str) -> None:
        self.at_it.set()
        assert self.go_on.wait(LONG_S)
        if iron == "cold":
            raise TempikError("The iron is cold.")
        if iron == "cracked":
            raise ZeroDivisionError(iron)
        self.done.append(iron)


def test_of_many_wishes_the_latest_is_done() -> None:
    anvil = Anvil()
    anvil.lay("first")
    assert anvil.at_it.wait(LONG_S)
    for iron in ("second", "third", "last"):
        anvil.lay(iron)
    anvil.go_on.set()
    while len(anvil.done) < 2:
        threading.Event().wait(0.005)
    anvil.worker.close()
    assert anvil.done == ["first", "last"] and anvil.ended.is_set()


def test_a_fault_is_told_and_the_next_wish_done(monkeypatch: pytest.MonkeyPatch) -> None:
    logged: list[str] = []
    monkeypatch.setattr(latest_wish, "log_fault", lambda name, error: logged.append(f"{name}: {error}"))
    anvil = Anvil()
    anvil.go_on.set()
    for iron in ("cold", "cracked", "hot"):
        anvil.lay(iron)
        while len(anvil.failed) + len(anvil.done) < ("cold", "cracked", "hot").index(iron) + 1:
            threading.Event().wait(0.005)
    anvil.worker.close()
    assert [w for w, _ in anvil.failed] == ["cold", "cracked"] and anvil.done == ["hot"]
    assert logged == ["anvil: cracked"], "a sentence is no fault of ours"


def test_closing_waits_for_what_is_being_done_and_begins_nothing_more() -> None:
    anvil = Anvil()
    anvil.lay("first")
    assert anvil.at_it.wait(LONG_S)
    anvil.lay("second")
    closing = threading.Thread(target=anvil.worker.close)
    closing.start()
    anvil.go_on.set()
    closing.join(LONG_S)
    assert not closing.is_alive() and anvil.done in (["first"], ["first", "second"]) and anvil.ended.is_set()
    anvil.lay("third")
    assert "third" not in anvil.done


def test_who_waits_a_while_is_asked_again() -> None:
    asked = [0]
    there = threading.Event()

    def wanted() -> str | Wait:
        asked[0] += 1
        return "now" if asked[0] == 3 else Wait(0.01) if asked[0] < 3 else IDLE

    worker = LatestWish("waits", wanted, lambda wish: there.set())
    worker.start()
    assert there.wait(LONG_S)
    worker.close()
