"""The Accents page: accents to choose from on the left, the chosen lane or one pulse of it on the right."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QTimer
from PySide6.QtGui import QShowEvent
from PySide6.QtWidgets import QHBoxLayout, QWidget

from tempik.accents import CATALOGUE, EvaluatedLane, Pulse
from tempik.accents.pulses import keyed_at
from tempik.desktop.pages.accents.editing import LaneEdits
from tempik.desktop.pages.accents.envelope_fields import EnvelopeFields
from tempik.desktop.pages.accents.envelope_graph import Against
from tempik.desktop.pages.accents.menus import bundle_menu, lane_menu, tile_menu
from tempik.desktop.pages.accents.tiles import AccentTiles
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.session.gesture import Gesture, ReelEdit, slide
from tempik.desktop.widgets.controls import Slider
from tempik.desktop.widgets.form import SettingsForm, button, column, holder, line, quiet, toggle
from tempik.desktop.widgets.plain import Label, as_tip, below, elided, pop_up
from tempik.desktop.widgets.rule_fields import RuleFields
from tempik.desktop.widgets.setting_fields import SettingFields
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.tile_grid import Chooser
from tempik.digits import plural
from tempik.edit import ruled
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.bundles import with_bundle_amount
from tempik.reel import Bundle, Envelope, Reel, Rule, by_id
from tempik.reel.clip_settings import REEL_SETTINGS
from tempik.reel.lanes import LANE_SETTINGS
from tempik.settings import Value
from tempik.timeline.placed_clip import source_at_frames

# The tiles take the frame at the playhead once it has rested for so long.
REST_MS = 500
BESIDE_PX = 52  # margins, the gap and the chooser's scroll bar


class AccentsPage(Page):
    """Adds accent lanes and edits the chosen one."""

    name, title, key = "accents", "Accents", "F5"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project, self.commands = context.project, context.accents
        self.edits = LaneEdits(project)
        self._room = 2000
        self._shown_on: tuple[str, int] | None = None
        self.tiles = AccentTiles()
        self.tiles.picked.connect(self.commands.add_lane)
        self.tiles.pointed.connect(self._point_at)
        self.tiles.menu_wanted.connect(self._tile_menu)
        self.chooser = Chooser(self.tiles)
        self.editor = self._make_editor()
        line(self.chooser, (self.editor, 1), over=self, spacing=12, margins=(12, 6, 12, 8))
        self._fit_tiles()
        self._point_at(None)
        self._rest = QTimer(self, singleShot=True, interval=REST_MS)
        self._rest.timeout.connect(self._show_frame)
        project.changed.connect(self.want)
        project.selection.lane_selected.connect(self.want)
        project.playhead.moved.connect(self._moved)
        context.filmstrips.changed.connect(self._rest.start)

    def _make_editor(self) -> QWidget:
        self.rule = RuleFields(self._rule_edited, self._place_edited)
        self.fields = SettingFields(self.edits.set_value, self.edits.key_here)
        self.envelope = EnvelopeFields()
        self._drawing = Gesture(self.project)
        self.envelope.dragged.connect(lambda envelope: self._drawing.show(self._with_envelope(envelope)))
        self.envelope.settled.connect(lambda: self._drawing.settle("Envelope changed"))
        self.envelope.typed.connect(
            lambda envelope: self.project.change("Envelope changed", self._with_envelope(envelope))
        )
        self.lane_form = SettingsForm(LANE_SETTINGS, ("overlap", "degree"), {"degree": 62})
        self.lane_form.edited.connect(self._lane_edited)
        f = self.lane_form
        weights = line("where they overlap", f["overlap"], None, "by strength", f["degree"], spacing=5)
        middle = line((self.envelope.graph, 5), (column((self.fields, 1), weights, spacing=3), 6), spacing=10)
        return holder(
            column(self._make_top(), self.rule, self._make_amounts(), (middle, 1), self.envelope.line, spacing=5)
        )

    def _make_top(self) -> QHBoxLayout:
        """Whose lane it is, and what is done with the whole of it."""
        self.lane_title, self.whose = Label(), quiet("")
        self.lane_title.setFont(words(14, True))
        self.whose.setFont(words(12))
        self.alone = toggle(
            "this pulse",
            "Edit the one pulse; without it, the whole lane. Ctrl and click a step chooses it",
            self.edits.choose_alone,
        )
        self.muted = toggle("muted", "Show the lane and let it do nothing", lambda _: self.commands.mute_lane())
        self.solo = toggle(
            "solo", "Only this lane, and others that are solo, do anything", lambda _: self.commands.solo_lane()
        )
        self.bundles = button(
            "Bundles", "Ready bundles, one's own, and what is kept of these lanes",
            lambda: pop_up(bundle_menu(self.context.bundles, self.edits, self), below(self.bundles)), "low",
        )  # fmt: skip
        self.more = button(
            "…", "More for this lane",
            lambda: pop_up(lane_menu(self.commands, self.edits, self), below(self.more)), "low", 30,
        )  # fmt: skip
        tools = (self.alone, self.muted, self.solo, self.bundles, self.more)
        return line(self.lane_title, (self.whose, 1), *tools, spacing=5)

    def _make_amounts(self) -> QHBoxLayout:
        project = self.project
        self.amount = Slider("Amount of the lane, 0 to 200 %")
        self.all = Slider("Amount of all accents, 0 to 200 %")
        self.bundle_amount = Slider("Amount of the bundle, 0 to 200 %")
        self.amount_name, self.bundle_name = quiet("lane"), quiet("")
        self.bundle_name.setMaximumWidth(76)
        slide(
            self.amount,
            project,
            lambda: "Strength of the pulse" if self.edits.pulse is not None else "Amount of the lane",
            self.edits.amount,
        )
        slide(
            self.all, project, lambda: "Amount of all accents", lambda v: lambda r: accent_lanes.with_all_amounts(r, v)
        )
        slide(self.bundle_amount, project, lambda: "Amount of the bundle", self._with_bundle_amount)
        self.reel_form = SettingsForm(REEL_SETTINGS, ("shutter_deg",), 56)
        self.shutter = self.reel_form["shutter_deg"]
        self.shutter.told.connect(
            lambda deg: project.change(f"Shutter {deg:.0f} degrees", lambda r: accent_lanes.with_shutter(r, deg))
        )
        parts = [
            part
            for name, slider in (
                (self.amount_name, self.amount),
                (self.bundle_name, self.bundle_amount),
                ("all", self.all),
            )
            for part in (name, (slider, 1), slider.text)
        ]
        return line(*parts, "shutter", self.shutter, spacing=5)

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
            found = self.edits.found
            if found is not None and found.keyed:
                self.refill()

    def _show_frame(self) -> None:
        """Show the accents on the footage under the playhead."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        placed = timeline.clip_at(frame)
        if placed is None or not self.isVisible():
            return
        source = float(source_at_frames(placed, [frame], timeline.rate)[0])
        pixmap = self.context.filmstrips.at(placed.footage.path, source)
        key = (placed.footage.path, pixmap.cacheKey() if pixmap is not None else 0)
        if key != self._shown_on:
            self._shown_on = key
            self.tiles.show_on(pixmap)

    def refill(self) -> None:
        found, reel = self.edits.found, self.project.reel
        self.all.show_value(reel.amount)
        self.shutter.show_value(reel.shutter_deg)
        if found is None:
            self._show_nothing()
            return
        self._show_lane(found, self.edits.pulse)
        QTimer.singleShot(0, self._fit_tiles)  # once the fields have their sizes

    def _show_nothing(self) -> None:
        self.lane_title.setText("No accent lanes yet")
        self.whose.setText("click an accent, or take a bundle")
        for widget in (self.rule, self.fields, self.amount, self.alone, self.muted, self.solo):
            widget.setEnabled(False)
        self.lane_form.enable(False)
        self.envelope.show_envelope(Envelope(), Against(), False)
        self.tiles.choose("")
        self._show_bundle(None)

    def _show_lane(self, found: EvaluatedLane, pulse: Pulse | None) -> None:
        lane, accent = found.lane, found.accent
        known, whole = accent is not None, accent is not None and pulse is None
        self.tiles.choose(lane.accent)
        self.lane_title.setText(accent.title if accent is not None else f"unknown: {lane.accent}")
        fires = plural(len(found.pulses), "pulse") if known else "of a newer version: kept as it is"
        self.whose.setText(f"· pulse on {pulse.label}, frame {pulse.frame}" if pulse is not None else f"· {fires}")
        self.alone.setChecked(pulse is not None)
        self.alone.setEnabled(known and bool(found.pulses))
        for switch, on in ((self.muted, lane.muted), (self.solo, lane.solo)):
            switch.setEnabled(True)
            switch.setChecked(on)
        self.rule.setEnabled(whole)
        self.rule.show_rule(lane.rule, lane.limit, lane.alone)
        self.amount.setEnabled(known)
        self.amount_name.setText("this pulse" if pulse is not None else "lane")
        self.amount.show_value(pulse.own if pulse is not None else lane.amount)
        self._show_bundle(by_id(self.project.reel.bundles, lane.bundle))
        self.envelope.show_envelope(accent_lanes.envelope_of(lane), self.edits.against(found), whole)
        own = accent.degree if accent is not None else 0.0
        self.lane_form.enable(known)
        self.lane_form["overlap"].show_value(lane.overlap)
        self.lane_form["degree"].show_value(own if lane.degree is None else lane.degree)
        self.fields.setEnabled(known)
        self.fields.show_settings(
            accent.settings if accent is not None else (), self._values(found, pulse), frozenset(found.keyed)
        )

    def _show_bundle(self, bundle: Bundle | None) -> None:
        for widget in (self.bundle_name, self.bundle_amount, self.bundle_amount.text):
            widget.setVisible(bundle is not None)
        if bundle is not None:
            self.bundle_name.setText(elided(self.bundle_name, bundle.name, 74))
            self.bundle_name.setToolTip(as_tip(bundle.name))
            self.bundle_amount.show_value(bundle.amount)

    def _values(self, found: EvaluatedLane, pulse: Pulse | None) -> dict[str, Value]:
        """Return the lane's settings as they are at the playhead, or the pulse's own."""
        frame = self.project.playhead.frame
        values: dict[str, Value] = dict(found.values)
        values.update({name: keyed_at(keys, frame) for name, keys in found.keyed.items() if name in values})
        if pulse is not None and pulse.settings:
            values.update({n: v for n, v in pulse.settings.items() if n in values})
        return values

    def _point_at(self, name: str | None) -> None:
        text = f"{CATALOGUE[name].title}: {CATALOGUE[name].does}" if name else "Click an accent to add a lane."
        self.chooser.say(text, bool(name))

    def _tile_menu(self, name: str | None, at: QPoint) -> None:
        if name is not None:
            pop_up(tile_menu(self.commands, name, self.edits.found is not None, self), at)

    # Edits

    def _with_envelope(self, envelope: Envelope) -> ReelEdit:
        found = self.edits.found
        return lambda reel: accent_lanes.with_envelope(reel, found.lane.id, envelope) if found is not None else reel

    def _with_bundle_amount(self, value: float) -> ReelEdit | None:
        found = self.edits.found
        return (lambda reel: with_bundle_amount(reel, found.lane.bundle, value)) if found is not None else None

    def _rule_edited(self, rule: Rule) -> None:
        self.edits.change("Accent rule changed", lambda reel, lane: ruled.with_rule(reel, lane, rule))

    def _place_edited(self, place: int) -> None:
        def edit(reel: Reel, lane: str) -> Reel:
            limit = self.project.selection.limit_to(place)
            return accent_lanes.with_alone(ruled.with_limit(reel, lane, limit), lane, place == 3)

        if not self.edits.change("Place of the lane changed", edit):
            self.refill()

    def _lane_edited(self, name: str, value: Value) -> None:
        if name == "overlap":
            self.edits.change("Overlap changed", lambda reel, lane: accent_lanes.with_overlap(reel, lane, value))  # type: ignore[arg-type]
        else:
            self.edits.change(
                "Weight of strength changed", lambda reel, lane: accent_lanes.with_degree(reel, lane, float(value))
            )
