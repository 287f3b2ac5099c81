"""The Check page: every event with its distance from its point, as planned and as measured in an exported file."""

from __future__ import annotations

from PySide6.QtCore import (
    QAbstractTableModel,
    QModelIndex,
    QPersistentModelIndex,
    QSignalBlocker,
    Qt,
    QTimer,
)
from PySide6.QtGui import QColor
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHeaderView,
    QTableView,
)

from tempik.check import Event, Report, as_csv
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.form import button, column, label, line
from tempik.desktop.widgets.plain import as_tip
from tempik.desktop.widgets.theme import figures
from tempik.time import clock_text
from tempik.timeline.sound_triggers import channel_names

# After a change the check is worked out once nothing more has changed for so long.
SETTLE_MS = 120
COLUMNS = ("event", "what", "frame", "time", "point", "error", "frames", "measured", "verdict")
KINDS = ("everything", "cuts", "transitions", "pins", "accents", "sounds", "off point", "free")
Index = QModelIndex | QPersistentModelIndex


class _Events(QAbstractTableModel):
    def __init__(self) -> None:
        super().__init__()
        self.rows: list[Event] = []

    def show_lanes(self, rows: list[Event]) -> None:
        self.beginResetModel()
        self.rows = rows
        self.endResetModel()

    def rowCount(self, parent: Index = QModelIndex()) -> int:
        return 0 if parent.isValid() else len(self.rows)

    def columnCount(self, parent: Index = QModelIndex()) -> int:
        return len(COLUMNS)

    def headerData(self, section: int, orientation: Qt.Orientation, role: int = 0) -> object:
        if role == Qt.ItemDataRole.DisplayRole and orientation == Qt.Orientation.Horizontal:
            return COLUMNS[section]
        return None

    def data(self, index: Index, role: int = 0) -> object:
        event = self.rows[index.row()]
        name = COLUMNS[index.column()]
        if role == Qt.ItemDataRole.DisplayRole:
            return self._text(event, name)
        if role == Qt.ItemDataRole.TextAlignmentRole and name in (
            "frame",
            "time",
            "error",
            "frames",
            "measured",
        ):
            return int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        if role == Qt.ItemDataRole.FontRole and name not in ("event", "what", "verdict"):
            return figures(12)
        if role == Qt.ItemDataRole.ForegroundRole and name == "verdict":
            return QColor(theme.QUIET if not event.tied else theme.GOOD if event.ok else theme.WARNING_TEXT)
        return None

    @staticmethod
    def _text(event: Event, name: str) -> str:
        digits = 2 if event.kind == "sound" else 1  # a sound lands to the sample
        measured = "" if event.measured_ms is None else f"{event.measured_ms:+.{digits}f} ms"
        return {
            "event": event.kind,
            "what": event.what,
            "frame": str(event.frame),
            "time": clock_text(event.time_s),
            "point": event.point,
            "error": f"{event.error_ms:+.{digits}f} ms",
            "frames": f"{event.error_frames:+.2f}",
            "measured": measured,
            "verdict": "free" if not event.tied else "✓ on point" if event.ok else "✗ off point",
        }[name]


class CheckPage(Page):
    """Where every event lands, as planned or as measured in an exported file."""

    name, title, key = "check", "Check", "F8"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project = context.project
        self.report = project.report
        self.measured = False
        self.summary, self.notes = label(wraps=True), label(ink="warning")
        self.summary.setTextFormat(Qt.TextFormat.RichText)  # ours
        self.kinds = QComboBox()
        self.kinds.addItems(KINDS)
        self.kinds.setAccessibleName("Which events")
        self.kinds.currentIndexChanged.connect(self._fill)
        finds = "Decode the file and find every flash, cut and cue in its own pictures, against its own sound"
        self.measure = button("Measure an exported file", finds, context.files.measure)
        self.save = button("Save as CSV", "", lambda: context.files.save_check(self.csv()))
        self.model = _Events()
        self.table = QTableView()
        self.table.setModel(self.model)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().hide()
        self.table.verticalHeader().setDefaultSectionSize(23)
        self.table.setShowGrid(False)
        self.table.setAccessibleName("Events")
        header = self.table.horizontalHeader()
        for number, wide in enumerate((70, 0, 60, 92, 62, 92, 72, 96, 108)):
            if wide:
                header.resizeSection(number, wide)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.Stretch)
        header.setHighlightSections(False)
        self.table.clicked.connect(self._go)
        top = line((self.summary, 1), self.kinds, self.measure, self.save, spacing=6)
        column(top, self.notes, (self.table, 1), over=self, spacing=6, margins=(12, 8, 12, 10))
        self._soon = QTimer(self, singleShot=True, interval=SETTLE_MS)
        self._soon.timeout.connect(self.catch_up)
        project.changed.connect(self._again)
        self._again()

    def _again(self) -> None:
        """The reel is another: work its check out once it is looked at and left in peace for a moment."""
        self.measured = False
        self.stale = True
        if self.isVisible():
            self._soon.start()

    def refill(self) -> None:
        self._show(self.project.report)

    def catch_up(self) -> None:
        """Show the check of the reel as it is now."""
        if self.stale:
            self._show(self.project.report)

    def show_measured(self, report: Report) -> None:
        """Show what was measured in a file."""
        self.measured = True
        self._show(report)

    def _show(self, report: Report) -> None:
        self.report = report
        self.stale = False
        tied = [e for e in report.events if e.tied]
        on = sum(e.ok for e in tied)
        colour = theme.GOOD if report.ok else theme.WARNING_TEXT
        where = "measured in the file" if self.measured else "as planned"
        text = f"<span style='color:{colour}'><b>{on} of {len(tied)} on point</b></span>, worst {report.worst_ms:.1f} ms, {where}"
        if report.sound_offset_ms is not None:
            text += f"; sound {report.sound_offset_ms:+.2f} ms"
        if report.levels is not None:
            text += f"; {report.levels.integrated_lufs:.1f} LUFS, {report.levels.true_peak_dbtp:.1f} dBTP"
        self.summary.setText(text if tied else "Nothing is tied to a point yet.")
        loud = report.levels
        self.summary.setToolTip(
            f"At its loudest {loud.momentary_lufs:.1f} LUFS over 400 ms" if loud is not None else ""
        )
        self.notes.setText(
            report.notes[0] + (f" (+{len(report.notes) - 1} more)" if len(report.notes) > 1 else "")
            if report.notes
            else ""
        )
        self.notes.setToolTip(as_tip("\n".join(report.notes)))
        self.notes.setVisible(bool(report.notes))
        self._fill()

    def _fill_kinds(self) -> None:
        """Offer each accent lane by itself too."""
        rows = [e.lane for e in self.report.events if e.lane]
        wanted = {r: t for r, t in self._lane_titles().items() if r in rows}
        now = [self.kinds.itemData(i) for i in range(len(KINDS), self.kinds.count())]
        if now == list(wanted):
            return
        chosen = self.kinds.currentData()
        with QSignalBlocker(self.kinds):
            while self.kinds.count() > len(KINDS):
                self.kinds.removeItem(len(KINDS))
            for row, title in wanted.items():
                self.kinds.addItem(title, row)
            if chosen is not None:
                self.kinds.setCurrentIndex(max(self.kinds.findData(chosen), 0))

    def _lane_titles(self) -> dict[str, str]:
        """Return what lanes are called: by accent, and by number where several fire the same."""
        out: dict[str, str] = {}
        for found in self.project.timeline.accent_lanes:
            title = (found.accent.title if found.accent is not None else found.lane.accent).lower()
            same = sum(t.split(" · ")[0] == title for t in out.values())
            out[found.lane.id] = f"{title} · {same + 1}" if same else title
        filmstrips = channel_names(self.project.reel)
        return out | {key: f"sound: {title}" for key, title in filmstrips.items() if key not in ("song", "clips")}

    def _fill(self) -> None:
        self._fill_kinds()
        wanted, row = self.kinds.currentText(), self.kinds.currentData()
        rows = [
            e
            for e in self.report.events
            if (row is not None and e.lane == row)
            or (row is None and (wanted == "everything" or wanted == e.kind + "s"))
            or (wanted == "off point" and e.tied and not e.ok)
            or (wanted == "free" and not e.tied)
        ]
        self.model.show_lanes(rows)

    def _go(self, index: QModelIndex) -> None:
        event = self.model.rows[index.row()]
        self.project.playhead.go(event.frame)
        if event.kind == "sound":
            self.project.selection.select_channel(event.lane, event.part)
        elif event.lane:
            self.project.selection.select_lane(event.lane)

    def csv(self) -> str:
        """Return what the table is made of."""
        self.catch_up()
        return as_csv(self.report)
