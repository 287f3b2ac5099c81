"""What mends what an error says: a command, offered as a button beside the sentence."""

from __future__ import annotations

from typing import NamedTuple


class Remedy(NamedTuple):
    """Words of a sentence, the command that mends it, and what its button says."""

    words: str
    command: str
    text: str


REMEDIES = (
    Remedy("Select a title first", "add_title", "Add a title"),
    Remedy("Words are laid as a title", "add_title", "Add a title"),
    Remedy("no title on the reel", "add_title", "Add a title"),
    Remedy("Draft by a mood first", "show_draft", "Draft …"),
    Remedy("needs a song first", "choose_song", "Add a song …"),
    Remedy("needs footage", "choose_footage", "Add footage …"),
    Remedy("add footage, or wait", "choose_footage", "Add footage …"),
    Remedy("Save the project first", "save_as", "Save as …"),
    Remedy("has no name yet", "save_as", "Save as …"),
    Remedy("undo the last step", "undo", "Undo"),
    Remedy("Select footage", "show_footage", "Footage page"),
    Remedy("on the Rhythm page", "show_rhythm", "Rhythm page"),
    Remedy("choose more points", "show_rhythm", "Rhythm page"),
    Remedy("no transition here", "show_transitions", "Transitions page"),
    Remedy("no accent lane to copy", "show_accents", "Accents page"),
    Remedy("Stroke over the subject first", "show_layer", "Layer page"),
    Remedy("make it small: a", "small_picture", "Small picture"),
    Remedy("No grade was copied", "copy_grade", "Copy this grade"),
    Remedy("Show log", "show_log", "Show log"),
    Remedy("Select a clip first", "select_clip_here", "Select the clip here"),
    Remedy("Select a clip of footage", "select_clip_here", "Select the clip here"),
    Remedy("Select a clip, an accent lane", "select_clip_here", "Select the clip here"),
)


def remedy_of(sentence: str) -> Remedy | None:
    """Return what mends what a sentence says; None where it names nothing that a button could do."""
    return next((remedy for remedy in REMEDIES if remedy.words in sentence), None)
