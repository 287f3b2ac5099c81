"""The Titles page: the words on the left; beside them as chips on points, looks to choose from, and how all is set."""

from __future__ import annotations

from PySide6.QtCore import QPoint, QSignalBlocker, QTimer
from PySide6.QtGui import QTextCursor
from PySide6.QtWidgets import QMenu, QPlainTextEdit

from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.pages.titles.fields import TitleFields
from tempik.desktop.pages.titles.tiles import TitleLookTiles
from tempik.desktop.pages.titles.title_bar import TitleBar
from tempik.desktop.pages.titles.title_tool import TitleTool
from tempik.desktop.pages.titles.word_bar import WordBar
from tempik.desktop.pages.titles.word_strip import WordStrip
from tempik.desktop.preview.guides import SAFE_BOTTOM, SAFE_LEFT, SAFE_RIGHT, SAFE_TOP
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.preview.snapping import around
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import buttons, column, holder, line, quiet
from tempik.desktop.widgets.plain import pop_up
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.tile_grid import Chooser
from tempik.edit.titles import with_title_fields
from tempik.project.title_looks import own_title_looks
from tempik.reel import Position, Title
from tempik.timeline.extents import title_corners
from tempik.titles import laid_out, words_of
from tempik.titles.fonts import face_of
from tempik.titles.looks import TitleLook
from tempik.titles.words import spans_of

SETTLE_MS = 900  # without a key for so long, what was typed is one step
TEXT_W, LEAST_TEXT_W, ROOMY = 226, 206, 820
FIELDS_W = 300
WITH_BOTH = 1500  # from so wide a page on letters and ways to come and go are both shown
COLUMNS = ((1500, 5), (1200, 4), (890, 3), (780, 2), (0, 1))  # of looks, from so wide a page on


class TitlesPage(Page):
    """Edits the selected titles; typing goes to the one that is shown."""

    name, title, key = "titles", "Titles", "F9"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.commands = context.titles
        self.typing = Gesture(context.project)
        self.text = QPlainTextEdit()
        self.text.setPlaceholderText("Type the words …")
        self.text.setAccessibleName("Words of the title")
        self.text.setTabChangesFocus(True)
        self.text.setFont(words(15))
        self.text.setMinimumHeight(44)
        self.text.textChanged.connect(self._typed)
        self.tool = TitleTool(context.project, self.text, self._settled)
        self.bar = TitleBar()
        self.bar.edited.connect(self._edited)
        self.strip = WordStrip(context.project)
        self.strip.double.connect(self._type_word)
        self.word_bar = WordBar(self.commands, self.strip)
        self.looks = TitleLookTiles()
        self.looks.picked.connect(self.commands.looks.lay)
        self.looks.pointed.connect(self._point_at)
        self.looks.menu_wanted.connect(self._look_menu)
        self.chooser = Chooser(self.looks)
        self.fields = TitleFields()
        self.fields.edited.connect(self._edited)
        self.note = quiet("", wraps=True)
        self.note.setFont(words(12))
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(SETTLE_MS)
        self._settle.timeout.connect(self._settled)
        self._lay_out()
        project = context.project
        project.changed.connect(self.want)
        project.selection.selected.connect(self._other_selected)
        self.commands.looks.changed.connect(self._read_library)
        project.playhead.moved.connect(lambda _: self.strip.update() if self.isVisible() else None)
        # Once the window has opened the page.
        self.commands.laid.connect(lambda: QTimer.singleShot(0, self.begin_typing))

    def _lay_out(self) -> None:
        commands = self.commands
        lines = [
            line(*((made, 1) for made in buttons(*row, room="low")))
            for row in (
                (
                    ("Add here", "A title at the playhead", commands.add_title),
                    ("Read lyrics …", "Lay the lines of an LRC, SRT or WebVTT file", commands.read_lyrics),
                    ("Write …", "Write the titles as LRC, SRT or WebVTT", commands.write_lyrics),
                ),
                (
                    ("Words on points", "Each word on the next chosen point", commands.words_each),
                    ("spread", "Words spread over the points of the title's slot", commands.words_even),
                    ("at once", "All words at once, from the title's start", commands.words_off),
                ),
                (("Named points become words", "Each name on its own point", commands.named_to_words),),
            )
        ]
        self._side = holder(column((self.text, 1), self.note, *lines))
        self._side.setFixedWidth(TEXT_W)
        self.fields.setMinimumWidth(FIELDS_W)
        self.chooser.fit()
        top = line((self.strip, 1), self.word_bar, spacing=8)
        right = column(top, (line(self.chooser, (self.fields, 1), spacing=12), 1), spacing=5)
        line(self._side, (right, 1), over=self, spacing=12, margins=(12, 6, 12, 6))
        self._read_library()
        self._point_at(None)

    def room_changed(self, width: int) -> None:
        self._side.setFixedWidth(TEXT_W if width > ROOMY else LEAST_TEXT_W)
        self.looks.show_columns(next(columns for wide, columns in COLUMNS if width >= wide))
        self.chooser.fit()
        self.fields.show_both(width >= WITH_BOTH)

    def _read_library(self) -> None:
        self.looks.show_own(own_title_looks())

    def _point_at(self, look: TitleLook | None) -> None:
        text = (
            f"{look.name}: {look.does}" if look is not None else "Point at a look to see it move; right click: your own"
        )
        self.chooser.say(text, look is not None)

    def _look_menu(self, look: TitleLook | None, at: QPoint) -> None:
        menu = QMenu(self)
        if look is not None:
            menu.addAction("Set the selected titles so").triggered.connect(lambda: self.commands.looks.lay(look))
        menu.addAction("Keep the title's look as one of my own …").triggered.connect(self.commands.looks.ask_keep)
        menu.addAction("Read a look from a file …").triggered.connect(self.commands.looks.ask_read)
        menu.addAction("Write the title's look to a file …").triggered.connect(self.commands.looks.ask_write)
        if look is not None and look.own:
            menu.addAction("Take it out of my looks").triggered.connect(lambda: self.commands.looks.forget(look))
        pop_up(menu, at)

    def _type_word(self, number: int) -> None:
        """Let a word be typed over."""
        clip = self.commands.clip
        if clip is not None and clip.title is not None:
            begin, end = spans_of(clip.title.text)[number]
            cursor = self.text.textCursor()
            cursor.setPosition(begin)
            cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
            self.text.setTextCursor(cursor)
            self.text.setFocus()

    def preview_mode(self) -> PreviewMode:
        return PreviewMode(tool=self.tool, box=self.tool.box, writing=self.tool.writing, bar=self.bar)

    def begin_typing(self) -> None:
        """Let the words be typed over."""
        if self.isVisible():
            self.text.setFocus()
            self.text.selectAll()

    def left(self) -> None:
        self.tool.writing.stop()
        self._settled()

    def close_up(self) -> None:
        self._settle.stop()

    def refill(self) -> None:
        clip = self.commands.clip
        self.fields.setEnabled(clip is not None)
        self.text.setReadOnly(clip is None)
        title = clip.title if clip is not None and clip.title is not None else Title()
        if self.text.toPlainText() != title.text and not self.typing.open:
            with QSignalBlocker(self.text):
                self.text.setPlainText(title.text)
        self.fields.show_title(title)
        self.bar.show_title(title)
        self.looks.show_text(title.text)
        self.strip.refill()
        self.word_bar.refill()
        self._say(title if clip is not None else None)

    def _say(self, title: Title | None) -> None:
        """What there is to know of a title: what its font lacks, what has no room, what phones cover."""
        if title is None:
            marks.ink(self.note, "quiet")
            self.note.setText("Select a title on the timeline, or add one at the playhead (Ctrl+T).")
            return
        clip, reel = self.commands.clip, self.project.reel
        alone = title.showing == "one" and clip is not None and "word" in clip.keys
        warnings = warnings_of(title, self._place(), reel.height / reel.width, alone)
        count = len(words_of(title.text))
        marks.ink(self.note, "warning" if warnings else "quiet")
        hint = f"{count} word{'s' if count != 1 else ''}. Double click it in the preview to type; drag it, its corners, and its words above."
        self.note.setText(" ".join(warnings) or hint)

    def _place(self) -> Position:
        placed = self.project.selection.placed
        if placed is None:
            return Position()
        return self.project.timeline.framing_at(placed, self.project.playhead.frame).start

    def _typed(self) -> None:
        names, text = self.commands.chosen(), self.text.toPlainText()
        if names:
            shown = self.project.selection.clip_id
            wanted = [n for n in names if n == shown] or names[:1]
            if self.typing.show(lambda reel: with_title_fields(reel, wanted, text=text)):
                self._settle.start()

    def _settled(self) -> None:
        self._settle.stop()
        self.typing.settle("Words of the title")

    def _other_selected(self) -> None:
        self._settled()
        self.want()

    def _edited(self, name: str, value: object) -> None:
        self._settled()
        self.commands.set_fields(f"Title: {name.replace('_', ' ')}", **{name: value})


def warnings_of(title: Title, at: Position, height_ratio: float, alone: bool = False) -> list[str]:
    """Return what is wrong with how a title is seen, one sentence each; `alone` where its words are seen one at a time."""
    block, out = laid_out(title), []
    message = face_of(title.font, title.style).message
    if message:
        out.append(message)
    if block.lacking:
        shown = block.lacking[:12] + ("…" if len(block.lacking) > 12 else "")
        out.append(f"No font on this machine has {shown}; install one that has, or leave it out.")
    if block.left_out:
        out.append(f"{block.left_out} lines have no room; make the font smaller, or take fewer words.")
    count = len(words_of(title.text))
    if any(_beyond(title, at, height_ratio, word) for word in (range(count) if alone else [None] if count else [])):
        out.append("It reaches beyond what phones leave free; make it smaller or move it.")
    return out


def _beyond(title: Title, at: Position, height_ratio: float, word: int | None) -> bool:
    extent = around(title_corners(title, at, height_ratio, word))
    return (
        extent.left < SAFE_LEFT - 0.005
        or extent.top < SAFE_TOP - 0.005
        or (extent.right > 1 - SAFE_RIGHT + 0.005 and extent.right > 1.001)
        or extent.bottom > 1 - SAFE_BOTTOM + 0.005
    )
