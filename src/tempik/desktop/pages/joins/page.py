"""The Joins page: joins to choose from on the left, the join of the cut that is worked on beside them."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QPoint, Qt, QTimer
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from tempik.accents.accent import Value
from tempik.desktop.commands.joins import SCOPES
from tempik.desktop.pages.joins.cut_strip import CutStrip
from tempik.desktop.pages.joins.ease_graph import EaseGraph
from tempik.desktop.pages.joins.fields import JoinFields
from tempik.desktop.pages.joins.suggesting import Suggesting
from tempik.desktop.pages.joins.tiles import Choice, JoinTiles, choices
from tempik.desktop.pages.page import Desk, Page
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.form import LOW, button
from tempik.desktop.widgets.plain import Label, as_tip, in_menu
from tempik.desktop.widgets.setting_fields import SettingFields
from tempik.desktop.widgets.theme import words
from tempik.edit.joins import laying, mending
from tempik.edit.joins.laying import LOT, TURNS, JoinPlace
from tempik.joins import CATALOGUE, EASES, ease_of, settings_of
from tempik.project import joins as library
from tempik.reel import Handles, JoinUnit
from tempik.timeline.placed import Placed, source_at_frames
from tempik.timeline.seams import Seam, short_of

OWN_CURVE = "own curve"
MOST_MENDS = 4
SAID_PX = 330
# The bench must be so wide for so many columns of joins.
COLUMNS = ((1180, 3), (780, 2), (0, 1))


class JoinsPage(Page):
    """Lays joins on the cuts that are meant and edits the one that is worked on."""

    name, title, key = "joins", "Joins", "F6"

    def __init__(self, desk: Desk) -> None:
        super().__init__(desk)
        self.commands = desk.joins
        self.gesture = Gesture(desk.project)
        self.filling = False
        self._room = 2000
        self._shown_between: tuple[object, ...] = ()
        self.tiles = JoinTiles()
        self.tiles.picked.connect(self._picked)
        self.tiles.pointed.connect(self._point_at)
        self.tiles.menu_wanted.connect(self._tile_menu)
        scroll = QScrollArea()
        scroll.setWidget(self.tiles)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
        self.tile_area = scroll
        self.does = Label()
        self.does.setFont(words(12))
        self.does.setStyleSheet(f"color: {theme.QUIET};")
        left = QVBoxLayout()
        left.setSpacing(3)
        left.addWidget(scroll, 1)
        left.addWidget(self.does)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 6, 12, 8)
        whole.setSpacing(12)
        whole.addLayout(left)
        self.editor = self._make_editor()
        whole.addWidget(self.editor, 1)
        self._read_library()
        self._fit_tiles()
        self._point_at(None)
        self._wire()

    def _wire(self) -> None:
        project, selection = self.project, self.project.selection
        project.changed.connect(self.want)
        selection.selected.connect(self.want)
        selection.join_selected.connect(self.want)
        self.commands.scope_changed.connect(self._scope_changed)
        project.playhead.moved.connect(self._playhead_moved)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(400)
        self._rest.timeout.connect(self._show_between)
        self.desk.strips.changed.connect(self._rest.start)
        self.suggesting.found.connect(self._show_proposals)

    def _make_editor(self) -> QWidget:
        self.heading = Label()
        self.heading.setFont(words(14, True))
        self.whose = Label()
        self.whose.setFont(words(12))
        self.whose.setStyleSheet(f"color: {theme.QUIET};")
        self.match = button("Match to the motion", "Kind and direction by how the pictures move", self.commands.match)
        self.off = button("Take off", "Hard cuts where the scope says", self.commands.take_off)
        self.more = button("…", "More for this join", self._more_menu)
        self.more.setFixedWidth(30)
        top = QHBoxLayout()
        top.setSpacing(5)
        top.addWidget(self.heading)
        top.addWidget(self.whose, 1)
        for widget in (self.match, self.off, self.more):
            widget.setStyleSheet(LOW)
            top.addWidget(widget)
        self.fields = JoinFields()
        self.fields.scope_chosen.connect(self.commands.choose_scope)
        self.fields.way_chosen.connect(self._way_chosen)
        self.fields.length_edited.connect(self._length_edited)
        self.fields.at_edited.connect(lambda at: self.commands.change("Place of the join", lambda j: replace(j, at=at)))
        self.fields.amount_moved.connect(self._amount_moved)
        self.fields.amount_settled.connect(lambda: self.gesture.settle("Strength of the joins"))
        self.fields.shutter_edited.connect(
            lambda deg: self.commands.change("Shutter of the join", lambda j: replace(j, shutter_deg=deg))
        )
        self.suggesting = Suggesting(self.desk)
        self.below = QHBoxLayout()
        self.below.setSpacing(5)
        self.said = Label()
        self.said.setFont(words(12))
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addLayout(top)
        column.addWidget(self.fields)
        column.addLayout(self._make_middle(), 1)
        column.addLayout(self.below)
        return made

    def _make_middle(self) -> QHBoxLayout:
        self.strip = CutStrip(self.desk.strips)
        self.strip.dragged.connect(self._dragged)
        self.strip.settled.connect(lambda: self.gesture.settle("Length of the join"))
        self.strip.went.connect(self.project.playhead.go)
        self.graph = EaseGraph()
        self.graph.changed.connect(self._bent)
        self.graph.settled.connect(lambda: self.gesture.settle("Ease of the join"))
        self.ease = QComboBox()
        self.ease.addItems([*EASES, OWN_CURVE])
        self.ease.setStyleSheet(LOW)
        self.ease.setToolTip("Curve of ease: how the join gathers speed and comes to rest")
        self.ease.activated.connect(lambda _: self._ease_picked())
        curve = QVBoxLayout()
        curve.setSpacing(3)
        curve.addWidget(self.graph, 1)
        curve.addWidget(self.ease)
        self.settings = SettingFields(self._setting_edited)
        middle = QHBoxLayout()
        middle.setSpacing(8)
        middle.addWidget(self.strip, 6)
        middle.addLayout(curve, 2)
        middle.addWidget(self.settings, 3)
        return middle

    # Showing

    def _fit_tiles(self) -> None:
        """Fewer columns of joins where the editor needs the room."""
        self.tiles.show_columns(next(columns for wide, columns in COLUMNS if self._room >= wide))
        self.tile_area.setFixedWidth(self.tiles.width() + 14)
        self.does.setFixedWidth(self.tiles.width())

    def room_changed(self, width: int) -> None:
        self._room = width
        self._fit_tiles()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._show_between()

    def _playhead_moved(self, frame: int) -> None:
        if self.isVisible():
            self._show_strip()
            if self.project.selection.placed is None:
                self.want()

    def _scope_changed(self) -> None:
        self._read_library()
        self.want()

    def _read_library(self) -> None:
        self.tiles.show_items(choices(library.own_joins()))

    def refill(self) -> None:
        self.filling = True
        place, seam = self.commands.place, self.commands.seam
        kind = seam.kind if seam is not None else None
        self.heading.setText(kind.title if kind is not None else "Unknown join" if seam is not None else "Hard cut")
        self.whose.setText(self._where(place, seam))
        self.tiles.choose(seam.join.kind if seam is not None else "")
        shutter_deg = self.project.reel.shutter_deg
        shown = kind or (CATALOGUE[self.commands.last] if seam is None else None)
        self.fields.show_join(shown, seam, self.commands.scope, self.commands.ways, shutter_deg)
        there = seam is not None and kind is not None
        for widget in (self.graph, self.ease, self.settings):
            widget.setEnabled(there)
        self.off.setEnabled(bool(self.commands.joined()))
        self.match.setEnabled(place is not None)
        if seam is not None and kind is not None:
            handles = ease_of(kind, seam.join)
            self.graph.show_handles(handles)
            self.ease.setCurrentText(next((n for n, h in EASES.items() if h == handles), OWN_CURVE))
            self.settings.show_settings(kind.settings, settings_of(kind, seam.join))
        else:
            self.settings.show_settings((), {})
        self._show_strip()
        self._show_below(place, seam)
        self.suggesting.look_at(place)
        self.filling = False
        self._rest.start()

    def _where(self, place: JoinPlace | None, seam: Seam | None) -> str:
        timeline = self.project.timeline
        placed = timeline.placed_clip(place.clip) if place is not None else None
        if place is None or placed is None:
            return "· there is no cut yet; a cut is where two clips meet"
        turn = placed.end if place.end else placed.first
        point = timeline.point_at(turn)
        where = f"on {point.label}, frame {turn}" if point is not None else f"frame {turn}"
        long = f" · {seam.frames} f" if seam is not None else ""
        scope, count = self.commands.scope, len(self.commands.places())
        many = f" · {count} cuts meant" if scope != "this" else ""
        return f"· {where}{long}{many}"

    def _sides(self) -> tuple[tuple[Placed | None, Placed | None], int]:
        """Return the clips before and after the edge that is worked on, and its frame."""
        timeline, place = self.project.timeline, self.commands.place
        placed = timeline.placed_clip(place.clip) if place is not None else None
        if place is None or placed is None:
            return (None, None), 0
        if place.end:
            after = timeline.clip_at(placed.end, placed.clip.track)
            return (placed, after), placed.end
        before = timeline.clip_at(placed.first - 1, placed.clip.track) if placed.first else None
        return (before if before is not None and before.end == placed.first else None, placed), placed.first

    def _show_strip(self) -> None:
        sides, turn = self._sides()
        self.strip.show_cut(self.project.timeline, self.commands.seam, sides, turn, self.project.playhead.frame)

    def _show_between(self) -> None:
        """Show the joins between the frames that meet at the cut."""
        if not self.isVisible():
            return
        (out, into), turn = self._sides()
        rate = self.project.timeline.rate
        pictures = []
        for placed, frame in ((out, turn - 1), (into, turn)):
            found = None
            if placed is not None:
                source = float(source_at_frames(placed, [frame], rate)[0])
                found = self.desk.strips.at(placed.footage.path, source)
            pictures.append(found)
        key = tuple(p.cacheKey() if p is not None else 0 for p in pictures)
        if key != self._shown_between:
            self._shown_between = key
            self.tiles.show_between(pictures[0], pictures[1])

    def _show_below(self, place: JoinPlace | None, seam: Seam | None) -> None:
        """What the join is short of, each mend as a button; else what was proposed."""
        self._clear_below()
        short = short_of(seam) if seam is not None else []
        if seam is None or place is None or not short:
            self._show_proposals()
            return
        self._say(f"{short[0]}.")
        self.said.setStyleSheet(f"color: {theme.WARNING_TEXT};")
        self.said.show()
        self.below.addWidget(self.said)
        for mend in mending.mends(self.project.reel, place)[:MOST_MENDS]:
            made = QPushButton(in_menu(SHORT_NAMES[mend.name]))
            made.setToolTip(as_tip(mend.does[0].upper() + mend.does[1:]))
            made.setStyleSheet(LOW)
            made.clicked.connect(lambda _=False, m=mend, at=place: self.commands.mend(at, m))
            self.below.addWidget(made)
        self.below.addStretch(1)

    def _show_proposals(self) -> None:
        place, seam = self.commands.place, self.commands.seam
        if place is None or (seam is not None and short_of(seam)):
            return
        self._clear_below()
        found = self.suggesting.proposals
        self._say("Suits the motion:" if found else self.suggesting.text)
        self.said.setStyleSheet(f"color: {theme.QUIET};")
        self.said.show()
        self.below.addWidget(self.said)
        for proposed in found[:3]:
            name = CATALOGUE[proposed.kind].title.lower() if proposed.kind else "hard cut"
            made = QPushButton(in_menu(f"{name} {proposed.direction}".strip()))
            made.setToolTip(as_tip(proposed.why))
            made.setStyleSheet(LOW)
            made.clicked.connect(lambda _=False, p=proposed, at=place: self.commands.take_proposal(at, p))
            self.below.addWidget(made)
        if found:
            why = Label(found[0].why.rsplit(":", 1)[0])
            why.setFont(words(12))
            why.setStyleSheet(f"color: {theme.QUIET};")
            self.below.addWidget(why)
        self.below.addStretch(1)

    def _say(self, text: str) -> None:
        shown = self.said.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, SAID_PX)
        self.said.setText(shown)
        self.said.setToolTip(as_tip(text) if shown != text else "")

    def _clear_below(self) -> None:
        while self.below.count():
            item = self.below.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is self.said:
                widget.hide()
            elif widget is not None:
                widget.hide()
                widget.deleteLater()

    def _point_at(self, choice: Choice | None) -> None:
        text = choice.does if choice is not None else "Click a join to lay it."
        self.does.setText(self.does.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, self.does.width()))
        self.tiles.setToolTip(as_tip(text) if choice is not None else "")

    # Edits

    def _picked(self, choice: Choice) -> None:
        if choice.own:
            self.commands.lay_own(choice.name, choice.join)
        else:
            self.commands.lay(choice.name)

    def _way_chosen(self, way: str) -> None:
        self.commands.ways = way if way in (TURNS, LOT) else ""
        places = self.commands.joined()
        if places:
            self.project.change(f"Joins go {way}", lambda reel: laying.with_directions(reel, places, way))

    def _length_edited(self, length: float, unit: JoinUnit) -> None:
        self.commands.change(f"Joins {length:g} {unit} long", lambda j: replace(j, length=length, unit=unit))
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

    def _ease_picked(self) -> None:
        wanted = EASES.get(self.ease.currentText())
        if wanted is not None:
            self.commands.change("Ease of the join", lambda j: replace(j, ease=wanted))

    def _setting_edited(self, name: str, value: Value) -> None:
        if self.filling:
            return
        seam = self.commands.seam
        kind = seam.join.kind if seam is not None else ""
        reel = self.project.reel
        places = [at for at in self.commands.joined() if (j := laying.join_at(reel, at)) is not None and j.kind == kind]
        if places:
            self.project.change("Join changed", lambda r: laying.with_setting(r, places, name, value))

    # Menus

    def _tile_menu(self, choice: Choice | None, at: QPoint) -> None:
        if choice is None:
            return
        menu = QMenu(self)
        for scope, title in SCOPES:
            action = menu.addAction(f"Lay it on {title}" if scope != "open" else "Fade in and out with it at open ends")
            action.triggered.connect(lambda _=False, s=scope, c=choice: self._lay_on(s, c))
        if choice.own:
            menu.addSeparator()
            menu.addAction("Take it out of my joins").triggered.connect(lambda: self._forget(choice.name))
        menu.popup(at)

    def _lay_on(self, scope: str, choice: Choice) -> None:
        self.commands.choose_scope(scope)
        self._picked(choice)

    def _forget(self, name: str) -> None:
        library.removed_join(name)
        self._read_library()

    def _more_menu(self) -> None:
        self.more_menu().popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def more_menu(self) -> QMenu:
        """Return what else can be done with the join that is worked on."""
        menu, commands = QMenu(self), self.commands
        menu.addAction("The other way").triggered.connect(commands.turn_round)
        menu.addAction("As the kind comes").triggered.connect(self._as_it_comes)
        menu.addAction("Copy it to all that are meant").triggered.connect(commands.copy_to_scope)
        menu.addAction("Keep it as a join of my own …").triggered.connect(lambda: commands.ask_keep(self))
        menu.addSeparator()
        menu.addAction("All joins longer or shorter …").triggered.connect(commands.ask_all_lengths)
        menu.addAction("All joins a tenth weaker").triggered.connect(commands.calm_joins)
        menu.addAction("All joins a tenth stronger").triggered.connect(commands.stir_joins)
        menu.addAction("Take all joins off").triggered.connect(commands.take_all_off)
        return menu

    def _as_it_comes(self) -> None:
        """Let the joins that are meant have their kind's own settings, ease, place and shutter."""
        self.commands.change(
            "As the kind comes",
            lambda j: replace(j, settings={}, ease=None, at=None, shutter_deg=None, amount=1.0, direction=""),
        )


SHORT_NAMES = {
    "shorter": "shorter", "move": "elsewhere about the cut", "slip": "other frames", "slow": "slower",
    "hold": "let it stand", "round": "round again",
}  # fmt: skip
