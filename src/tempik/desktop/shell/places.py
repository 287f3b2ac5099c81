"""Where things lie on the screen: the first size of the window, its three areas, and what of it is remembered."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from PySide6.QtCore import QByteArray, QEvent, QObject, QRect, QSize, Qt, QTimer
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import QMainWindow, QSizePolicy, QSplitter, QSplitterHandle, QVBoxLayout, QWidget

from tempik.desktop.session.preferences import load_preferences, save_preferences

LEAST = QSize(1100, 660)
USUAL = QSize(1280, 800)
SMALL_SCREEN_W = 1500


class _Handle(QSplitterHandle):
    """A handle that a double click puts back."""

    def mouseDoubleClickEvent(self, event: QEvent) -> None:
        self.splitter().put_back()  # type: ignore[attr-defined]


class Divider(QSplitter):
    """Two areas and the handle between them. They share the room as `second` says, which gives the second one's part of
    it, until a hand moves the handle; a double click puts it back."""

    def __init__(self, orientation: Qt.Orientation, name: str, second: Callable[[int, int], int]) -> None:
        super().__init__(orientation)
        self.name = name
        self.by_hand = False
        self._second = second
        self.setHandleWidth(8)
        self.setChildrenCollapsible(False)
        self.splitterMoved.connect(self._moved)

    def createHandle(self) -> QSplitterHandle:
        handle = _Handle(self.orientation(), self)
        handle.setAccessibleName(f"Divider: {self.name}")
        handle.setToolTip("Drag to give more room; double click to put it back")
        return handle

    def _moved(self) -> None:
        self.by_hand = True

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if not self.by_hand:
            self.put_back()

    def put_back(self) -> None:
        """Forget what a hand has laid out."""
        self.by_hand = False
        along = self.width() if self.orientation() == Qt.Orientation.Horizontal else self.height()
        second = self._second(self.width(), self.height())
        self.setSizes([max(along - second - self.handleWidth(), 1), second])

    def set_by_hand(self, sizes: Sequence[int]) -> None:
        """Lay the areas out as a hand did before."""
        self.by_hand = True
        self.setSizes(list(sizes))


# A window manager puts its frame about the window some time after it was asked for, and later where it or we are busy: it is waited
# for so many times so long, and the window fitted until it has stayed so a few times, or somebody gives it another size.
FRAME_EVERY_MS = 100
FRAME_TRIES = 150
FITS_TIMES = 5


class WindowPlaces(QObject):
    """The window's place, size and areas, remembered between sessions."""

    def __init__(self, window: QMainWindow, across: Divider, down: Divider) -> None:
        super().__init__(window)
        self._window, self._across, self._down = window, across, down
        self._tries = self._fits = 0
        self._given = QSize()
        self._waiting = QTimer(self)
        self._waiting.timeout.connect(self._await_frame)
        window.installEventFilter(self)

    def begin(self) -> None:
        """Lay the window out as it was left, or so that it fits the screen that it opens on."""
        settings = load_preferences()
        window = self._window
        window.setMinimumSize(LEAST)
        room = window.screen().availableGeometry()
        if settings.window and window.restoreGeometry(QByteArray.fromBase64(settings.window.encode())):
            window.resize(fitted(window.size(), room))
        else:
            window.resize(fitted(first_size(room), room))
        for divider in (self._across, self._down):
            sizes = settings.splits.get(divider.name)
            if sizes:
                divider.set_by_hand(sizes)

    def keep(self) -> None:
        """Remember what is now."""
        window = self._window
        splits = {d.name: tuple(d.sizes()) for d in (self._across, self._down) if d.by_hand}
        geometry = bytes(window.saveGeometry().toBase64().data()).decode()
        save_preferences(load_preferences().placed(geometry, splits))

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.Show:
            self._tries, self._fits = FRAME_TRIES, 0
            self._fit_frame()
            self._waiting.start(FRAME_EVERY_MS)
        return False

    def _await_frame(self) -> None:
        self._tries -= 1
        window = self._window
        another_gave_it = window.size() != self._given
        if not another_gave_it and window.frameGeometry() != window.geometry():
            self._fits = self._fits + 1 if self._fit_frame() else 0
        if another_gave_it or self._fits >= FITS_TIMES or self._tries <= 0 or not window.isVisible():
            self._waiting.stop()

    def _fit_frame(self) -> bool:
        """Once shown, the frame's own size is known: nothing of it may lie beyond the screen. Tells whether nothing did."""
        window = self._window
        self._given = window.size()
        if window.isMaximized() or window.isFullScreen():
            return True
        room, frame = window.screen().availableGeometry(), window.frameGeometry()
        over = QSize(max(0, frame.width() - room.width()), max(0, frame.height() - room.height()))
        fits = room.contains(frame)
        if over.width() or over.height():
            window.resize(window.size() - over)
            self._given = window.size()
        if not room.contains(window.frameGeometry()):
            window.move(room.topLeft())
        return fits


def first_size(room: QRect) -> QSize:
    """Return how large a new window is on a screen: all of a small one, a large part of a large one."""
    if room.width() < SMALL_SCREEN_W:
        return room.size()
    return QSize(round(room.width() * 0.86), round(room.height() * 0.86)).expandedTo(USUAL)


def fitted(size: QSize, room: QRect) -> QSize:
    """Return a size that fits a screen, and is never too small to work in. The title bar is seen to once it is there."""
    return size.boundedTo(room.size()).expandedTo(LEAST)


def preview_width(wide: int, height_px: int) -> int:
    """Return the width for an upright picture of the whole height, at most 42 % of the window."""
    return int(min(max((height_px - METER_PX) * 9 / 16 + 20, 264), wide * 0.42))


# What the tools and the landing meter take below the preview.
METER_PX = 98 + 36
# What the timeline needs at least, and the highest page with its tabs.
TIMELINE_PX, PAGE_PANEL_PX = 200, 320


def page_panel_height(wide: int, height_px: int) -> int:
    """Return the page panel's height: what its pages need, more in a large window, less in a very low one."""
    if height_px < TIMELINE_PX + PAGE_PANEL_PX:
        return max(230, height_px - TIMELINE_PX)
    return int(min(max(PAGE_PANEL_PX, height_px * 0.42), 620))


def column(sides: tuple[int, int], *parts: QWidget) -> QWidget:
    """Return widgets one below the other, those of no fixed height as high as there is room, with so much air on either side."""
    made = QWidget()
    lines = QVBoxLayout(made)
    lines.setContentsMargins(sides[0], 0, sides[1], 0)
    lines.setSpacing(8)
    for widget in parts:
        fixed = widget.sizePolicy().verticalPolicy() in (QSizePolicy.Policy.Fixed, QSizePolicy.Policy.Maximum)
        lines.addWidget(widget, 0 if fixed else 1)
    return made


def central(*parts: QWidget) -> QWidget:
    """Return the parts one below the other."""
    whole = QWidget()
    rows = QVBoxLayout(whole)
    rows.setContentsMargins(0, 0, 0, 0)
    rows.setSpacing(6)
    for number, part in enumerate(parts):
        rows.addWidget(part, 1 if number == 1 else 0)
    return whole
