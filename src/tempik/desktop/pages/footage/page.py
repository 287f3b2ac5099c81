"""The Footage page: what there is, and setting the cue of a piece by scrubbing it."""

from __future__ import annotations

from collections.abc import Callable, Mapping

from tempik.desktop.pages.footage.about import AboutFootage
from tempik.desktop.pages.footage.piece_view import PieceView
from tempik.desktop.pages.footage.shelf import FootageShelf
from tempik.desktop.pages.footage.shot_list import ShotList
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.widgets.form import button, column, line
from tempik.desktop.widgets.theme import icon

SHELF_W, NARROW_SHELF_W = 252, 208
# A page narrower than this has a narrower shelf.
NARROW_PX = 860


class FootagePage(Page):
    """Shelf, what is known of a piece, its picture and scrub strip."""

    name, title, key = "footage", "Footage", "F3"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project, filmstrips, proxies = context.project, context.filmstrips, context.proxy_store
        self.shelf = FootageShelf(project, filmstrips, context.watch)
        self.list = self.shelf.list
        self.about = AboutFootage(project, proxies, self.shelf.chosen)
        self.view = PieceView(context)
        self.shelf.picked.connect(self._picked)
        self.shelf.scrubbed.connect(self.view.hovered)
        self.shelf.chosen_changed.connect(lambda: context.looking.choose(self.shelf.chosen(), self.shelf.order()))
        planned = "The shots you mean to have, and the footage there is for each"
        self.add = button("Add footage", "", context.files.choose_footage)
        self.add.setIcon(icon("add"))
        self.find_file = button("Find missing", "", self._find)
        self.find_file.hide()
        self.shots = button("Shot list", planned, lambda: ShotList(project, self).open())
        left = column((self.shelf, 1), line(self.add, self.find_file, self.shots, spacing=6), spacing=6)
        right = column(self.about, (self.view, 1), spacing=5)
        line(left, (right, 1), over=self, spacing=12, margins=(12, 8, 12, 10))
        self.shelf.setFixedWidth(SHELF_W)
        for signal in (project.changed, project.selection.selected, filmstrips.changed, context.watch.changed):
            signal.connect(self.want)
        context.watch.back.connect(self.want)
        proxies.studied.connect(lambda _: self.want())
        self.refill()

    def takes(self) -> Mapping[str, Callable[[], object]]:
        return self.view.keys() if self.has_keyboard() else {}

    def entered(self) -> None:
        self.context.filmstrips.retry()
        for piece in (f for f in self.project.reel.footage if not f.as_frame):
            self.context.filmstrips.want(piece)
            self.context.proxy_store.look_through(piece)

    def has_keyboard(self) -> bool:
        """Whether keys are meant for the piece that is looked at here."""
        return self.isVisible() and (self.view.film.hasFocus() or self.view.row.hasFocus())

    def room_changed(self, width: int) -> None:
        self.shelf.setFixedWidth(SHELF_W if width >= NARROW_PX else NARROW_SHELF_W)

    def close_up(self) -> None:
        self.view.close_up()

    def refill(self) -> None:
        """Show the shelf and the piece that is looked at."""
        self.shelf.fill()
        self.find_file.setVisible(bool(self.shelf.missing))
        self.about.show_piece(self.view.piece)
        self.view.refill()

    def _picked(self, footage: str) -> None:
        self.project.selection.select_footage(footage)
        self.view.look()

    def _find(self) -> None:
        if self.shelf.missing:
            self.context.files.find(sorted(self.shelf.missing)[0])
