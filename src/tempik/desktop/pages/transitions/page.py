"""The Transitions page: transitions to choose from on the left, the transition of the cut that is worked on beside them."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QTimer
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.pages.transitions.cut_sides import sides_of, where_text
from tempik.desktop.pages.transitions.cut_strip import CutStrip
from tempik.desktop.pages.transitions.ease_graph import EaseGraph
from tempik.desktop.pages.transitions.fields import TransitionFields
from tempik.desktop.pages.transitions.menus import more_menu, tile_menu
from tempik.desktop.pages.transitions.offers import Offers, Suggesting
from tempik.desktop.pages.transitions.tiles import TransitionTile, TransitionTiles, choices
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets.controls import Dropdown
from tempik.desktop.widgets.form import button, column, holder, line, low, quiet
from tempik.desktop.widgets.plain import Label, below, pop_up
from tempik.desktop.widgets.setting_fields import SettingFields
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.tile_grid import Chooser
from tempik.edit.transitions import laying
from tempik.edit.transitions.laying import TransitionPlace
from tempik.project import transitions as library
from tempik.reel import Handles, TransitionUnit
from tempik.settings import Value
from tempik.timeline.placed_clip import source_at_frames
from tempik.transitions import CATALOGUE, EASES, ease_of, settings_of

OWN_CURVE = "own curve"
# The page panel must be so wide for so many columns of transitions.
COLUMNS = ((1180, 3), (780, 2), (0, 1))


class TransitionsPage(Page):
    """Lays transitions on the cuts that are meant and edits the one that is worked on."""

    name, title, key = "transitions", "Transitions", "F6"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.commands = context.transitions
        self.gesture = Gesture(context.project)
        self._room = 2000
        self._place: TransitionPlace | None = None
        self._shown_between: tuple[object, ...] = ()
        self.tiles = TransitionTiles()
        self.tiles.picked.connect(self._picked)
        self.tiles.pointed.connect(self._point_at)
        self.tiles.menu_wanted.connect(self._tile_menu)
        self.chooser = Chooser(self.tiles)
        self.editor = self._make_editor()
        line(self.chooser, (self.editor, 1), over=self, spacing=12, margins=(12, 6, 12, 8))
        self._read_library()
        self._fit_tiles()
        self._point_at(None)
        self._wire()

    def _wire(self) -> None:
        project, selection = self.project, self.project.selection
        project.changed.connect(self.want)
        selection.selected.connect(self.want)
        selection.transition_selected.connect(self.want)
        self.commands.scope_changed.connect(self._read_library)
        self.commands.scope_changed.connect(self.want)
        project.playhead.moved.connect(self._playhead_moved)
        self._rest = QTimer(self, singleShot=True, interval=400)
        self._rest.timeout.connect(self._show_between)
        self.context.filmstrips.changed.connect(self._rest.start)

    def _make_editor(self) -> QWidget:
        self.heading, self.whose = Label(), quiet("")
        self.heading.setFont(words(14, True))
        self.whose.setFont(words(12))
        self.match = button(
            "Match to the motion", "Kind and direction by how the pictures move", self.commands.match, "low"
        )
        self.off = button("Take off", "Hard cuts where the scope says", self.commands.take_off, "low")
        self.more = button("…", "More for this transition", self._more_menu, "low", 30)
        self.fields = TransitionFields()
        self.fields.scope_chosen.connect(self.commands.choose_scope)
        self.fields.way_chosen.connect(lambda way: self.commands.direct(self.commands.joined(), way))
        self.fields.length_edited.connect(self._length_edited)
        self.fields.edited.connect(self._edited)
        self.fields.amount_moved.connect(self._amount_moved)
        self.fields.amount_settled.connect(lambda: self.gesture.settle("Strength of the transitions"))
        self.suggesting = Suggesting(self.context)
        self.offers = Offers(self.commands, self.suggesting)
        top = line(self.heading, (self.whose, 1), self.match, self.off, self.more, spacing=5)
        return holder(column(top, self.fields, (self._make_middle(), 1), self.offers, spacing=5))

    def _make_middle(self) -> QHBoxLayout:
        self.strip = CutStrip(self.context.filmstrips)
        self.strip.dragged.connect(self._dragged)
        self.strip.settled.connect(lambda: self.gesture.settle("Length of the transition"))
        self.strip.went.connect(self.project.playhead.go)
        self.graph = EaseGraph()
        self.graph.changed.connect(self._bent)
        self.graph.settled.connect(lambda: self.gesture.settle("Ease of the transition"))
        self.ease = Dropdown((name, name) for name in (*EASES, OWN_CURVE))
        low(self.ease)
        self.ease.setToolTip("Curve of ease: how the transition gathers speed and comes to rest")
        self.ease.told.connect(self._ease_picked)
        self.settings = SettingFields(self._setting_edited)
        curve = column((self.graph, 1), self.ease, spacing=3)
        return line((self.strip, 6), (curve, 2), (self.settings, 3), spacing=8)

    # Showing

    def _fit_tiles(self) -> None:
        """Fewer columns of transitions where the editor needs the room."""
        self.tiles.show_columns(next(columns for wide, columns in COLUMNS if self._room >= wide))
        self.chooser.fit()

    def room_changed(self, width: int) -> None:
        self._room = width
        self._fit_tiles()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._show_between()

    def _playhead_moved(self, frame: int) -> None:
        if self.isVisible():
            self.strip.show_playhead(frame)
            if self.project.selection.placed is None and self.commands.place != self._place:
                self.want()  # without a selection the cut nearest to the playhead is worked on

    def _read_library(self) -> None:
        self.tiles.show_items(choices(library.own_transitions()))

    def refill(self) -> None:
        place, placed_transition = self.commands.place, self.commands.placed_transition
        self._place = place
        kind = placed_transition.kind if placed_transition is not None else None
        self.heading.setText(
            kind.title if kind is not None else "Unknown transition" if placed_transition is not None else "Hard cut"
        )
        self.whose.setText(where_text(self.commands, place, placed_transition))
        self.chooser.choose(placed_transition.transition.kind if placed_transition is not None else "")
        shutter_deg = self.project.reel.shutter_deg
        shown = kind or (CATALOGUE[self.commands.last] if placed_transition is None else None)
        self.fields.show_transition(shown, placed_transition, self.commands.scope, self.commands.ways, shutter_deg)
        there = placed_transition is not None and kind is not None
        for widget in (self.graph, self.ease, self.settings):
            widget.setEnabled(there)
        self.off.setEnabled(bool(self.commands.joined()))
        self.match.setEnabled(place is not None)
        if placed_transition is not None and kind is not None:
            handles = ease_of(kind, placed_transition.transition)
            self.graph.show_handles(handles)
            self.ease.show_value(next((n for n, h in EASES.items() if h == handles), OWN_CURVE))
            self.settings.show_settings(kind.settings, settings_of(kind, placed_transition.transition))
        else:
            self.settings.show_settings((), {})
        sides, turn = sides_of(self.commands)
        self.strip.show_cut(
            self.project.timeline, self.commands.placed_transition, sides, turn, self.project.playhead.frame
        )
        self.suggesting.look_at(place)
        self.offers.refill()
        self._rest.start()

    def _show_between(self) -> None:
        """Show the transitions between the frames that meet at the cut."""
        if not self.isVisible():
            return
        (out, into), turn = sides_of(self.commands)
        rate = self.project.timeline.rate
        pictures = []
        for placed, frame in ((out, turn - 1), (into, turn)):
            found = None
            if placed is not None:
                source = float(source_at_frames(placed, [frame], rate)[0])
                found = self.context.filmstrips.at(placed.footage.path, source)
            pictures.append(found)
        key = tuple(p.cacheKey() if p is not None else 0 for p in pictures)
        if key != self._shown_between:
            self._shown_between = key
            self.tiles.show_between(pictures[0], pictures[1])

    def _point_at(self, choice: TransitionTile | None) -> None:
        self.chooser.say(choice.does if choice is not None else "Click a transition to lay it.", choice is not None)

    # Edits

    def _picked(self, choice: TransitionTile) -> None:
        if choice.own:
            self.commands.lay_own(choice.name, choice.transition)
        else:
            self.commands.lay(choice.name)

    def _edited(self, name: str, value: float) -> None:
        what = f"{'Place' if name == 'at' else 'Shutter'} of the transition"
        self.commands.change(what, lambda j: replace(j, **{name: value}))

    def _length_edited(self, length: float, unit: TransitionUnit) -> None:
        self.commands.change(f"Transitions {length:g} {unit} long", lambda j: replace(j, length=length, unit=unit))
        self.commands.say_trouble(self.commands.joined())

    def _amount_moved(self, amount: float) -> None:
        places = self.commands.joined()
        if places:
            self.gesture.show(lambda reel: laying.with_amounts(reel, places, amount))

    def _dragged(self, before: int, after: int) -> None:
        place = self.commands.place
        if place is not None:
            self.gesture.show(lambda reel: laying.with_sides(reel, place, before, after))

    def _bent(self, handles: Handles) -> None:
        places = self.commands.joined()
        if places:
            self.gesture.show(lambda reel: laying.changed(reel, places, lambda j: replace(j, ease=handles)))

    def _ease_picked(self, name: str) -> None:
        wanted = EASES.get(name)
        if wanted is not None:
            self.commands.change("Ease of the transition", lambda j: replace(j, ease=wanted))

    def _setting_edited(self, name: str, value: Value) -> None:
        placed_transition = self.commands.placed_transition
        kind = placed_transition.transition.kind if placed_transition is not None else ""
        reel = self.project.reel
        places = [
            at for at in self.commands.joined() if (j := laying.transition_at(reel, at)) is not None and j.kind == kind
        ]
        if places:
            self.project.change("Transition changed", lambda r: laying.with_setting(r, places, name, value))

    # Menus

    def _tile_menu(self, choice: TransitionTile | None, at: QPoint) -> None:
        if choice is None:
            return

        def lay_on(scope: str) -> None:
            self.commands.choose_scope(scope)
            self._picked(choice)

        def forget() -> None:
            library.removed_transition(choice.name)
            self._read_library()

        pop_up(tile_menu(choice, lay_on, forget, self), at)

    def _more_menu(self) -> None:
        pop_up(more_menu(self.commands, self), below(self.more))
