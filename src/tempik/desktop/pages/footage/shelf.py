"""The shelf: all footage of the reel as filmstrips with what one must know of each, to be searched, sorted and dragged."""

from __future__ import annotations

from PySide6.QtCore import QByteArray, QEvent, QMimeData, QModelIndex, QPersistentModelIndex, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QDrag, QMouseEvent, QPainter, QPixmap
from PySide6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QWidget,
)

from tempik.desktop.session.document import Project
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.media_watch import MediaWatch
from tempik.desktop.timeline.dropping import FOOTAGE_MIME
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.drawing import draw_filling, paint_cue
from tempik.desktop.widgets.form import column, line
from tempik.desktop.widgets.painting import painter_on
from tempik.desktop.widgets.theme import words
from tempik.edit.footage.facts import TAGS, uneven
from tempik.reel import Footage, by_id
from tempik.time import rate_text
from tempik.timeline.placed_clip import clean_floor

ROW_H = 66
FILM_H = 24
SORTS = ("as added", "name", "length", "rate", "tag", "cues")


def sorted_footage(pieces: list[Footage], by: str) -> list[Footage]:
    """Return footage in the order that the shelf shows it in."""
    tags = [name for name, _, _ in TAGS]
    keys = {
        "name": lambda f: f.name.lower(),
        "length": lambda f: -f.length_s,
        "rate": lambda f: -f.true_rate,
        "tag": lambda f: tags.index(f.tag) if f.tag in tags else len(tags),
        "cues": lambda f: -len(f.cues),
    }
    return sorted(pieces, key=keys[by]) if by in keys else pieces


class _Delegate(QStyledItemDelegate):
    """Paints a piece: name and tag, a filmstrip with its cues, facts."""

    def __init__(self, shelf: FootageShelf) -> None:
        super().__init__(shelf)
        self.shelf = shelf

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> QSize:
        return QSize(100, ROW_H)

    def paint(self, p: QPainter, option: QStyleOptionViewItem, index: QModelIndex | QPersistentModelIndex) -> None:
        piece = by_id(self.shelf.project.reel.footage, index.data(Qt.ItemDataRole.UserRole))
        if piece is None:
            return
        box = QRectF(option.rect).adjusted(0, 1, 0, -1)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        p.fillRect(box, QColor("#453a28" if chosen else theme.RAISED))
        if piece.id == self.shelf.project.selection.footage_id:
            p.fillRect(QRectF(box.left(), box.top(), 3, box.height()), QColor(theme.RHYTHM))
        gone = piece.path in self.shelf.missing
        inside = box.adjusted(9, 3, -6, -3)
        tag = next((t for t in TAGS if t[0] == piece.tag), None)
        right = inside.right()
        if tag is not None:
            p.setFont(words(12))
            p.setPen(QColor(tag[1]))
            wide = p.fontMetrics().horizontalAdvance(tag[2]) + 4
            p.drawText(QRectF(right - wide, inside.top(), wide, 16), Qt.AlignmentFlag.AlignRight, tag[2])
            right -= wide + 4
        p.setFont(words(13))
        p.setPen(QColor(theme.WARNING_TEXT if gone else theme.TEXT))
        name = ("missing: " if gone else "") + piece.name
        name = p.fontMetrics().elidedText(name, Qt.TextElideMode.ElideMiddle, int(right - inside.left()))
        p.drawText(QRectF(inside.left(), inside.top(), right - inside.left(), 17), Qt.AlignmentFlag.AlignVCenter, name)
        self._film(p, piece, QRectF(inside.left(), inside.top() + 18, inside.width(), FILM_H))
        p.setFont(words(12))
        p.setPen(QColor(theme.QUIET))
        facts = self.shelf.facts(piece)
        p.drawText(
            QRectF(inside.left(), inside.bottom() - 15, inside.width(), 16), Qt.AlignmentFlag.AlignVCenter, facts
        )

    def _film(self, p: QPainter, piece: Footage, film: QRectF) -> None:
        p.fillRect(film, QColor(theme.SUNK))
        if piece.kind == "solid":
            p.fillRect(film, QColor(piece.path))
            return
        tile = max(18.0, film.height() * min(max(piece.width / piece.height, 0.5), 1.8))
        hover = self.shelf.hovered
        x = film.left()
        while x < film.right():
            wide = min(tile, film.right() - x)
            share = (x + wide / 2 - film.left()) / film.width()
            picture = self.shelf.filmstrips.at(piece.path, share * piece.length_s)
            if picture is not None:
                draw_filling(p, QRectF(x, film.top(), wide - 1, film.height()), picture)
            x += tile
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        for cue in piece.cues:
            paint_cue(p, film.left() + cue.time_s / piece.length_s * film.width(), film.bottom(), 4)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
        if hover is not None and hover[0] == piece.id:
            at = film.left() + hover[1] * film.width()
            p.fillRect(QRectF(at - 1, film.top(), 2, film.height()), QColor(theme.PLAYHEAD))


class _List(QListWidget):
    """The rows. Moving over one scrubs it; dragging one takes it to the timeline."""

    hovered = Signal(str, float)

    def sizeHint(self) -> QSize:
        return QSize(200, 2 * ROW_H)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        item = self.itemAt(event.position().toPoint())
        if item is not None and not event.buttons():
            share = min(max((event.position().x() - 9) / max(self.viewport().width() - 15, 1), 0.0), 1.0)
            self.hovered.emit(item.data(Qt.ItemDataRole.UserRole), share)
        super().mouseMoveEvent(event)

    def leaveEvent(self, event: QEvent) -> None:
        self.hovered.emit("", 0.0)
        super().leaveEvent(event)

    def startDrag(self, actions: Qt.DropAction) -> None:
        names = [str(i.data(Qt.ItemDataRole.UserRole)) for i in self.selectedItems()]
        if not names:
            return
        data = QMimeData()
        data.setData(FOOTAGE_MIME, QByteArray(" ".join(names).encode()))
        drag = QDrag(self)
        drag.setMimeData(data)
        ghost = QPixmap(120, 20)
        ghost.fill(QColor(theme.RHYTHM))
        item = self.currentItem() or self.selectedItems()[0]
        with painter_on(ghost) as painter:
            painter.setFont(words(12))
            painter.setPen(QColor(theme.SUNK))
            name = str(item.data(Qt.ItemDataRole.DisplayRole))[:18]
            painter.drawText(ghost.rect(), Qt.AlignmentFlag.AlignCenter, name)
        drag.setPixmap(ghost)
        drag.exec(Qt.DropAction.CopyAction)


class FootageShelf(QWidget):
    """`picked` is emitted with the piece that is looked at now, `scrubbed` with a piece and an instant under the pointer
    (an empty name when it leaves)."""

    picked = Signal(str)
    scrubbed = Signal(str, float)
    chosen_changed = Signal()

    def __init__(self, project: Project, filmstrips: Filmstrips, watch: MediaWatch) -> None:
        super().__init__()
        self.project, self.filmstrips, self.watch = project, filmstrips, watch
        self.hovered: tuple[str, float] | None = None
        self.words = QLineEdit()
        self.words.setPlaceholderText("Find")
        self.words.setClearButtonEnabled(True)
        self.words.textChanged.connect(self.fill)
        self.sort = QComboBox()
        self.sort.addItems(list(SORTS))
        self.sort.setToolTip("Order of the shelf")
        self.sort.setAccessibleName("Order of the shelf")
        self.sort.currentIndexChanged.connect(self.fill)
        self.list = _List()
        self.list.setAccessibleName("Footage")
        self.list.setItemDelegate(_Delegate(self))
        self.list.setMouseTracking(True)
        self.list.setDragEnabled(True)
        self.list.setSelectionMode(QAbstractItemView.SelectionMode.ExtendedSelection)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setVerticalScrollMode(QAbstractItemView.ScrollMode.ScrollPerPixel)
        self.list.currentItemChanged.connect(self._current)
        self.list.hovered.connect(self._hover)
        self.list.itemSelectionChanged.connect(self.chosen_changed)
        column(line((self.words, 1), self.sort, spacing=6), (self.list, 1), over=self, spacing=6)

    @property
    def missing(self) -> frozenset[str]:
        """Files that are not there."""
        return self.watch.missing

    def facts(self, piece: Footage) -> str:
        """Return the line of figures under a piece."""
        if piece.kind == "solid":
            return "solid"
        size = f"{piece.width}×{piece.height}"
        if piece.kind == "still":
            return f"still · {size}"
        floor = clean_floor(piece, self.project.reel.rate)
        sound = " · sound" if piece.has_sound else ""
        warned = " · uneven" if uneven(piece, self.project.reel.rate) else ""
        return f"{rate_text(piece.true_rate)} fps · {piece.length_s:.1f} s · ≥ {floor * 100:.0f} %{sound}{warned}"

    def _matches(self, piece: Footage) -> bool:
        shot = by_id(self.project.reel.shots, piece.shot)
        text = (
            f"{piece.name} {piece.note} {piece.tag} {shot.text if shot else ''} {' '.join(c.name for c in piece.cues)}"
        )
        return all(part in text.lower() for part in self.words.text().lower().split())

    def fill(self) -> None:
        """Show the footage that matches what is looked for, in the chosen order; what is selected stays so."""
        reel = self.project.reel
        wanted = [
            f
            for f in sorted_footage([f for f in reel.footage if not f.as_frame], self.sort.currentText())
            if self._matches(f)
        ]
        chosen = set(self.chosen())
        now = [self.list.item(i).data(Qt.ItemDataRole.UserRole) for i in range(self.list.count())]
        self.list.blockSignals(True)
        if now != [f.id for f in wanted]:
            self.list.clear()
            for piece in wanted:
                item = QListWidgetItem(piece.name)
                item.setData(Qt.ItemDataRole.UserRole, piece.id)
                item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{piece.name}, {self.facts(piece)}")
                self.list.addItem(item)
                item.setSelected(piece.id in chosen)
        for number, piece in enumerate(wanted):
            if piece.id == self.project.selection.footage_id and self.list.currentRow() != number:
                keep = self.list.selectedItems()
                self.list.setCurrentRow(number)
                for item in keep if len(keep) > 1 else ():
                    item.setSelected(True)
        self.list.blockSignals(False)
        self.chosen_changed.emit()
        self.list.viewport().update()

    def order(self) -> list[str]:
        """The pieces that are shown, from the first on, without solids."""
        pieces = sorted_footage([f for f in self.project.reel.footage if not f.without_file], self.sort.currentText())
        return [f.id for f in pieces if self._matches(f)]

    def chosen(self) -> list[str]:
        """The selected pieces in the shelf's order."""
        found = [self.list.item(i) for i in range(self.list.count())]
        return [str(i.data(Qt.ItemDataRole.UserRole)) for i in found if i.isSelected()]

    def _current(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.picked.emit(item.data(Qt.ItemDataRole.UserRole))

    def _hover(self, footage: str, share: float) -> None:
        self.hovered = (footage, share) if footage else None
        self.list.viewport().update()
        piece = by_id(self.project.reel.footage, footage)
        self.scrubbed.emit(footage, share * piece.length_s if piece is not None else 0.0)
