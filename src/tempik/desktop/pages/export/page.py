"""The Export page: the order on the left, the queue on the right."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import Qt, QTimer
from PySide6.QtWidgets import QLineEdit, QPushButton

from tempik.deliver.order import Order, fitting, part_of_clips, target_in
from tempik.deliver.presets import PRESETS, own_presets
from tempik.desktop.pages.export.order_fields import OrderFields
from tempik.desktop.pages.export.queue_list import QueueList
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import Dropdown
from tempik.desktop.widgets.form import button, column, label, line, low, quiet
from tempik.desktop.widgets.plain import as_tip
from tempik.desktop.widgets.typed import is_typed
from tempik.errors import TempikError
from tempik.formats import format_named, named_for
from tempik.time import time_of

SETTLE_MS = 700  # without an edit for so long, it is tried what the order comes to
LEFT_SHARE, RIGHT_SHARE = 57, 43
CHOOSE = "Begin with …"


class ExportPage(Page):
    """Orders an export of the reel as it is; what is queued goes on whatever page is open."""

    name, title, key = "export", "Export", "Ctrl+E"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.exports, self.commands = context.exports, context.exporting
        self.part_kind = "reel"
        self._named = False  # the file's name was chosen by hand
        self._project = context.project.path
        self.fields = OrderFields()
        self.fields.edited.connect(self._edited)
        self.fields.part_wanted.connect(self._part_chosen)
        self.preset = Dropdown()
        self.preset.setToolTip("An order that has a name: those that come with Tempik, then your own")
        low(self.preset)
        self.preset.told.connect(self._begin_with)
        self.keep = button("Keep as …", "Keep this order under a name", self._keep, "low")
        self.forget = button("Forget", "Forget the order of your own that is shown", self._forget, "low")
        self.target = QLineEdit()
        self.target.setToolTip("The file that is written")
        self.target.setPlaceholderText("Where to")
        self.target.textEdited.connect(self._typed)
        self.target.editingFinished.connect(self._named_whole)
        self.choose = button("…", "Choose where to", self._choose, "low", 34)
        self.purpose, self.comes_to = quiet("", wraps=True), label(wraps=True)
        self.go = QPushButton("Export")
        self.go.setProperty("main", True)
        self.go.setToolTip("Queue it, with the reel as it is now (Ctrl+Return)")
        self.go.setShortcut("Ctrl+Return")
        self.go.clicked.connect(self.order)
        self.queue = QueueList(self.exports)
        self._lay_out()
        self._soon = QTimer(self, singleShot=True, interval=SETTLE_MS)
        self._soon.timeout.connect(self._expect)
        project, self.transport = context.project, context.transport
        project.changed.connect(self.want)
        project.selection.selected.connect(self.want)
        project.selection.marked_changed.connect(self.want)
        self.exports.order_changed.connect(self.want)
        self.exports.expected.connect(self._expected)

    def _lay_out(self) -> None:
        left = column(
            line((self.preset, 1), self.keep, self.forget, spacing=5),
            self.fields,
            self.purpose,
            line("to", (self.target, 1), self.choose, spacing=5),
            line((self.comes_to, 1), self.go, spacing=6),
            None,
            spacing=5,
        )
        line((left, LEFT_SHARE), (self.queue, RIGHT_SHARE), over=self, spacing=16, margins=(12, 6, 12, 8))

    def entered(self) -> None:
        self.want()
        self.target.setFocus(Qt.FocusReason.OtherFocusReason)
        self.target.deselect()

    def left(self) -> None:
        self._soon.stop()

    def close_up(self) -> None:
        self._soon.stop()

    def refill(self) -> None:
        """Show the order for the reel as it is."""
        if self._project != self.project.path:
            self._project, self._named, self.part_kind = self.project.path, False, "reel"
        order = self._with_part(self.exports.order)
        self.fields.show_order(order, self.project.reel, self._parts(), self._part_number())
        self._fill_presets(order)
        kind = format_named(order.format)
        self.purpose.setText(kind.purpose)
        if not self._named and not is_typed(self.target):
            self.target.setText(str(named_for(self._usual(), kind)))
        files = [target_in(Path(self.target.text()), order, shape).name for shape in order.shapes]
        self.target.setToolTip(as_tip("\n".join(files)))
        self.go.setText("Export" if len(files) < 2 else f"Export {len(files)}")
        there = bool(self.project.reel.clips) and bool(self.target.text())
        self.go.setEnabled(there)
        self.comes_to.setText("Trying a few frames …" if there else "The reel has no clips yet.")
        marks.ink(self.comes_to, "quiet")
        if there:
            self._soon.start()

    # The order

    def _with_part(self, order: Order) -> Order:
        """Return the order with the part of the reel and the instant that are meant now."""
        timeline = self.project.timeline
        at_s = (
            time_of(self.project.playhead.frame, timeline.rate)
            if format_named(order.format).kind == "picture"
            else None
        )
        return fitting(replace(order, part=self._part(self.part_kind), at_s=at_s))

    def _part(self, kind: str) -> tuple[float, float] | None:
        timeline, selection = self.project.timeline, self.project.selection
        if kind == "stretch" and selection.marked is not None:
            a, b = (min(max(s - timeline.start_s, 0.0), timeline.reel.length_s) for s in selection.marked)
            return (a, b) if b > a else None
        if kind == "clips":
            try:
                return part_of_clips(timeline.reel, [c for c in selection.clip_ids if timeline.placed_clip(c)])
            except TempikError:
                return None
        return None

    def _parts(self) -> list[tuple[str, bool]]:
        out = [(f"whole reel, {self.project.reel.length_s:.1f} s", True)]
        for kind, name in (("stretch", "marked stretch"), ("clips", "selected clips")):
            part = self._part(kind)
            out.append((f"{name}, {part[0]:.1f} to {part[1]:.1f} s" if part else name, part is not None))
        return out

    def _part_number(self) -> int:
        kinds = ("reel", "stretch", "clips")
        return kinds.index(self.part_kind) if self._part(self.part_kind) is not None else 0

    def _part_chosen(self, kind: str) -> None:
        self.part_kind = kind
        self.want()

    def _edited(self, order: Order) -> None:
        self.exports.ask_for(order)

    def order(self) -> bool:
        """Queue what is shown."""
        order, target = self._with_part(self.exports.order), Path(self.target.text().strip()).expanduser()
        return self.commands.order(order, target)

    # Presets

    def _fill_presets(self, order: Order) -> None:
        bare, own = replace(order, name="", part=None, at_s=None), own_presets()
        every = {each.name: each for each in (*PRESETS, *own)}
        self.preset.show_choices([(None, CHOOSE), *((each, name) for name, each in every.items())])
        self.preset.show_value(next((p for p in every.values() if fitting(replace(p, name="")) == bare), None))
        self.forget.setEnabled(self.preset.currentText() in {p.name for p in own})

    def _begin_with(self, chosen: Order | None) -> None:
        if chosen is not None:
            self.exports.ask_for(fitting(replace(chosen, name="")))

    def _keep(self) -> None:
        if self.commands.keep(self.exports.order):
            self.want()

    def _forget(self) -> None:
        self.commands.forget(self.preset.currentText())
        self.want()

    # Where to

    def _usual(self) -> Path:
        path = self.project.path
        return path.with_suffix("") if path is not None else Path.home() / "reel"

    def _typed(self) -> None:
        self._named = bool(self.target.text())
        self.want()

    def _named_whole(self) -> None:
        """A name that was typed gets its format's ending, so that what is shown is what is written."""
        text = self.target.text().strip()
        if text and self._named:
            self.target.setText(str(named_for(Path(text).expanduser(), format_named(self.exports.order.format))))

    def _choose(self) -> None:
        found = self.commands.ask_where(
            Path(self.target.text() or self._usual()), format_named(self.exports.order.format)
        )
        if found is not None:
            self._named = True
            self.target.setText(str(found))
            self.want()

    # What it comes to

    def _expect(self) -> None:
        """Try a few frames of what is ordered, unless something else needs the machine: then later."""
        if (self.exports.running is not None and not self.exports.held) or self.transport.player.playing:
            self._soon.start()
            return
        if self.isVisible() and self.project.reel.clips:
            order = self._with_part(self.exports.order)
            self.exports.expect(order, Path(self.target.text() or self._usual()))

    def _expected(self, text: str) -> None:
        self.comes_to.setText(text[:1].upper() + text[1:])
