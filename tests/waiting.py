"""Waiting for what a window does by itself."""

from __future__ import annotations

from pytestqt.qtbot import QtBot

from tempik.desktop.shell.window import Window


def until_at_rest(window: Window, qtbot: QtBot) -> None:
    """Wait until nothing is read in the background and the timeline is painted: what comes in late is painted late."""
    qtbot.waitUntil(
        lambda: not any(w.jobs for w in (window.worker, window.background, window.session.looker)), timeout=30_000
    )
    qtbot.wait(300)
    window.timeline.repaint()
