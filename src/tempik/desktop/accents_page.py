"""The Accents page: accents to choose from on the left, the chosen row or one pulse of it on the right."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtCore import QPoint, QSignalBlocker, Qt, QTimer
from PySide6.QtGui import QResizeEvent, QShowEvent
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QMenu,
    QScrollArea,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from tempik.accents import CATALOGUE, Fired, Pulse
from tempik.accents.accent import Value
from tempik.accents.envelope import in_frames
from tempik.accents.pulses import keyed_at
from tempik.desktop import theme
from tempik.desktop.accent_commands import AccentCommands
from tempik.desktop.accent_fields import AccentFields
from tempik.desktop.accent_tiles import AccentTiles
from tempik.desktop.envelope_graph import Against, EnvelopeGraph
from tempik.desktop.pane import LOW, button, quiet, toggle
from tempik.desktop.project import Project
from tempik.desktop.rule_fields import RuleFields
from tempik.desktop.strips import Strips
from tempik.desktop.theme import figures, words
from tempik.edit import accent_rows
from tempik.edit.timeline import source_at_frames
from tempik.reel import Envelope, Length, Limit, Reel, Rule, by_id
from tempik.reel.rows import Overlap, Unit

UNITS: tuple[tuple[Unit, str], ...] = (("frames", "f"), ("ms", "ms"), ("gap", "% gap"), ("clip", "% clip"))
# The tiles take the frame at the playhead once it has rested for so long.
REST_MS = 500
# A page narrower than this has fewer columns of accents.
NARROW_PX = 840


class AccentsPage(QWidget):
    """Adds accent rows and edits the chosen one."""

    def __init__(self, project: Project, strips: Strips, commands: AccentCommands) -> None:
        super().__init__()
        self.project, self.strips, self.commands = project, strips, commands
        self.marked_s: Callable[[], tuple[float, float] | None] = lambda: None  # the marked stretch of the song
        self.filling = False
        self._stale = True
        self._shown_on: tuple[str, int] | None = None
        self.tiles = AccentTiles()
        self.tiles.picked.connect(commands.add_row)
        self.tiles.pointed.connect(self._point_at)
        self.tiles.menu_wanted.connect(self._tile_menu)
        scroll = QScrollArea()
        scroll.setWidget(self.tiles)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setStyleSheet("QScrollArea, QScrollArea > QWidget > QWidget { background: transparent; }")
        self.tile_area = scroll
        self.does = QLabel("Click an accent to add a row.")
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
        self.editor = self._build_editor()
        whole.addWidget(self.editor, 1)
        self._fit_tiles()
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._show_frame)
        project.changed.connect(self._again)
        project.row_selected.connect(self._again)
        project.moved.connect(self._moved)
        strips.changed.connect(self._rest.start)

    def _build_editor(self) -> QWidget:
        self.title = QLabel()
        self.title.setFont(words(14, True))
        self.whose = QLabel()
        self.whose.setFont(words(12))
        self.whose.setStyleSheet(f"color: {theme.QUIET};")
        self.alone = toggle(
            "this pulse", "Edit the one pulse; without it, the whole row. Ctrl and click a cell chooses it"
        )
        self.alone.clicked.connect(self._alone_clicked)
        self.muted = toggle("muted", "Show the row and let it do nothing")
        self.muted.clicked.connect(self.commands.mute_row)
        self.solo = toggle("alone", "Only this row, and others alone, do anything")
        self.solo.clicked.connect(self.commands.solo_row)
        self.bundles = button("Bundles", "Ready bundles, one's own, and what is kept of these rows", self._bundle_menu)
        self.more = button("…", "More for this row", self._more_menu)
        self.more.setFixedWidth(30)
        for widget in (self.bundles, self.more):
            widget.setStyleSheet(LOW)
        top = QHBoxLayout()
        top.setSpacing(5)
        top.addWidget(self.title)
        top.addWidget(self.whose, 1)
        for widget in (self.alone, self.muted, self.solo, self.bundles, self.more):
            top.addWidget(widget)
        self.rule = RuleFields(self._rule_edited, self._place_edited)

        self.amount, self.amount_text = self._slider("Amount of the row, 0 to 200 %", self._amount_moved)
        self.all, self.all_text = self._slider("Amount of all accents, 0 to 200 %", self._all_moved)
        self.bundle_amount, self.bundle_text = self._slider("Amount of the bundle, 0 to 200 %", self._bundle_moved)
        self.amount_name, self.bundle_name = quiet("row"), quiet("")
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
        self.shutter = QDoubleSpinBox()
        self.shutter.setRange(0, 360)
        self.shutter.setDecimals(0)
        self.shutter.setSingleStep(45)
        self.shutter.setSuffix(" °")
        self.shutter.setFixedWidth(56)
        self.shutter.setKeyboardTracking(False)
        self.shutter.setStyleSheet(LOW)
        self.shutter.setAccessibleName("Angle of the shutter, 0 to 360 degrees")
        self.shutter.setToolTip(
            "Motion blur of all that moves: shakes, punches, framing moves. 180 is a film camera's, 0 none"
        )
        self.shutter.valueChanged.connect(self._shutter_edited)
        amounts.addWidget(quiet("shutter"))
        amounts.addWidget(self.shutter)

        self.graph = EnvelopeGraph()
        self.graph.changed.connect(lambda e: self._envelope_edited(e, False))
        self.graph.settled.connect(lambda: self.project.settle("Envelope changed"))
        self.fields = AccentFields(self._setting_edited, self._key_here)
        middle = QHBoxLayout()
        middle.setSpacing(10)
        middle.addWidget(self.graph, 5)
        right = QVBoxLayout()
        right.setSpacing(3)
        right.addWidget(self.fields, 1)
        middle.addLayout(right, 6)

        self.lengths: dict[str, tuple[QDoubleSpinBox, QComboBox]] = {}
        lengths = QHBoxLayout()
        lengths.setSpacing(4)
        for part in ("lead", "hold", "decay"):
            spin, unit = QDoubleSpinBox(), QComboBox()
            spin.setRange(0, 120000)
            spin.setKeyboardTracking(False)
            spin.setFixedWidth(54)
            spin.setAccessibleName(f"{part} of the envelope")
            for _, shown in UNITS:
                unit.addItem(shown)
            unit.setFixedWidth(68)
            unit.setAccessibleName(f"unit of the {part}")
            spin.setStyleSheet(LOW)
            unit.setStyleSheet(LOW)
            spin.valueChanged.connect(lambda _, n=part: self._length_edited(n))
            unit.activated.connect(lambda _, n=part: self._unit_edited(n))
            self.lengths[part] = spin, unit
            lengths.addWidget(quiet(part))
            lengths.addWidget(spin)
            lengths.addWidget(unit)
        self.overlap = QComboBox()
        self.overlap.addItems(["larger", "sum"])
        self.overlap.setToolTip("What pulses that overlap do: the larger one counts, or both add up")
        self.overlap.setStyleSheet(LOW)
        self.overlap.activated.connect(self._overlap_edited)
        self.degree = QDoubleSpinBox()
        self.degree.setRange(0, 100)
        self.degree.setDecimals(0)
        self.degree.setSuffix(" %")
        self.degree.setFixedWidth(62)
        self.degree.setKeyboardTracking(False)
        self.degree.setStyleSheet(LOW)
        self.degree.setToolTip("How far a weak point weakens its pulse: 0 not at all, 100 in proportion")
        self.degree.valueChanged.connect(self._degree_edited)
        lengths.addStretch(1)
        weights = QHBoxLayout()
        weights.setSpacing(5)
        weights.addWidget(quiet("where they overlap"))
        weights.addWidget(self.overlap)
        weights.addStretch(1)
        weights.addWidget(quiet("by strength"))
        weights.addWidget(self.degree)

        right.addLayout(weights)
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

    def _slider(self, name: str, moved: Callable[[int], None]) -> tuple[QSlider, QLabel]:
        slider = QSlider(Qt.Orientation.Horizontal)
        slider.setRange(0, 200)
        slider.setSingleStep(5)
        slider.setPageStep(10)
        slider.setAccessibleName(name)
        slider.setToolTip(name)
        slider.setMinimumWidth(36)
        slider.valueChanged.connect(moved)
        slider.sliderReleased.connect(lambda: self.project.settle(name.split(",", maxsplit=1)[0]))
        text = QLabel("100 %")
        text.setFont(figures(12))
        text.setFixedWidth(44)
        return slider, text

    # Showing

    def _fit_tiles(self) -> None:
        """Fewer columns of accents where the editor needs the room."""
        self.tiles.show_columns(2 if self.width() < NARROW_PX else 3)
        self.tile_area.setFixedWidth(self.tiles.width() + 14)
        self.does.setFixedWidth(self.tiles.width())

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._fit_tiles()

    def showEvent(self, event: QShowEvent) -> None:
        if self._stale:
            self._fill()
        self._show_frame()

    def _again(self) -> None:
        self._stale = True
        if self.isVisible():
            self._fill()

    def _moved(self, frame: int) -> None:
        if self.isVisible():
            self._rest.start()
            found = self.project.row
            if found is not None and found.keyed:
                self._fill()

    def _show_frame(self) -> None:
        """Show the accents on the footage under the playhead."""
        if not self.isVisible():
            return
        timeline, frame = self.project.timeline, self.project.frame
        placed = timeline.clip_at(frame)
        if placed is None:
            return
        source = float(source_at_frames(placed, [frame], timeline.rate)[0])
        pixmap = self.strips.at(placed.footage.path, source)
        key = (placed.footage.path, pixmap.cacheKey() if pixmap is not None else 0)
        if key != self._shown_on:
            self._shown_on = key
            self.tiles.show_on(pixmap)

    @property
    def pulse(self) -> Pulse | None:
        """The pulse that is edited alone, or None while the row is."""
        found = self.project.row
        if found is None or not self.project.cell_id:
            return None
        return next((p for p in found.pulses if p.cell == self.project.cell_id), None)

    def _fill(self) -> None:
        self._stale = False
        self.filling = True
        found, pulse = self.project.row, self.pulse
        self.editor.setEnabled(found is not None)
        reel = self.project.reel
        self._set_slider(self.all, self.all_text, reel.amount)
        if not self.shutter.hasFocus():
            self.shutter.setValue(reel.shutter_deg)
        if found is None:
            self.title.setText("No accent rows yet")
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
        self._fill_row(found, pulse)
        self.filling = False

    def _fill_row(self, found: Fired, pulse: Pulse | None) -> None:
        row, accent = found.row, found.accent
        known = accent is not None
        self.tiles.choose(row.accent)
        self.title.setText(accent.title if accent is not None else f"unknown: {row.accent}")
        fires = f"{len(found.pulses)} pulses"
        if not known:
            fires = "of a newer version: kept as it is"
        self.whose.setText(f"· pulse on {pulse.label}, frame {pulse.frame}" if pulse is not None else f"· {fires}")
        self.alone.setChecked(pulse is not None)
        self.alone.setEnabled(known and bool(found.pulses))
        self.muted.setEnabled(True)
        self.solo.setEnabled(True)
        self.muted.setChecked(row.muted)
        self.solo.setChecked(row.solo)
        self.rule.setEnabled(known and pulse is None)
        self.rule.show_rule(row.rule, row.limit)
        self.amount.setEnabled(known)
        self.amount_name.setText("this pulse" if pulse is not None else "row")
        self._set_slider(self.amount, self.amount_text, pulse.own if pulse is not None else row.amount)
        bundle = by_id(self.project.reel.bundles, row.bundle)
        for widget in (self.bundle_name, self.bundle_amount, self.bundle_text):
            widget.setVisible(bundle is not None)
        if bundle is not None:
            self.bundle_name.setText(
                self.bundle_name.fontMetrics().elidedText(bundle.name, Qt.TextElideMode.ElideRight, 74)
            )
            self.bundle_name.setToolTip(bundle.name)
            self._set_slider(self.bundle_amount, self.bundle_text, bundle.amount)
        envelope = accent_rows.envelope_of(row)
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
        self.overlap.setCurrentText(row.overlap)
        self.degree.setValue(
            100 * (row.degree if row.degree is not None else accent.degree if accent is not None else 0)
        )
        values: dict[str, Value] = dict(found.values)
        for name, keys in found.keyed.items():
            if name in values:
                values[name] = keyed_at(keys, self.project.frame)
        if pulse is not None and pulse.settings:
            values.update({n: v for n, v in pulse.settings.items() if n in values})
        self.fields.setEnabled(known)
        self.fields.show_accent(accent, values, frozenset(found.keyed))

    def _against(self, found: Fired) -> Against:
        first = found.pulses[0] if found.pulses else None
        cell = next((c for c in found.cells if c.span is not None), None)
        clip = float(cell.span.end - cell.span.first) if cell is not None and cell.span is not None else 30.0
        return Against(self.project.reel.rate, first.gap_s if first is not None else 0.5, clip)

    @staticmethod
    def _set_slider(slider: QSlider, text: QLabel, amount: float) -> None:
        if not slider.isSliderDown():
            with QSignalBlocker(slider):
                slider.setValue(round(amount * 100))
        text.setText(f"{round(amount * 100)} %")

    def _point_at(self, name: str) -> None:
        text = f"{CATALOGUE[name].title}: {CATALOGUE[name].does}" if name else "Click an accent to add a row."
        room = self.does.width()
        self.does.setText(self.does.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, room))
        self.tiles.setToolTip(text if name else "")

    # Editing

    def _row(self) -> str:
        found = self.project.row
        return found.row.id if found is not None else ""

    def _change(self, what: str, edit: Callable[[Reel, str], Reel]) -> None:
        row = self._row()
        if row and not self.filling:
            self.project.change(what, lambda reel: edit(reel, row))

    def _alone_clicked(self) -> None:
        """Between the whole row and the pulse nearest to the playhead."""
        found = self.project.row
        if found is None:
            return
        near = min(found.pulses, key=lambda p: abs(p.frame - self.project.frame), default=None)
        wanted = near.cell if self.alone.isChecked() and near is not None else ""
        if wanted and near is not None:
            self.project.go(near.frame)
        self.project.select_row(found.row.id, wanted)
        self._fill()

    def _amount_moved(self, percent: int) -> None:
        pulse = self.pulse
        if pulse is not None:
            cell = pulse.cell
            self._slid(
                self.amount, "Strength of the pulse",
                lambda reel, row: accent_rows.with_painted(reel, row, cell, percent / 100),
            )  # fmt: skip
        else:
            self._slid(self.amount, "Amount of the row", lambda r, row: accent_rows.with_amount(r, row, percent / 100))

    def _all_moved(self, percent: int) -> None:
        self._slid(
            self.all, "Amount of all accents", lambda r, row: accent_rows.with_all_amounts(r, percent / 100), True
        )

    def _bundle_moved(self, percent: int) -> None:
        found = self.project.row
        bundle = found.row.bundle if found is not None else ""
        self._slid(
            self.bundle_amount, "Amount of the bundle",
            lambda reel, row: accent_rows.with_bundle_amount(reel, bundle, percent / 100),
        )  # fmt: skip

    def _slid(self, slider: QSlider, what: str, edit: Callable[[Reel, str], Reel], always: bool = False) -> None:
        """An edit by a slider: shown while it is dragged, one step when it is let go."""
        row = self._row()
        if self.filling or not (row or always):
            return
        if slider.isSliderDown():
            self.project.preview_change(lambda reel: edit(reel, row))
        else:
            self.project.change(what, lambda reel: edit(reel, row))

    def _rule_edited(self, rule: Rule) -> None:
        self._change("Accent rule changed", lambda reel, row: accent_rows.with_rule(reel, row, rule))

    def _place_edited(self, number: int) -> None:
        limit = Limit()
        if number == 1:
            clips = tuple(self.project.chosen_clips)
            if not clips:
                self.project.said.emit("Select the clips first that the row should fire in.", True)
                self._fill()
                return
            limit = Limit(clips=clips)
        elif number == 2:
            marked = self.marked_s()
            if marked is None:
                self.project.said.emit("Mark a stretch first: / at its beginning and / at its end.", True)
                self._fill()
                return
            limit = Limit(from_s=marked[0], to_s=marked[1])
        self._change("Place of the row changed", lambda reel, row: accent_rows.with_limit(reel, row, limit))

    def _envelope_edited(self, envelope: Envelope, done: bool) -> None:
        row = self._row()
        if not row or self.filling:
            return
        edit = lambda reel: accent_rows.with_envelope(reel, row, envelope)  # noqa: E731
        if done:
            self.project.change("Envelope changed", edit)
        else:
            self.project.preview_change(edit)

    def _length_edited(self, name: str) -> None:
        found = self.project.row
        if found is None or self.filling:
            return
        envelope = accent_rows.envelope_of(found.row)
        spin, _ = self.lengths[name]
        old: Length = getattr(envelope, name)
        by = 100 if old.unit in ("gap", "clip") else 1
        self._envelope_edited(replace(envelope, **{name: replace(old, value=spin.value() / by)}), True)

    def _unit_edited(self, name: str) -> None:
        """Measure a length otherwise; it stays as long as it is now."""
        found = self.project.row
        if found is None or self.filling:
            return
        envelope, against = accent_rows.envelope_of(found.row), self._against(found)
        old: Length = getattr(envelope, name)
        unit = UNITS[self.lengths[name][1].currentIndex()][0]
        one = in_frames(Length(1.0, unit), *against)
        value = in_frames(old, *against) / one if one > 0 else 0.0
        digits = 0 if unit in ("frames", "ms") else 3
        value = min(round(value, digits), 1.0) if unit == "clip" else round(value, digits)
        self._envelope_edited(replace(envelope, **{name: Length(value, unit)}), True)

    def _overlap_edited(self) -> None:
        wanted: Overlap = "sum" if self.overlap.currentText() == "sum" else "larger"
        self._change("Overlap changed", lambda reel, row: accent_rows.with_overlap(reel, row, wanted))

    def _degree_edited(self, percent: float) -> None:
        self._change("Weight of strength changed", lambda reel, row: accent_rows.with_degree(reel, row, percent / 100))

    def _setting_edited(self, name: str, value: Value) -> None:
        found, pulse = self.project.row, self.pulse
        if found is None or self.filling:
            return
        if name in found.keyed and not isinstance(value, str):
            self._set_key(name, value)
        elif pulse is not None:
            cell = pulse.cell
            self._change(
                "Setting of the pulse", lambda reel, row: accent_rows.with_pulse_setting(reel, row, cell, name, value)
            )
        else:
            self._change("Setting changed", lambda reel, row: accent_rows.with_setting(reel, row, name, value))

    def _shutter_edited(self, degrees: float) -> None:
        if not self.filling:
            self.project.change(f"Shutter {degrees:.0f} degrees", lambda reel: accent_rows.with_shutter(reel, degrees))

    # Keys

    def _key_here(self, name: str) -> None:
        found = self.project.row
        if found is not None:
            now = (
                keyed_at(found.keyed[name], self.project.frame) if name in found.keyed else found.values.get(name, 1.0)
            )
            self._set_key(name, float(now))

    def _set_key(self, name: str, value: float) -> None:
        frame = self.project.frame
        self._change(f"Key set at frame {frame}", lambda reel, row: accent_rows.with_key(reel, row, name, frame, value))

    def key_level(self, value: float) -> None:
        """Set how strong the row is at the playhead, where nothing fires it."""
        self._set_key("level", value)

    # Menus

    def _tile_menu(self, name: str, at: QPoint) -> None:
        menu = QMenu(self)
        title = CATALOGUE[name].title
        for text, every in (
            ("on every point", 1),
            ("on every second point", 2),
            ("on every fourth point", 4),
            ("painted by hand", 0),
        ):
            menu.addAction(f"Add {title}, {text}").triggered.connect(
                lambda _=False, e=every: self.commands.add_row(name, e)
            )
        if self.project.row is not None:
            menu.addSeparator()
            menu.addAction(f"Have this row fire {title}").triggered.connect(lambda: self.commands.use_for_row(name))
        menu.popup(at)

    def _bundle_menu(self) -> None:
        menu = QMenu(self)
        self.commands.fill_bundle_menu(menu)
        found = self.project.row
        if found is not None and found.row.bundle:
            bundle = found.row.bundle
            menu.addAction("Open the bundle").triggered.connect(
                lambda: self.project.change("Bundle opened", lambda reel: accent_rows.without_bundle(reel, bundle))
            )
        menu.popup(self.bundles.mapToGlobal(QPoint(0, self.bundles.height())))

    def more_menu(self) -> QMenu:
        """Return what else can be done to the chosen row: its own values, keys, focus, mask, and the row menu."""
        menu = QMenu(self)
        found = self.project.row
        if found is None or found.accent is None:
            return menu
        row, frame = found.row, self.project.frame
        menu.addAction("The accent's own settings and envelope").triggered.connect(self._as_it_comes)
        for percent in (100, 50, 0):
            menu.addAction(f"Key of the level here: {percent} %").triggered.connect(
                lambda _=False, v=percent: self.key_level(v / 100)
            )
        for name, keys in found.keyed.items():
            if any(k[0] == frame for k in keys):
                menu.addAction(f"Take the key of '{name}' here away").triggered.connect(
                    lambda _=False, n=name: self._change(
                        "Key taken away", lambda r, i: accent_rows.without_key(r, i, n, frame)
                    )
                )
        if found.accent.placed:
            menu.addSeparator()
            menu.addAction("Place the focus in the preview").triggered.connect(self.commands.place_focus)
            menu.addAction("Follow what is under the focus").triggered.connect(self.commands.follow_focus)
            if row.follow:
                menu.addAction("Follow no more").triggered.connect(
                    lambda: self._change("Focus follows no more", lambda r, i: accent_rows.with_follow(r, i, ""))
                )
        if found.accent.paints:
            menu.addSeparator()
            menu.addAction("Show only within an image …").triggered.connect(self._ask_mask)
            if row.mask:
                menu.addAction("Take the mask off").triggered.connect(
                    lambda: self._change("Mask taken off", lambda r, i: accent_rows.with_mask(r, i, ""))
                )
        menu.addSeparator()
        part = menu.addMenu("The row")
        part.addActions(self.commands.row_menu(row.id, self).actions())
        return menu

    def _more_menu(self) -> None:
        self.more_menu().popup(self.more.mapToGlobal(QPoint(0, self.more.height())))

    def _as_it_comes(self) -> None:
        found = self.project.row
        if found is not None:
            accent = found.row.accent
            self._change("As the accent comes", lambda reel, row: accent_rows.with_other_accent(reel, row, accent))

    def _ask_mask(self) -> None:
        path, _ = QFileDialog.getOpenFileName(self, "Mask", "", "Images (*.png *.jpg *.jpeg *.webp *.tif *.tiff)")
        if path:
            self._change("Mask chosen", lambda reel, row: accent_rows.with_mask(reel, row, path))
