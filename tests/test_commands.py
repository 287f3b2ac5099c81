"""Commands: declared beside what they do, applied as one step, taken by the page that is worked on, listed everywhere."""

import pytest
from PySide6.QtCore import QObject
from pytestqt.qtbot import QtBot

from tempik.desktop.commands.registry import GROUPS, Commands, CommandStep, command, commands_of
from tempik.desktop.pages.footage.page import FootagePage
from tempik.desktop.pages.rhythm.page import RhythmPage
from tempik.desktop.session.document import Project
from tempik.desktop.shell.keyboard import all_commands, keyboard_list
from tempik.desktop.shell.menus import CLIP_MENU
from tempik.desktop.shell.palette import CommandPalette
from tempik.desktop.shell.window import Window
from tempik.edit.accents.lanes import with_all_amounts
from tempik.edit.clips.pieces import ATTRIBUTES, with_attributes
from tempik.edit.speed.speed import with_constant
from tempik.errors import TempikError
from tempik.formats import FORMATS, film_filter, format_of, qualities
from tempik.reel import Position, Reel, by_id

pytestmark = pytest.mark.usefixtures("no_dialogs")


class Smith(QObject):
    """Commands of a test: one that gives a step, one that cannot, one that asks for nothing."""

    def __init__(self, project: Project) -> None:
        super().__init__(project)
        self.project = project
        self.struck = 0

    @command("Accents", "Half of all accents", ("Ctrl+Alt+H",), "clips")
    def halve(self) -> CommandStep:
        return CommandStep("Halved", lambda reel: with_all_amounts(reel, 0.5))

    @command("Accents", "What cannot be")
    def fail(self) -> CommandStep:
        def edit(reel: Reel) -> Reel:
            raise TempikError("The iron is cold; heat it first.")

        return CommandStep("Never", edit)

    @command("Play", "Strike")
    def trigger(self) -> None:
        self.struck += 1


def test_a_command_that_gives_a_step_has_it_applied_as_one(qtbot: QtBot, reel: Reel) -> None:
    project = Project()
    project.change("Reel", lambda _: reel)
    smith = Smith(project)
    message: list[tuple[str, bool]] = []
    project.messages.posted.connect(lambda text, error: message.append((text, error)))
    registry = Commands(project, project)
    registry.bind(smith)
    registry.actions["halve"].trigger()
    assert project.reel.amount == 0.5 and project.history.can_undo == "Halved"
    project.undo()
    assert smith.halve() is True and project.reel.amount == 0.5, "called by itself it does the same"
    message.clear()
    registry.actions["fail"].trigger()
    assert message == [("The iron is cold; heat it first.", True)], "an error is told once"


def test_what_a_command_needs_enables_it_and_a_page_may_take_it(qtbot: QtBot) -> None:
    project = Project()
    smith = Smith(project)
    taken: list[str] = []
    takes = {"trigger": lambda: taken.append("page")}
    on = [False]
    registry = Commands(project, project, lambda: takes if on[0] else {})
    registry.bind(smith)
    project.new()
    assert not registry.actions["halve"].isEnabled() and registry.actions["trigger"].isEnabled()
    registry.actions["trigger"].trigger()
    on[0] = True
    registry.actions["trigger"].trigger()
    assert smith.struck == 1 and taken == ["page"]


def test_commands_come_by_group_and_in_the_order_they_are_declared() -> None:
    assert [c.name for c in commands_of([Smith])] == ["halve", "fail", "trigger"]
    groups = [GROUPS.index(c.group) for c in all_commands()]
    assert groups == sorted(groups)
    names = [c.name for c in all_commands()]
    assert len(names) == len(set(names))


def test_every_command_is_an_action_in_the_palette_and_the_list_of_keys(window: Window) -> None:
    listed = keyboard_list()
    for one in all_commands():
        assert window.commands[one.name].text() == one.text and one.text.removesuffix(" …") in listed
    palette = CommandPalette(list(window.commands.values()), window)
    assert palette.list.count() == len(all_commands())
    assert {name for _, names in CLIP_MENU for name in names} <= set(window.commands)


def test_keys_mean_the_piece_that_is_looked_at_only_where_it_has_the_keyboard(opened: Window, qtbot: QtBot) -> None:
    opened.activateWindow()
    page = opened.page(FootagePage)
    opened.open_page(FootagePage)
    assert page.takes() == {}
    page.view.film.setFocus()
    qtbot.waitUntil(page.view.film.hasFocus, timeout=30_000)
    at = opened.project.playhead.frame
    page.view.scrub_to(1.0)
    before = page.view.time_s
    opened.commands["step_on"].trigger()
    assert page.view.time_s > before and opened.project.playhead.frame == at
    page.view.film.clearFocus()
    opened.commands["step_on"].trigger()
    assert opened.project.playhead.frame == at + 1


def test_on_the_rhythm_page_all_means_all_points_and_delete_the_selected_ones(opened: Window) -> None:
    opened.open_page(RhythmPage)
    opened.commands["select_all"].trigger()
    points = opened.project.selection.points
    assert len(points) > 10
    clips = len(opened.project.reel.clips)
    opened.commands["remove_clip"].trigger()
    assert len(opened.project.reel.clips) == clips and not set(points) & {p.id for p in opened.project.timeline.points}
    opened.undo()
    opened.open_page(FootagePage)
    opened.commands["select_all"].trigger()
    assert len(opened.project.selection.clip_ids) == clips


# Tables that others follow


def test_what_can_be_pasted_is_read_from_its_table(reel: Reel) -> None:
    first, second = reel.clips[0].id, reel.clips[1].id
    slow = with_constant(reel, [first], 0.5)
    source = by_id(slow.clips, first)
    assert source is not None
    before = by_id(slow.clips, second)
    for attribute, fields in ATTRIBUTES.items():
        made = by_id(with_attributes(slow, source, [second], (attribute,)).clips, second)
        for name in (n for names in ATTRIBUTES.values() for n in names):
            assert getattr(made, name) == getattr(source if name in fields else before, name)
    assert by_id(with_attributes(slow, source, [second]).clips, second).curve == source.curve  # type: ignore[union-attr]
    assert source.framing.start == Position()


def test_formats_are_read_from_their_table(tmp_path) -> None:  # type: ignore[no-untyped-def]
    assert format_of(tmp_path / "a.MP4") is FORMATS[0] and format_of(tmp_path / "a.m4v") is FORMATS[0]
    assert "*.mp4" in film_filter() and qualities() == ["draft", "standard", "high"]
    with pytest.raises(TempikError, match=r"end it in \.mp4 for H\.264"):
        format_of(tmp_path / "a.avi")
