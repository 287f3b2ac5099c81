"""Moods: what a draft feels like, each a table of numbers."""

from __future__ import annotations

import msgspec

from tempik.errors import TempikError
from tempik.rhythm.records import LevelName

# A phrase of cuts: lengths in beats, one after the other.
Phrase = tuple[float, ...]


class Fires(msgspec.Struct, frozen=True):
    """An accent and what it fires on: `drops`, or downbeats or beats of sections of some levels, every n-th, as strong as `amount`."""

    accent: str
    of: str = "drops"
    every: int = 1
    levels: tuple[LevelName, ...] = ("full",)
    amount: float = 1.0


class Mood(msgspec.Struct, frozen=True, omit_defaults=True):
    """What a draft feels like.

    `phrases` are the lengths of cuts by the level of a section; one is drawn for each kind of section, so that what sounds alike is
    cut alike. `roll` is over how many beats before a drop pieces get short (half a beat each), `hold` for how many the picture is held on
    it. `motion` is how strongly moving footage is drawn to loud sections, 0 to 1. `ramp` is how much of `shape` a clip with a cue
    plays, 0 to 1, on slots of at least `ramp_from` beats; `back` the share of clips that play backward. `fires` are its accents, `join` what
    lies on a change of section, for how many beats; `rush` and `hit` are sounds on joins and drops; `look` is a look's name, as strong as
    `look_amount`; `shutter_deg` blurs what moves.
    """

    name: str
    does: str
    phrases: dict[LevelName, tuple[Phrase, ...]]
    roll: float = 0.0
    hold: float = 2.0
    motion: float = 0.7
    shape: str = "settle"
    ramp: float = 0.0
    ramp_from: float = 2.0
    back: float = 0.0
    fires: tuple[Fires, ...] = ()
    join: str = ""
    join_beats: float = 1.0
    rush: str = ""
    hit: str = ""
    look: str = ""
    look_amount: float = 0.7
    shutter_deg: float = 0.0


LOUD: tuple[LevelName, ...] = ("middle", "full")

MOODS: tuple[Mood, ...] = (
    Mood(
        name="still water",
        does="long pictures, soft joins, hardly an accent",
        phrases={"quiet": ((8, 8),), "middle": ((8,), (4, 4)), "full": ((4, 4),)},
        hold=4, motion=0.4, shape="settle", ramp=0.35, ramp_from=4, join="light-dissolve", join_beats=2, look="North light",
        fires=(Fires("drop-back", "drops", amount=0.5),),
    ),
    Mood(
        name="low sun",
        does="warm and easy: cuts on the bar, a little slower on what matters",
        phrases={"quiet": ((8,), (4, 4)), "middle": ((4, 4), (4, 2, 2)), "full": ((4, 4), (2, 2, 4))},
        hold=4, motion=0.5, shape="settle", ramp=0.5, ramp_from=4, join="dissolve", join_beats=1, look="Evening gold",
        fires=(Fires("kick", "drops", amount=0.6), Fires("punch", "downbeats", 2, ("full",), 0.5)),
    ),
    Mood(
        name="driving",
        does="on the beat where it is loud, a roll into the drop, fast into every blow",
        phrases={"quiet": ((4, 4), (8,)), "middle": ((4,), (2, 2)), "full": ((2, 2), (2, 1, 1))},
        roll=2, hold=2, motion=0.8, shape="settle", ramp=0.7, ramp_from=2, join="push", join_beats=0.5, rush="whoosh", hit="impact",
        look="Embers", shutter_deg=90,
        fires=(Fires("flash", "drops", amount=1.2), Fires("punch", "downbeats", 1, LOUD, 0.8), Fires("shake", "beats", 4, ("full",), 0.7)),
    ),
    Mood(
        name="hammer",
        does="hard and short: every beat in the loud, shakes and flashes on the bars",
        phrases={"quiet": ((4,), (2, 2)), "middle": ((2, 2), (1, 1, 2)), "full": ((1, 1, 1, 1), (1, 1, 0.5, 0.5, 1))},
        roll=4, hold=2, motion=1.0, shape="launch", ramp=0.8, ramp_from=2, join="whip", join_beats=0.5, rush="swish", hit="impact",
        look="Cold steel", look_amount=0.8, shutter_deg=60,
        fires=(Fires("flash", "drops", amount=1.5), Fires("shake", "downbeats", 1, LOUD, 1.0), Fires("strobe", "drops", amount=0.8),
               Fires("kick", "beats", 2, ("full",), 0.6)),
    ),
    Mood(
        name="sparks",
        does="playful: uneven lengths, pictures that swing back, bounces",
        phrases={"quiet": ((4, 2, 2), (3, 3, 2)), "middle": ((3, 3, 2), (2, 1, 1)), "full": ((1.5, 1.5, 1), (1, 1, 2), (3, 1))},
        roll=1, hold=2, motion=0.7, shape="bounce", ramp=0.6, ramp_from=2, back=0.2, join="slide-over", join_beats=0.5, rush="swish",
        look="Clear day", fires=(Fires("punch", "downbeats", 1, LOUD, 0.9), Fires("shift", "drops", amount=1.0)),
    ),
    Mood(
        name="night walk",
        does="dark and slow, pictures that hang, then all at once on the drop",
        phrases={"quiet": ((8, 8), (8,)), "middle": ((8,), (4, 4)), "full": ((2, 2), (4,), (2, 1, 1))},
        roll=2, hold=4, motion=0.9, shape="hang", ramp=0.5, ramp_from=4, join="dip", join_beats=1, rush="riser", hit="impact",
        look="Quench", look_amount=0.9, shutter_deg=120,
        fires=(Fires("flash", "drops", amount=1.0), Fires("split", "downbeats", 2, ("full",), 0.7),
               Fires("vignette", "downbeats", 1, ("quiet",), 0.5)),
    ),
)  # fmt: skip


def mood_named(name: str) -> Mood:
    """Return a mood. Raises TempikError where there is none of that name."""
    found = next((m for m in MOODS if m.name == name), None)
    if found is None:
        raise TempikError(f"There is no mood '{name}'; choose from {', '.join(m.name for m in MOODS)}.")
    return found
