"""The page panel: the tabs of the pages, and the page that is open. A page is made when it is first opened, or ahead of that."""

from __future__ import annotations

from typing import TypeVar, cast

from PySide6.QtCore import QEvent, QObject, Qt, Signal
from PySide6.QtGui import QResizeEvent
from PySide6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QScrollArea,
    QStackedWidget,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.pages import FIRST, PAGES
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import name_controls
from tempik.desktop.widgets.plain import FittingLabel

P = TypeVar("P", bound=Page)


class _Area(QScrollArea):
    """Where a page lies: as large as the area, or as the page must be at least, which is then scrolled. What a page would
    like to have beyond that asks for no room."""

    def hold(self, page: Page) -> None:
        """Take a page in, made ready for the room there is."""
        page.room_changed(self.maximumViewportSize().width())
        self.setWidget(page)
        page.installEventFilter(self)
        self._fit()

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        if event.type() == QEvent.Type.LayoutRequest:
            self._fit()
        return super().eventFilter(watched, event)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        page = self.widget()
        if isinstance(page, Page):
            page.room_changed(self.maximumViewportSize().width())
            self._fit()

    def _fit(self) -> None:
        page = self.widget()
        if page is not None:
            least = page.minimumSizeHint().expandedTo(page.minimumSize())
            room = self.maximumViewportSize()
            if least.height() > room.height():
                room.setWidth(room.width() - self.verticalScrollBar().sizeHint().width())
            page.resize(room.expandedTo(least))


# So much less room each tab has where all of them and a page's tools would not fit.
TIGHTER_PX = 7


class PagePanel(QFrame):
    """`opened` tells of the page that is open now. Pages lie in scrolled areas, so that none asks for more room than there
    is, and opening one moves nothing else."""

    opened = Signal()

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context = context
        self.setObjectName("page-panel")
        self.pages = QStackedWidget()
        self._made: dict[type[Page], Page] = {}
        self._unpainted: Page | None = None  # made ahead, and not painted yet
        self._areas: list[_Area] = []
        self._open: type[Page] | None = None
        self._tabs = QHBoxLayout()
        self._tabs.setContentsMargins(6, 4, 8, 0)
        self._tabs.setSpacing(0)
        self.tabs: list[QToolButton] = []
        for kind in PAGES:
            self._add(kind)
        self._tools = QHBoxLayout()
        # What is chosen is shown as far as there is room.
        self.chosen = FittingLabel()
        self.chosen.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.chosen.setContentsMargins(8, 0, 2, 0)
        marks.ink(self.chosen, "quiet")
        self._tabs.addWidget(self.chosen, 1)
        self._tabs.addLayout(self._tools)
        inside = QVBoxLayout(self)
        inside.setContentsMargins(0, 0, 0, 0)
        inside.setSpacing(0)
        inside.addLayout(self._tabs)
        inside.addWidget(self.pages, 1)
        self.setMinimumHeight(200)

    def _add(self, kind: type[Page]) -> None:
        area = _Area()
        area.setFrameShape(QFrame.Shape.NoFrame)
        marks.mark(area, "clear")
        area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self._areas.append(area)
        self.pages.addWidget(area)
        tab = QToolButton()
        tab.setText(kind.title)
        tab.setToolTip(f"{kind.title} page ({kind.key})")
        tab.setCheckable(True)
        tab.setAutoExclusive(True)
        marks.mark(tab, "tab", "page")
        tab.clicked.connect(lambda: self.open(kind))
        self._tabs.addWidget(tab)
        self.tabs.append(tab)

    def page(self, kind: type[P]) -> P:
        """Return a page, made now if it was not yet."""
        made = self._made.get(kind)
        if made is None:
            made = self._made[kind] = kind(self.context)
            name_controls(made)
            self._areas[PAGES.index(kind)].hold(made)
            tools = made.tools()
            if tools is not None:
                tools.hide()
                self._tools.addWidget(tools)
                self._fit_tabs()
        return cast(P, made)

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._fit_tabs()

    def _fit_tabs(self) -> None:
        """Put the tabs closer together where there is little room, and ask for as much as any page's tools need, so that opening one
        moves nothing else."""
        natural = [tab.sizeHint().width() for tab in self.tabs]
        tools = max(
            (t.sizeHint().width() for page in self._made.values() if (t := page.tools()) is not None), default=0
        )
        sides, between = self._tabs.contentsMargins(), self._tabs.spacing() * (len(self.tabs) + 1)
        rest = (
            sides.left()
            + sides.right()
            + between
            + self.chosen.contentsMargins().left()
            + self.chosen.contentsMargins().right()
            + tools
        )
        tighter = TIGHTER_PX if rest + sum(natural) > self.width() else 0
        for tab, width in zip(self.tabs, natural, strict=True):
            tab.setFixedWidth(width - tighter)
        self.setMinimumWidth(rest + sum(natural) - TIGHTER_PX * len(self.tabs))

    @property
    def unmade(self) -> list[type[Page]]:
        """The pages that were not made yet, in order."""
        return [kind for kind in PAGES if kind not in self._made]

    def make_ahead(self) -> bool:
        """Take a step towards pages that nobody sees yet: make one, or paint once the one just made, whose fonts, styles and small
        pictures are ready then. False when there is nothing left to do."""
        if self._unpainted is not None:
            self._unpainted.grab()
            self._unpainted = None
        elif self.unmade:
            self._unpainted = self.page(self.unmade[0])
        return self._unpainted is not None or bool(self.unmade)

    @property
    def current(self) -> Page | None:
        """The page that is open."""
        return self._made.get(self._open) if self._open is not None else None

    def open(self, kind: type[Page]) -> None:
        """Open a page."""
        before = self.current
        page = self.page(kind)
        number = PAGES.index(kind)
        self.tabs[number].setChecked(True)
        if page is not before:
            self._open = kind
            self.pages.setCurrentIndex(number)
            if before is not None:
                before.left()
                _show(before.tools(), False)
            _show(page.tools(), True)
            page.entered()
        self.opened.emit()

    def open_first(self) -> None:
        """Open the page that a window begins with."""
        self.open(FIRST)

    def close_up(self) -> None:
        """Stop what pages have running."""
        for page in self._made.values():
            page.close_up()


def _show(tools: QWidget | None, shown: bool) -> None:
    if tools is not None:
        tools.setVisible(shown)
