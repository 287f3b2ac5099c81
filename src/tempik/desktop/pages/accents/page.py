"""The Accents page: accents to choose from on the left, the chosen lane or one pulse of it on the right."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, QSignalBlocker, Qt, QTimer
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QMenu,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from tempik.accents import CATALOGUE, EvaluatedLane, Pulse
from tempik.accents.accent import Value
from tempik.accents.pulses import keyed_at
from tempik.desktop.pages.accents.editing import UNITS, LaneEditing
from tempik.desktop.pages.accents.envelope_graph import EnvelopeGraph
from tempik.desktop.pages.accents.tile_menu import tile_menu
from tempik.desktop.pages.accents.tiles import AccentTiles
from tempik.desktop.pages.page import PageContext
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import button, quiet, toggle
from tempik.desktop.widgets.plain import Label, as_tip, pop_up
from tempik.desktop.widgets.rule_fields import RuleFields
from tempik.desktop.widgets.setting_fields import SettingFields
from tempik.desktop.widgets.theme import figures, words
from tempik.desktop.widgets.tile_grid import Chooser
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.digits import plural
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.bundles import without_bundle
from tempik.edit.accents.keys import without_key
from tempik.reel import Length, by_id
from tempik.timeline.placed_clip import source_at_frames

# The tiles take the frame at the playhead once it has rested for so long.
REST_MS = 500
BESIDE_PX = 52  # margins, the gap and the chooser's scroll bar


class AccentsPage(LaneEditing):
    """Adds accent lanes and edits the chosen one."""

    name, title, key = "accents", "Accents", "F5"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project, filmstrips, commands = context.project, context.filmstrips, context.accents
        self.filmstrips, self.commands = filmstrips, commands
        self.gesture = Gesture(project)
        self._room = 2000
        self.filling = False
        self._shown_on: tuple[str, int] | None = None
        self.tiles = AccentTiles()
        self.tiles.picked.connect(commands.add_lane)
        self.tiles.pointed.connect(self._point_at)
        self.tiles.menu_wanted.connect(self._open_tile_menu)
        self.chooser = Chooser(self.tiles)
        self.does = self.chooser.does
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 6, 12, 8)
        whole.setSpacing(12)
        whole.addWidget(self.chooser)
        self.editor = self._build_editor()
        whole.addWidget(self.editor, 1)
        self._fit_tiles()
        self._point_at(None)
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._show_frame)
        project.changed.connect(self.want)
        project.selection.lane_selected.connect(self.want)
        project.playhead.moved.connect(self._moved)
        filmstrips.changed.connect(self._rest.start)

    def _build_editor(self) -> QWidget:
        top = self._make_top()
        self.rule = RuleFields(self._rule_edited, self._place_edited)
        amounts = self._make_amounts()
        middle, right = self._make_middle()
        lengths = self._make_lengths()
        right.addLayout(self._make_weights())
        made = QWidget()
        column = QVBoxLayout(made)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(5)
        column.addLayout(top)
        column.addWidget(self.rule)
        column.addLayout(amounts)
        column.addLayout(middle, 1)
        column.addLayout(lengths)
        return made

    def _make_top(self) -> QHBoxLayout:
        """Whose lane it is, and what is done with the whole of it."""
        self.lane_title = Label()
        self.lane_title.setFont(words(14, True))
        self.whose = Label()
        self.whose.setFont(words(12))
        marks.ink(self.whose, "quiet")
        self.alone = toggle(
            "this pulse", "Edit the one pulse; without it, the whole lane. Ctrl and click a step chooses it"
        )
        self.alone.clicked.connect(self._alone_clicked)
        self.muted = toggle("muted", "Show the lane and let it do nothing")
        self.muted.clicked.connect(self.commands.mute_lane)
        self.solo = toggle("solo", "Only this lane, and others that are solo, do anything")
        self.solo.clicked.connect(self.commands.solo_lane)
        self.bundles = button("Bundles", "Ready bundles, one's own, and what is kept of these lanes", self._bundle_menu)
        self.more = button("…", "More for this lane", self._more_menu)
        self.more.setFixedWidth(30)
        for widget in (self.bundles, self.more):
            marks.room(widget, "low")
        top = QHBoxLayout()
        top.setSpacing(5)
        top.addWidget(self.lane_title)
        top.addWidget(self.whose, 1)
        for widget in (self.alone, self.muted, self.solo, self.bundles, self.more):
            top.addWidget(widget)
        return top

    def _make_amounts(self) -> QHBoxLayout:
        self.amount, self.amount_text = self._slider("Amount of the lane, 0 to 200 %", self._amount_moved)
        self.all, self.all_text = self._slider("Amount of all accents, 0 to 200 %", self._all_moved)
        self.bundle_amount, self.bundle_text = self._slider("Amount of the bundle, 0 to 200 %", self._bundle_moved)
        self.amount_name, self.bundle_name = quiet("lane"), quiet("")
        self.bundle_name.setMaximumWidth(76)
        amounts = QHBoxLayout()
        amounts.setSpacing(5)
        for name, slider, text in (
            (self.amount_name, self.amount, self.amount_text),
            (self.bundle_name, self.bundle_amount, self.bundle_text),
            (quiet("all"), self.all, self.all_text),
        ):
            amounts.addWidget(name)
            amounts.addWidget(slider, 1)
            amounts.addWidget(text)
        self.shutter = DecimalSpin()
        self.shutter.setRange(0, 360)
        self.shutter.setDecimals(0)
        self.shutter.setSingleStep(45)
        self.shutter.setSuffix(" °")
        self.shutter.setFixedWidth(56)
        self.shutter.setKeyboardTracking(False)
        marks.room(self.shutter, "low")
        self.shutter.setAccessibleName("Angle of the shutter, 0 to 360 degrees")
        self.shutter.setToolTip(
            "Motion blur of all that moves: shakes, punches, framing moves. 180 is a film camera's, 0 none"
        )
        self.shutter.valueChanged.connect(self._shutter_edited)
        amounts.addWidget(quiet("shutter"))
        amounts.addWidget(self.shutter)
        return amounts

    def _make_middle(self) -> tuple[QHBoxLayout, QVBoxLayout]:
        """The envelope, and beside it the accent's own fields."""
        self.graph = EnvelopeGraph()
        self.graph.changed.connect(lambda e: self._envelope_edited(e, False))
        self.graph.settled.connect(lambda: self.gesture.settle("Envelope changed"))
        self.fields = SettingFields(self._setting_edited, self._key_here)
        middle = QHBoxLayout()
        middle.setSpacing(10)
        middle.addWidget(self.graph, 5)
        right = QVBoxLayout()
        right.setSpacing(3)
        right.addWidget(self.fields, 1)
        middle.addLayout(right, 6)
        return middle, right

    def _make_lengths(self) -> QHBoxLayout:
        self.lengths: dict[str, tuple[QDoubleSpinBox, QComboBox]] = {}
        lengths = QHBoxLayout()
        lengths.setSpacing(4)
        for part in ("lead", "hold", "decay"):
            spin, unit = DecimalSpin(), QComboBox()
            spin.setRange(0, 120000)
            spin.setKeyboardTracking(False)
            spin.setFixedWidth(54)
            spin.setAccessibleName(f"{part} of the envelope")
            for _, shown in UNITS:
                unit.addItem(shown)
            unit.setFixedWidth(68)
            unit.setAccessibleName(f"unit of the {part}")
            marks.room(spin, "low")
            marks.room(unit, "low")
            spin.valueChanged.connect(lambda _, n=part: self._length_edited(n))
            unit.activated.connect(lambda _, n=part: self._unit_edited(n))
            self.lengths[part] = spin, unit
            lengths.addWidget(quiet(part))
            lengths.addWidget(spin)
            lengths.addWidget(unit)
        lengths.addStretch(1)
        return lengths

    def _make_weights(self) -> QHBoxLayout:
        self.overlap = QComboBox()
        self.overlap.addItems(["larger", "sum"])
        self.overlap.setToolTip("What pulses that overlap do: the larger one counts, or both add up")
        marks.room(self.overlap, "low")
        self.overlap.activated.connect(self._overlap_edited)
        self.degree = DecimalSpin()
        self.degree.setRange(0, 100)
        self.degree.setDecimals(0)
        self.degree.setSuffix(" %")
        self.degree.setFixedWidth(62)
        self.degree.setKeyboardTracking(False)
        marks.room(self.degree, "low")
        self.degree.setToolTip("How far a weak point weakens its pulse: 0 not at all, 100 in proportion")
        self.degree.valueChanged.connect(self._degree_edited)
        weights = QHBoxLayout()
        weights.setSpacing(5)
        weights.addWidget(quiet("where they overlap"))
        weights.addWidget(self.overlap)
        weights.addStretch(1)
        weights.addWidget(quiet("by strength"))
        weights.addWidget(self.degree)
        return weights

    def _slider(self, name: str, moved: Callable[[int], None]) -> tuple[QSlider, Label]:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, 200)
        slider.setSingleStep(5)
        slider.setPageStep(10)
        slider.setAccessibleName(name)
        slider.setToolTip(name)
        slider.setMinimumWidth(36)
        slider.valueChanged.connect(moved)
        slider.sliderReleased.connect(lambda: self.gesture.settle(name.split(",", maxsplit=1)[0]))
        text = Label("100 %")
        text.setFont(figures(12))
        text.setFixedWidth(44)
        return slider, text

    # Showing

    def _fit_tiles(self) -> None:
        """Fewer columns of accents where the editor needs the room."""
        for columns in (3, 2, 1):
            self.tiles.show_columns(columns)
            if self.editor.minimumSizeHint().width() + self.tiles.width() + BESIDE_PX <= self._room:
                break
        self.chooser.fit()

    def room_changed(self, width: int) -> None:
        self._room = width
        self._fit_tiles()

    def preview_mode(self) -> PreviewMode:
        return PreviewMode(focus=True)

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self._show_frame()

    def _moved(self, frame: int) -> None:
        if self.isVisible():
            self._rest.start()
            found = self.project.selection.lane
            if found is not None and found.keyed:
                self.refill()

    def _show_frame(self) -> None:
        """Show the accents on the footage under the playhead."""
        if not self.isVisible():
            return
        timeline, frame = self.project.timeline, self.project.playhead.frame
        placed = timeline.clip_at(frame)
        if placed is None:
            return
        source = float(source_at_frames(placed, [frame], timeline.rate)[0])
        pixmap = self.filmstrips.at(placed.footage.path, source)
        key = (placed.footage.path, pixmap.cacheKey() if pixmap is not None else 0)
        if key != self._shown_on:
            self._shown_on = key
            self.tiles.show_on(pixmap)

    def refill(self) -> None:
        self.filling = True
        found, pulse = self.project.selection.lane, self.pulse
        self.editor.setEnabled(found is not None)
        reel = self.project.reel
        self._set_slider(self.all, self.all_text, reel.amount)
        if not self.shutter.hasFocus():
            self.shutter.setValue(reel.shutter_deg)
        if found is None:
            self.lane_title.setText("No accent lanes yet")
            self.whose.setText("click an accent, or take a bundle")
            self.editor.setEnabled(True)
            for widget in (self.rule, self.graph, self.fields, self.amount, self.alone, self.muted, self.solo):
                widget.setEnabled(False)
            self.tiles.choose("")
            self.bundle_name.hide()
            self.bundle_amount.hide()
            self.bundle_text.hide()
            self.filling = False
            return
        self._fill_lane(found, pulse)
        self.filling = False
        QTimer.singleShot(0, self._fit_tiles)  # once the fields have their sizes

    def _fill_lane(self, found: EvaluatedLane, pulse: Pulse | None) -> None:
        lane, accent = found.lane, found.accent
        known = accent is not None
        self.tiles.choose(lane.accent)
        self.lane_title.setText(accent.title if accent is not None else f"unknown: {lane.accent}")
        fires = plural(len(found.pulses), "pulse")
        if not known:
            fires = "of a newer version: kept as it is"
        self.whose.setText(f"· pulse on {pulse.label}, frame {pulse.frame}" if pulse is not None else f"· {fires}")
        self.alone.setChecked(pulse is not None)
        self.alone.setEnabled(known and bool(found.pulses))
        self.muted.setEnabled(True)
        self.solo.setEnabled(True)
        self.muted.setChecked(lane.muted)
        self.solo.setChecked(lane.solo)
        self.rule.setEnabled(known and pulse is None)
        self.rule.show_rule(lane.rule, lane.limit, lane.alone)
        self.amount.setEnabled(known)
        self.amount_name.setText("this pulse" if pulse is not None else "lane")
        self._set_slider(self.amount, self.amount_text, pulse.own if pulse is not None else lane.amount)
        bundle = by_id(self.project.reel.bundles, lane.bundle)
        for widget in (self.bundle_name, self.bundle_amount, self.bundle_text):
            widget.setVisible(bundle is not None)
        if bundle is not None:
            self.bundle_name.setText(
                self.bundle_name.fontMetrics().elidedText(bundle.name, Qt.TextElideMode.ElideRight, 74)
            )
            self.bundle_name.setToolTip(as_tip(bundle.name))
            self._set_slider(self.bundle_amount, self.bundle_text, bundle.amount)
        envelope = accent_lanes.envelope_of(lane)
        self.graph.setEnabled(known and pulse is None)
        self.graph.show_envelope(envelope, self._against(found))
        for name, (spin, unit) in self.lengths.items():
            length: Length = getattr(envelope, name)
            by = 100 if length.unit in ("gap", "clip") else 1
            spin.setDecimals(0)
            if not spin.hasFocus():
                spin.setValue(length.value * by)
            unit.setCurrentIndex([u for u, _ in UNITS].index(length.unit))
            spin.setEnabled(known and pulse is None)
            unit.setEnabled(known and pulse is None)
        self.overlap.setCurrentText(lane.overlap)
        self.degree.setValue(
            100 * (lane.degree if lane.degree is not None else accent.degree if accent is not None else 0)
        )
        values: dict[str, Value] = dict(found.values)
        for name, keys in found.keyed.items():
            if name in values:
                values[name] = keyed_at(keys, self.project.playhead.frame)
        if pulse is not None and pulse.settings:
            values.update({n: v for n, v in pulse.settings.items() if n in values})
        self.fields.setEnabled(known)
        self.fields.show_settings(accent.settings if accent is not None else (), values, frozenset(found.keyed))

    @staticmethod
    def _set_slider(slider: QSlider, text: Label, amount: float) -> None:
        if not slider.isSliderDown():
            with QSignalBlocker(slider):
                slider.setValue(round(amount * 100))
        text.setText(f"{round(amount * 100)} %")

    def _point_at(self, name: str | None) -> None:
        text = f"{CATALOGUE[name].title}: {CATALOGUE[name].does}" if name else "Click an accent to add a lane."
        self.chooser.say(text, bool(name))

    # Menus

    def _open_tile_menu(self, name: str | None, at: QPoint) -> None:
        if name is not None:
            pop_up(tile_menu(self.commands, name, self.project.selection.lane is not None, self), at)

    def _bundle_menu(self) -> None:
        menu = QMenu(self)
        self.context.bundles.fill_bundle_menu(menu)
        found = self.project.selection.lane
        if found is not None and found.lane.bundle:
            bundle = found.lane.bundle
            menu.addAction("Open the bundle").triggered.connect(
                lambda: self.project.change("Bundle opened", lambda reel: without_bundle(reel, bundle))
            )
        pop_up(menu, self.bundles.mapToGlobal(QPoint(0, self.bundles.height())))

    def more_menu(self) -> QMenu:
        """Return what else can be done to the chosen lane: its own values, keys, focus, mask, and the lane menu."""
        menu = QMenu(self)
        found = self.project.selection.lane
        if found is None or found.accent is None:
            return menu
        lane, frame = found.lane, self.project.playhead.frame
        menu.addAction("The accent's own settings and envelope").triggered.connect(self._as_it_comes)
        for percent in (100, 50, 0):
            menu.addAction(f"Key of the level here: {percent} %").triggered.connect(
                lambda _=False, v=percent: self.key_level(v / 100)
            )
        for name, keys in found.keyed.items():
            if any(k[0] == frame for k in keys):
                menu.addAction(f"Take the key of '{name}' here away").triggered.connect(
                    lambda _=False, n=name: self._change("Key taken away", lambda r, i: without_key(r, i, n, frame))
                )
        if found.accent.placed:
            menu.addSeparator()
            menu.addAction("Place the focus in the preview").triggered.connect(self.commands.place_focus)
            menu.addAction("Follow what is under the focus").triggered.connect(self.commands.follow_focus)
            if lane.follow:
                menu.addAction("Stop following").triggered.connect(
                    lambda: self._change("Stopped following", lambda r, i: accent_lanes.with_follow(r, i, ""))
                )
        if found.accent.paints:
            menu.addSeparator()
            menu.addAction("Show only within an image …").triggered.connect(self._ask_mask)
            if lane.mask:
                menu.addAction("Take the mask off").triggered.connect(
                    lambda: self._change("Mask taken off", lambda r, i: accent_lanes.with_mask(r, i, ""))
                )
        menu.addSeparator()
        part = menu.addMenu("The lane")
        part.addActions(self.commands.lane_menu(lane.id, self).actions())
        return menu

    def _more_menu(self) -> None:
        pop_up(self.more_menu(), self.more.mapToGlobal(QPoint(0, self.more.height())))

    def _ask_mask(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Mask", "", "Images (*.png *.jpg *.jpeg *.webp *.tif *.tiff)")
        if path:
            self._change("Mask chosen", lambda reel, lane: accent_lanes.with_mask(reel, lane, path))
