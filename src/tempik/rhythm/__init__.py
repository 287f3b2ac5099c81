"""Rhythm: the beats of a song, exact to the attack, with strength and bars."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from tempik.rhythm.records import BANDS, Analysis, Band, Beat, Onset, Rival, Section

if TYPE_CHECKING:
    from tempik.rhythm.kept import analyse
    from tempik.rhythm.points import analyse_samples

__all__ = ["BANDS", "Analysis", "Band", "Beat", "Onset", "Rival", "Section", "analyse", "analyse_samples"]


def __getattr__(name: str) -> Any:
    """Load the analysis when it is first asked for: its libraries take half a second, which start-up must not."""
    if name == "analyse":
        from tempik.rhythm.kept import analyse

        return analyse
    if name == "analyse_samples":
        from tempik.rhythm.points import analyse_samples

        return analyse_samples
    raise AttributeError(name)
