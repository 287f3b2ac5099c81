"""A red sentence has what mends it as a button beside it; clips say what they have; a draft is as long as the footage suits."""

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtTest import QTest

from tempik.desktop.session.preferences import Preferences, save_preferences
from tempik.desktop.shell.draft_panel import usual_length
from tempik.desktop.shell.remedies import REMEDIES, remedy_of
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets.clip_signs import PAINTERS, signs_of
from tempik.edit.clips import masks, pieces
from tempik.edit.frame_shapes import in_own_shape, in_shape
from tempik.reel import Framing, Grade, Reel


def test_every_remedy_is_a_command_and_is_found_by_its_sentence(opened: Window) -> None:
    assert {r.command for r in REMEDIES} <= set(opened.commands)
    assert all(remedy_of(r.words) is not None for r in REMEDIES) and remedy_of("All is well.") is None


def test_the_button_beside_a_red_sentence_mends_it_and_goes(opened: Window) -> None:
    foot = opened.foot
    opened.project.playhead.go(10)
    opened.commands["words_each"].trigger()
    assert "Select a title first" in foot.status.text() and foot.remedy.isVisible()
    QTest.mouseClick(foot.remedy, Qt.MouseButton.LeftButton)
    assert any(c.title is not None for c in opened.project.reel.clips)
    assert not foot.remedy.isVisible() and "Select a title first" not in foot.status.text()
    opened.project.messages.say("It went wrong.", True)
    assert not foot.remedy.isVisible()


def test_a_question_stays_while_its_answers_do(opened: Window) -> None:
    foot = opened.foot
    foot.offer("Unsaved work was left.")
    opened.project.messages.say("Draft laid.")
    assert foot.status.text() == "Unsaved work was left.   ·   Draft laid." and foot.take_up.isVisible()
    opened.project.messages.say("")
    assert foot.status.text() == "Unsaved work was left."
    foot.offer("")
    opened.project.messages.say("Saved.")
    assert foot.status.text() == "Saved." and not foot.let_go.isVisible()


def test_clips_say_in_signs_what_they_have(reel: Reel) -> None:
    clip = reel.clips[0]
    assert signs_of(clip) == []
    made, _ = masks.with_mask(reel, clip.id, "ellipse")
    shown = pieces.with_framing(in_shape(made, "wide"), [clip.id], Framing(fit="contain"))
    found = replace(in_own_shape(shown).clips[0], grade=Grade(exposure=1.0), sound=replace(clip.sound, on=True))
    assert signs_of(found) == ["graded", "masked", "own sound", "framed in other shapes"] and set(
        signs_of(found)
    ) <= set(PAINTERS)


@pytest.mark.parametrize(
    "seconds, last, wanted", [(13.0, 0.0, 15.0), (13.0, 30.0, 15.0), (100.0, 0.0, 60.0), (100.0, 22.0, 22.0)]
)
def test_a_draft_is_as_long_as_the_last_and_as_the_footage_suits(
    seconds: float, last: float, wanted: float, reel: Reel
) -> None:
    save_preferences(Preferences(draft_length_s=last))
    piece = replace(reel.footage[0], length_s=seconds)
    assert usual_length(replace(reel, clips=(), footage=(piece,))) == wanted
    assert usual_length(reel) == reel.length_s
