"""Moods: what a draft feels like, each a table of numbers."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Literal, get_args

import msgspec

from tempik.accents import CATALOGUE as ACCENTS
from tempik.errors import TempikError
from tempik.grade.looks import LOOKS
from tempik.retime.shapes import READY
from tempik.rhythm.records import LEVEL_WORDS, LevelName
from tempik.settings import Setting, by_name
from tempik.sounds.shelf import SHELF as SOUNDS
from tempik.transitions import CATALOGUE as JOINS

# A phrase of cuts: lengths in beats, one after the other.
Phrase = tuple[float, ...]
Flow = Literal["carried", "answered", ""]


class Fires(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """An accent and what it fires on: `drops`, or downbeats or beats of sections of some levels, every n-th, as strong as `amount`."""

    accent: str
    of: str = "drops"
    every: int = 1
    levels: tuple[LevelName, ...] = ("full",)
    amount: float = 1.0


class Mood(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What a draft feels like.

    `phrases` are the lengths of cuts by the level of a section; one is drawn for each kind of section, so that what sounds alike is
    cut alike; `fill` has long pieces in halves before a section changes. `roll` is over how many beats before a drop pieces get
    short (half a beat each), `hold` for how many the picture is held on it. `motion` is how strongly moving footage is drawn to loud
    sections, 0 to 1; `flow` says whether the way things move goes on across a cut, is answered by its opposite, or does not matter.
    `ramp` is how much of `shape` a clip with a cue plays, 0 to 1, on slots of at least `ramp_from` beats; `rare` is another shape,
    or a rewind, that a `rare_share` of the clips plays. `fires` are its accents, `transition` what lies on a change of section, for how many
    beats; `rush` and `hit` are sounds on transitions and drops; `look` is a look's name, as strong as `look_amount`, and `light`
    makes it lighter or darker, in stops; `shutter_deg` blurs what moves.
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
    rare: str = ""
    rare_share: float = 0.0
    fill: bool = False
    flow: Flow = ""
    fires: tuple[Fires, ...] = ()
    transition: str = ""
    transition_beats: float = 1.0
    rush: str = ""
    hit: str = ""
    look: str = ""
    look_amount: float = 0.7
    light: float = 0.0
    shutter_deg: float = 0.0


REWIND = "rewind"
LEVELS: tuple[LevelName, ...] = get_args(LevelName)
FIRES_ON = ("drops", "downbeats", "beats")
MOST = 16
# The settings of a mood that have one value each; the names of shapes, transitions, sounds and looks are chosen where moods are changed.
MOOD_SETTINGS = by_name(
    Setting("fill", "halves before a change", False, does="Long pieces come in halves before a section changes"),
    Setting(
        "roll",
        "roll, beats",
        0.0,
        0,
        16,
        "",
        step=1,
        digits=0,
        does="Over how many beats before a drop pieces get short",
    ),
    Setting(
        "hold",
        "held on drops, beats",
        2.0,
        1,
        32,
        "",
        step=1,
        digits=0,
        does="For how many beats the picture is held on a drop",
    ),
    Setting(
        "motion",
        "motion by loudness",
        0.7,
        unit="",
        step=0.1,
        digits=2,
        does="How strongly moving footage is drawn to loud sections",
    ),
    Setting(
        "ramp",
        "how much of the speed",
        0.0,
        0,
        2,
        "",
        step=0.05,
        digits=2,
        does="How much of the speed's shape a clip with a cue plays",
    ),
    Setting(
        "ramp_from",
        "on clips from, beats",
        2.0,
        0.5,
        64,
        "",
        step=0.5,
        digits=2,
        does="On slots of at least so many beats",
    ),
    Setting(
        "rare_share",
        "on how many",
        0.0,
        0,
        0.5,
        "",
        step=0.01,
        digits=2,
        does="On how many of the clips the rare shape is played",
    ),
    Setting(
        "transition_beats",
        "transition, beats",
        1.0,
        0.1,
        8,
        "",
        step=0.25,
        digits=2,
        does="How long a transition is where a section changes",
    ),
    Setting("look_amount", "how much of the look", 0.7, 0, 1.5, "", step=0.05, digits=2, does="How strong the look is"),
    Setting(
        "light", "light, stops", 0.0, -2, 2, "", step=0.1, digits=2, does="How much lighter or darker all of it is"
    ),
    Setting("shutter_deg", "shutter", 0.0, 0, 360, "°", step=15, does="How what moves is blurred"),
)
LOUD: tuple[LevelName, ...] = ("middle", "full")

MOODS: tuple[Mood, ...] = (
    Mood(
        name="still water",
        does="long pictures, soft transitions, hardly an accent",
        phrases={"quiet": ((8, 8),), "middle": ((8,), (4, 4)), "full": ((4, 4),)},
        hold=4, motion=0.4, shape="settle", ramp=0.35, ramp_from=4, flow="carried",
        transition="light-dissolve", transition_beats=2, look="North light",
        fires=(Fires("drop-back", "drops", amount=0.5),),
    ),
    Mood(
        name="low sun",
        does="warm and easy: cuts on the bar, a little slower on what matters",
        phrases={"quiet": ((8,), (4, 4)), "middle": ((4, 4), (4, 2, 2)), "full": ((4, 4), (2, 2, 4))},
        hold=4, motion=0.5, shape="settle", ramp=0.5, ramp_from=4, flow="carried",
        transition="dissolve", transition_beats=1, look="Evening gold",
        fires=(Fires("kick", "drops", amount=0.6), Fires("punch", "downbeats", 2, ("full",), 0.5)),
    ),
    Mood(
        name="driving",
        does="on the beat where it is loud, a roll into the drop, fast into every blow",
        phrases={"quiet": ((4, 4), (8,)), "middle": ((4,), (2, 2)), "full": ((2, 2), (2, 1, 1))},
        roll=2, hold=2, motion=0.8, shape="settle", ramp=0.7, ramp_from=2, fill=True, flow="carried",
        transition="push", transition_beats=0.5, rush="whoosh", hit="impact",
        look="Embers", shutter_deg=90,
        fires=(Fires("flash", "drops", amount=1.2), Fires("punch", "downbeats", 1, LOUD, 0.8), Fires("shake", "beats", 4, ("full",), 0.7)),
    ),
    Mood(
        name="hammer",
        does="hard and short: every beat in the loud, shakes and flashes on the bars",
        phrases={"quiet": ((4,), (2, 2)), "middle": ((2, 2), (1, 1, 2)), "full": ((1, 1, 1, 1), (1, 1, 0.5, 0.5, 1))},
        roll=4, hold=2, motion=1.0, shape="launch", ramp=0.8, ramp_from=2, fill=True, flow="answered",
        transition="whip", transition_beats=0.5, rush="swish", hit="impact",
        look="Cold steel", look_amount=0.8, shutter_deg=60,
        fires=(Fires("flash", "drops", amount=1.5), Fires("shake", "downbeats", 1, LOUD, 1.0), Fires("strobe", "drops", amount=0.8),
               Fires("kick", "beats", 2, ("full",), 0.6)),
    ),
    Mood(
        name="sparks",
        does="playful: uneven lengths, pictures that swing back, bounces",
        phrases={"quiet": ((4, 2, 2), (3, 3, 2)), "middle": ((3, 3, 2), (2, 1, 1)), "full": ((1.5, 1.5, 1), (1, 1, 2), (3, 1))},
        roll=1, hold=2, motion=0.7, shape="bounce", ramp=0.6, ramp_from=2, rare="see-saw", rare_share=0.15, fill=True, flow="answered",
        transition="slide-over", transition_beats=0.5, rush="swish",
        look="Clear day", fires=(Fires("punch", "downbeats", 1, LOUD, 0.9), Fires("shift", "drops", amount=1.0)),
    ),
    Mood(
        name="night walk",
        does="dark and slow, pictures that hang, then all at once on the drop",
        phrases={"quiet": ((8, 8), (8,)), "middle": ((8,), (4, 4)), "full": ((2, 2), (4,), (2, 1, 1))},
        roll=2, hold=4, motion=0.9, shape="hang", ramp=0.5, ramp_from=4, rare=REWIND, rare_share=0.08, fill=True,
        transition="dip", transition_beats=1, rush="riser", hit="impact",
        look="Quench", look_amount=1.0, light=-0.8, shutter_deg=120,
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


def mood_problems(mood: Mood) -> Iterator[str]:
    """Yield what is wrong with a mood, in words that follow "has"."""
    if not 1 <= len(mood.name) <= 40:
        yield "a name that is too long, or none"
    if len(mood.does) > 200:
        yield "a description of more than 200 letters"
    for level in LEVELS:
        phrases = mood.phrases.get(level, ())
        if not 1 <= len(phrases) <= MOST or any(not 1 <= len(p) <= MOST for p in phrases):
            yield f"no lengths of cuts, or too many, for where the song is {LEVEL_WORDS[level]}"
        elif any(not 0.5 <= length <= 64 or length * 2 % 1 for p in phrases for length in p):
            yield "a cut that is not 0.5 to 64 beats long in whole beats and halves"
    for setting in MOOD_SETTINGS.values():
        value = getattr(mood, setting.name)
        if not setting.allows(value):
            yield f"{setting.noun} of {value:g}; keep it between {setting.low:g} and {setting.high:g}"
    if mood.roll % 1 or mood.hold % 1:
        yield "a roll or a hold that is no whole number of beats"
    shapes = [s.name for s in READY]
    for what, name, there in (
        ("shape", mood.shape, shapes), ("rare effect", mood.rare, ["", REWIND, *shapes]), ("transition", mood.transition, ["", *JOINS]),
        ("sound on transitions", mood.rush, ["", *SOUNDS]), ("sound on drops", mood.hit, ["", *SOUNDS]),
        ("look", mood.look, ["", *(look.name for look in LOOKS)]),
    ):  # fmt: skip
        if name not in there:
            yield f"the {what} '{name}', which there is none of; choose from {', '.join(n for n in there if n)}"
    if len(mood.fires) > MOST:
        yield f"more than {MOST} accents"
    for fires in mood.fires:
        if fires.accent not in ACCENTS:
            yield f"the accent '{fires.accent}', which there is none of; choose from {', '.join(ACCENTS)}"
        if not (fires.of in FIRES_ON and 1 <= fires.every <= 64 and 0 <= fires.amount <= 2 and fires.levels):
            yield f"an accent '{fires.accent}' that fires on nothing; say of {', '.join(FIRES_ON)}, every 1 to 64, amount 0 to 2"
