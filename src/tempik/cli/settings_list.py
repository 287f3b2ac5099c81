"""`tempik settings`: every setting that has one value, with what it does, its bounds and its usual value."""

from __future__ import annotations

import argparse
from collections.abc import Mapping

from tempik.cli.options import Options, Parser, settled
from tempik.errors import TempikError
from tempik.reel.clip_settings import (
    CLIP_SETTINGS,
    CLIP_SOUND_SETTINGS,
    CROP_SETTINGS,
    FOLLOW_SETTINGS,
    FRAMING_SETTINGS,
    PLACE_SETTINGS,
    REEL_SETTINGS,
)
from tempik.reel.lanes import LANE_SETTINGS, RULE_SETTINGS
from tempik.reel.mask import CLEAR_SETTINGS, MASK_SETTINGS
from tempik.reel.sound import (
    CHANNEL_SETTINGS,
    DUCKING_SETTINGS,
    MASTER_SETTINGS,
    SOUND_CLIP_SETTINGS,
    SOUND_LANE_SETTINGS,
)
from tempik.reel.soundtrack import SONG_SETTINGS
from tempik.reel.title import ARRIVAL_SETTINGS, TITLE_SETTINGS
from tempik.reel.transition import TRANSITION_SETTINGS
from tempik.settings import Setting

INTRODUCTION = """# Settings

Everything of a reel that has one value: what it is called in the window, what it does, what it may be and what it usually is. Panes,
options of the command line and what a project file may hold are made of these descriptions, and so is this page (`tempik settings`
lists the same; `./run shots` writes it). Accents and transitions have settings of their own beside: `tempik accents --list`,
`tempik transitions --list`.

"""
HEAD = "| what | name | does | within | usual |\n|---|---|---|---|---|"


def groups() -> dict[str, Mapping[str, Setting]]:
    """Return the settings by what they belong to."""
    from tempik.edit.drafting.moods import MOOD_SETTINGS
    from tempik.reel.grade import AMOUNTS

    return {
        "reel": REEL_SETTINGS, "song": SONG_SETTINGS, "clip": CLIP_SETTINGS, "place": PLACE_SETTINGS, "crop": CROP_SETTINGS,
        "framing": FRAMING_SETTINGS, "follow": FOLLOW_SETTINGS, "clip sound": CLIP_SOUND_SETTINGS, "mask": MASK_SETTINGS,
        "clear": CLEAR_SETTINGS, "accent lane": LANE_SETTINGS, "rule": RULE_SETTINGS, "transition": TRANSITION_SETTINGS,
        "title": TITLE_SETTINGS, "arrival": ARRIVAL_SETTINGS, "grade": AMOUNTS, "channel": CHANNEL_SETTINGS,
        "sound lane": SOUND_LANE_SETTINGS, "sound clip": SOUND_CLIP_SETTINGS, "ducking": DUCKING_SETTINGS,
        "master": MASTER_SETTINGS, "mood": MOOD_SETTINGS,
    }  # fmt: skip


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik settings` and its options."""
    made = verbs.add_parser("settings", help="every setting with its bounds, as the docs have them")
    made.add_argument("--of", metavar="WHAT", help="of one thing alone, such as title, mask, grade or sound lane")


def run(options: Options) -> int:
    """List settings. Raises TempikError where there are none of what is named."""
    every, settled_on = groups(), options.of
    settled(options)
    if settled_on is not None and settled_on not in every:
        raise TempikError(f"'{settled_on}' has no settings; choose from {', '.join(every)}.")
    print(settings_list({settled_on: every[settled_on]} if settled_on is not None else every), end="")
    return 0


def settings_list(every: Mapping[str, Mapping[str, Setting]]) -> str:
    """Return settings as a table in Markdown."""
    lines = [
        f"| {what} | {setting.title} | {setting.does.replace('|', '/')} | {_within(setting)} | {_usual(setting)} |"
        for what, settings in every.items()
        for setting in settings.values()
    ]
    return "\n".join([HEAD, *lines]) + "\n"


def settings_page() -> str:
    """Return the page of the docs."""
    return INTRODUCTION + settings_list(groups())


def _within(setting: Setting) -> str:
    if setting.kind == "number":
        return f"{setting.bounds()}{setting.suffix}"
    return {"switch": "on, off", "colour": "a colour", "choice": ", ".join(setting.choices), "text": "words"}[
        setting.kind
    ]


def _usual(setting: Setting) -> str:
    if isinstance(setting.default, bool):
        return "on" if setting.default else "off"
    return setting.default if isinstance(setting.default, str) else setting.shown(setting.default)
