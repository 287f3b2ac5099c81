"""Rhythm: the beats of a song, exact to the attack, with strength and bars."""

from tempik.rhythm.points import Analysis, Beat, analyse, analyse_samples, cache_folder

__all__ = ["Analysis", "Beat", "analyse", "analyse_samples", "cache_folder"]
