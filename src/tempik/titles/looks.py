"""Looks of titles: how words are set, how they come and go, and whether they do so on points. A dozen of ours; data, no more."""

from __future__ import annotations

from typing import Literal, NamedTuple

from msgspec.structs import replace

from tempik.reel.title import Arrival, Title, WordStyle

OnPoints = Literal["", "each", "even"]
COOL, WARM, DARK = "#86c7c1", "#ffb347", "#1e1c1a"
BOOK, POSTER = "EB Garamond", "League Spartan"


class TitleLook(NamedTuple):
    """A way to set a title: `title` without its text, whether its words come on points (each on the next, or spread over its slot), and
    how words are set off, in turns (their numbers are those of the turn)."""

    name: str
    does: str
    title: Title
    on_points: OnPoints = ""
    turns: tuple[WordStyle, ...] = ()
    own: bool = False

    def styles(self, count: int) -> tuple[WordStyle, ...]:
        """Return how so many words are set off."""
        if not self.turns:
            return ()
        made = (replace(self.turns[n % len(self.turns)], word=n) for n in range(count))
        return tuple(style for style in made if style != WordStyle(style.word))


LOOKS = (
    TitleLook("plain", "white letters with a soft shadow, there at once", Title()),
    TitleLook(
        "one by one", "each word rises on its point and stays",
        Title(size=0.15, shadow=0.6, enter=Arrival("rise", 5), leave=Arrival("fade", 6)), "each",
    ),
    TitleLook(
        "alone", "one large word at a time, each on its point",
        Title(size=0.24, font=POSTER, shadow=0.6, wrap=0.9, enter=Arrival("pop", 4), showing="one"), "each",
    ),
    TitleLook(
        "lit in turn", "all words are there, the one on its point is lit",
        Title(size=0.13, shadow=0.7, showing="lit", enter=Arrival("fade", 5), leave=Arrival("fade", 5)), "each",
    ),
    TitleLook(
        "typed", "letter by letter, on a dark ground",
        Title(size=0.09, shadow=0, box=0.55, box_pad=0.35, box_round=0.1, align="left", enter=Arrival("type", 1, "beats")),
    ),
    TitleLook(
        "plate", "on a dark plate that slides in",
        Title(
            size=0.1, shadow=0, box=0.85, box_colour=DARK, box_pad=0.3, box_round=0.35,
            enter=Arrival("slide", 7, way="right"), leave=Arrival("slide", 7, way="left"),
        ),
    ),
    TitleLook(
        "paper", "dark letters on a light strip, line by line",
        Title(
            size=0.11, colour=DARK, shadow=0, box=1, box_colour="#f4ecdc", box_pad=0.22, box_round=0.04, by="line",
            enter=Arrival("rise", 6), leave=Arrival("fade", 4),
        ),
    ),
    TitleLook(
        "outlined", "thick dark edges that read on any picture; words pop",
        Title(size=0.16, outline=0.09, shadow=0, by="word", enter=Arrival("pop", 4)),
    ),
    TitleLook(
        "embers", "warm letters that glow",
        Title(
            size=0.16, colour=WARM, shadow=1, shadow_colour="#ff4a1c", shadow_x=0, shadow_y=0, shadow_soft=0.2,
            enter=Arrival("fade", 8), leave=Arrival("fade", 8),
        ),
    ),
    TitleLook(
        "book", "quiet letters with serifs, line by line",
        Title(
            size=0.11, font=BOOK, style="Regular", shadow=0.5, shadow_soft=0.15, by="line",
            enter=Arrival("fade", 10), leave=Arrival("fade", 10),
        ),
    ),
    TitleLook(
        "wide", "small letters with much room between them",
        Title(size=0.055, font=POSTER, letter=0.3, line=1.5, wrap=0.8, enter=Arrival("fade", 12), leave=Arrival("fade", 8)),
    ),
    TitleLook(
        "large and small", "words of two sizes and two colours, each on its point",
        Title(size=0.13, font=POSTER, shadow=0.6, line=0.95, wrap=0.8, enter=Arrival("pop", 4)), "each",
        (WordStyle(0, size=0.7), WordStyle(1, WARM, 1.4), WordStyle(2, COOL)),
    ),
)  # fmt: skip


def ready_look(name: str) -> TitleLook | None:
    """Return one of ours by its name; None where none has it."""
    return next((look for look in LOOKS if look.name == name.strip().casefold()), None)
