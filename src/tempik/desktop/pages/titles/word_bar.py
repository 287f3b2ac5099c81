"""What sets the chosen words of a title off from the others, and makes one of two or two of one."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

from PySide6.QtCore import QSize, Qt
from PySide6.QtGui import QColor, QIcon, QPixmap
from PySide6.QtWidgets import QToolButton, QWidget

from tempik.desktop.commands.titles import TitleCommands
from tempik.desktop.pages.titles.word_strip import WordStrip
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import ColourField, Number
from tempik.desktop.widgets.form import SettingsForm, button, column, line
from tempik.reel import WordStyle
from tempik.reel.title import WORD_SETTINGS

WIDE = 222
# Colours at hand: the reel's own accents read on dark and light alike.
SWATCHES = (("white", "#ffffff"), ("amber", "#ffb347"), ("teal", "#86c7c1"), ("coral", "#e8735a"))


class WordBar(QWidget):
    """Colour and size of the words that are chosen on a strip, and what joins or parts them."""

    def __init__(self, commands: TitleCommands, strip: WordStrip) -> None:
        super().__init__()
        self.commands, self.strip = commands, strip
        self.swatches = [_swatch(name, value, partial(self._edited, "colour", value)) for name, value in SWATCHES]
        self.form = SettingsForm(WORD_SETTINGS, widths={"colour": 66})
        self.colour: ColourField = self.form["colour"]
        self.size_box: Number = self.form["size"]
        self.form.edited.connect(self._edited)
        self.plain = button("as the others", "The title's own colour and size again", self._plain, "tight")
        self.joining = button("join", "One word of these: they come together and look alike", self._join, "tight")
        self.parting = button("part", "Two words of one: each on a point of its own", self._part, "tight")
        column(
            line(*self.swatches, None, self.colour, self.size_box, spacing=3),
            line((self.joining, 1), (self.parting, 1), (self.plain, 2)),
            over=self,
            spacing=5,
        )
        self.setFixedWidth(WIDE)
        strip.chosen_changed.connect(self.refill)

    def refill(self) -> None:
        """Show what the chosen words have."""
        chosen, texts = sorted(self.strip.chosen), self.strip.texts()
        clip = self.commands.clip
        styles = {s.word: s for s in clip.title.words} if clip is not None and clip.title is not None else {}
        first = styles.get(chosen[0], WordStyle(chosen[0])) if chosen else WordStyle(0)
        if clip is not None and clip.title is not None:
            self.colour.show_value(first.colour or clip.title.colour)
        self.size_box.show_value(first.size)
        in_a_row = chosen == list(range(chosen[0], chosen[-1] + 1)) if chosen else False
        for control in (*self.swatches, self.colour, self.size_box):
            control.setEnabled(bool(chosen))
        self.plain.setEnabled(any(word in styles for word in chosen))
        self.joining.setEnabled(in_a_row and bool(chosen) and (len(chosen) > 1 or chosen[-1] + 1 < len(texts)))
        self.parting.setEnabled(len(chosen) == 1 and len(texts[chosen[0]]) > 1)

    def _edited(self, name: str, value: object) -> None:
        self.commands.set_words(f"Words: {name}", sorted(self.strip.chosen), **{name: value})

    def _plain(self) -> None:
        self.commands.set_words("Words as the others", sorted(self.strip.chosen), colour=None, size=1.0)

    def _join(self) -> None:
        chosen = sorted(self.strip.chosen)
        if self.commands.join_words(chosen[0], chosen[-1] if len(chosen) > 1 else chosen[0] + 1):
            self.strip.choose({chosen[0]})

    def _part(self) -> None:
        chosen = sorted(self.strip.chosen)
        if self.commands.part_word(chosen[0]):
            self.strip.choose({chosen[0] + 1})


def _swatch(name: str, value: str, act: Callable[[], object]) -> QToolButton:
    made, seen = QToolButton(), QPixmap(12, 12)
    seen.fill(QColor(value))
    made.setIcon(QIcon(seen))
    made.setIconSize(QSize(12, 12))
    made.setFixedSize(19, 22)
    marks.room(made, "none")
    made.setToolTip(f"The chosen words {name}")
    made.setAccessibleName(f"The chosen words {name}")
    made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
    made.clicked.connect(lambda _=False: act())
    return made
