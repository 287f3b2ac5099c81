"""How loud the song is, and its fades."""

from __future__ import annotations

from msgspec.structs import replace

from tempik.edit.reel import song_of
from tempik.errors import TempikError
from tempik.reel import (
    Reel,
)


def with_sound(
    reel: Reel, gain_db: float | None = None, fade_in_s: float | None = None, fade_out_s: float | None = None
) -> Reel:
    """Set the song's gain and fades; None leaves one as it is. Raises TempikError for a fade longer than the reel."""
    song = song_of(reel)
    made = replace(
        song,
        gain_db=song.gain_db if gain_db is None else min(max(gain_db, -60.0), 24.0),
        fade_in_s=song.fade_in_s if fade_in_s is None else fade_in_s,
        fade_out_s=song.fade_out_s if fade_out_s is None else fade_out_s,
    )
    if min(made.fade_in_s, made.fade_out_s) < 0 or max(made.fade_in_s, made.fade_out_s) > max(reel.length_s, 0.01):
        raise TempikError(f"A fade lasts from 0 s to the reel's {reel.length_s:.2f} s; give one within that.")
    return replace(reel, soundtrack=made)
