"""Titles: fonts, words, lines, how they come and go, and their pixels."""

from tempik.titles.drawing import Sprite, drawn
from tempik.titles.layout import Block, laid_out
from tempik.titles.motion import ARRIVALS, State
from tempik.titles.words import words_of

__all__ = ["ARRIVALS", "Block", "Sprite", "State", "drawn", "laid_out", "words_of"]
