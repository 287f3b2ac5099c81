"""Files of a reel that are there again: a disk was put in, or they have been made."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from tempik.desktop.shell.window import Window


def read_anew(window: Window, paths: list[str]) -> None:
    """Read what could not be read of files while they were not there."""
    reel = window.project.reel
    if reel.soundtrack is not None and reel.soundtrack.path in paths:
        window.song.retry(reel.soundtrack)
    window.reel_sound.retry(paths)
    window.shapes.retry()
    window.filmstrips.retry()
    for piece in reel.footage:
        if piece.path in paths:
            window.filmstrips.want(piece)
            window.proxy_store.look_through(piece)
    window.transport.footage_changed()
