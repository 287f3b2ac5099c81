"""What sets the chosen words of a title off from the others, and makes one of two or two of one."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.titles import TitleCommands
from tempik.desktop.pages.titles.word_strip import WordStrip
from tempik.desktop.widgets.controls import ColourField, Number
from tempik.desktop.widgets.form import SettingsForm, button, column, line, quiet
from tempik.reel import WordStyle
from tempik.reel.title import WORD_SETTINGS

WIDE = 214


class WordBar(QWidget):
    """Colour and size of the words that are chosen on a strip, and what joins or parts them."""

    def __init__(self, commands: TitleCommands, strip: WordStrip) -> None:
        super().__init__()
        self.commands, self.strip = commands, strip
        self.what = quiet("")
        self.form = SettingsForm(WORD_SETTINGS, widths={"colour": 66})
        self.colour: ColourField = self.form["colour"]
        self.size_box: Number = self.form["size"]
        self.form.edited.connect(self._edited)
        self.plain = button("as the others", "The title's own colour and size again", self._plain, "tight")
        self.joining = button("join", "One word of these: they come together and look alike", self._join, "tight")
        self.parting = button("part", "Two words of one: each on a point of its own", self._part, "tight")
        column(
            line((self.what, 1), self.colour, (self.size_box, 0)),
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
        shown = texts[chosen[0]] if len(chosen) == 1 and chosen[0] < len(texts) else f"{len(chosen)} words"
        text = shown if chosen else "no word"
        self.what.setText(self.what.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 68))
        in_a_row = chosen == list(range(chosen[0], chosen[-1] + 1)) if chosen else False
        for control in (self.colour, self.size_box):
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
