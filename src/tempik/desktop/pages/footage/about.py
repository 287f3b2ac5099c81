"""What is known and said of a piece of footage: its facts, the rate it was shot at, its tag, shot and note."""

from __future__ import annotations

from collections.abc import Callable
from fractions import Fraction

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QComboBox, QLineEdit, QWidget

from tempik.desktop.session.background import ProxyStore
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.controls import Dropdown, Text
from tempik.desktop.widgets.form import column, label, line, toggle
from tempik.desktop.widgets.plain import escaped
from tempik.desktop.widgets.typed import is_typed
from tempik.edit.footage import facts
from tempik.edit.footage.facts import TAGS, uneven
from tempik.errors import TempikError
from tempik.reel import Footage, Reel
from tempik.time import parse_rate, rate_text
from tempik.timeline.placed_clip import floor_text

RATES = (50, 60, 100, 120, 200, 240)  # frames a second that cameras slow down from
SHOT_RATE = (
    "How fast it was really shot. A camera that writes 100 frames/s as a file of 25 has slowed it already: say 100"
)
LONGEST_SHOT = 28


class AboutFootage(QWidget):
    """Shows a piece, and changes what is said of it; the tag goes to all pieces that `chosen` gives."""

    def __init__(self, project: Project, proxies: ProxyStore, chosen: Callable[[], list[str]]) -> None:
        super().__init__()
        self.project, self.proxies, self._chosen = project, proxies, chosen
        self._piece: Footage | None = None
        self.facts = label(wraps=True)
        self.facts.setTextFormat(Qt.TextFormat.RichText)  # ours; what is in it is escaped
        self.read_rate = QComboBox()
        self.read_rate.setEditable(True)
        self.read_rate.setFixedWidth(104)  # 29.97 and the like whole
        self.read_rate.setAccessibleName("Frames a second it was shot at")
        self.read_rate.setToolTip(SHOT_RATE)
        self.read_rate.activated.connect(lambda _: self.set_rate())
        rate_line: QLineEdit | None = self.read_rate.lineEdit()
        if rate_line is not None:
            rate_line.editingFinished.connect(self.set_rate)
        self.around = toggle("Leave repeats out", "", self._around_set, "none")
        self.tag = Dropdown([("", "no tag"), *((name, f"{sign} {name}") for name, _, sign in TAGS)], 0)
        self.tag.told.connect(self._tag_set)
        self.shot = Dropdown(letters=0)
        self.shot.setToolTip("The planned shot that this footage is for")
        self.shot.told.connect(self._shot_set)
        self.note = Text()
        self.note.setPlaceholderText("note")
        self.note.setMinimumWidth(60)
        self.note.told.connect(self._note_set)
        self.tag.setMaximumWidth(118)
        self.shot.setMaximumWidth(130)
        self.shot_at = label("shot at")
        details = line(self.shot_at, self.read_rate, self.around, self.tag, self.shot, (self.note, 1), spacing=5)
        column(self.facts, details, over=self, spacing=5)

    def show_piece(self, piece: Footage | None) -> None:
        """Show a piece, or how to have one."""
        self._piece = piece
        for field in (self.tag, self.shot, self.note):
            field.setVisible(piece is not None)
        for of_films in (self.shot_at, self.read_rate):
            of_films.setVisible(piece is not None and piece.kind == "video")
        self.around.hide()
        if piece is None:
            self.facts.setText("Add footage: drop files or folders on the window, or press Add footage.")
            return
        self._show_said(piece, self.project.reel)
        self.facts.setText(self._text(piece))

    def _show_said(self, piece: Footage, reel: Reel) -> None:
        if not is_typed(self.read_rate.lineEdit()):
            rates = [piece.rate, *(Fraction(r) for r in RATES if r > piece.rate)]
            self.read_rate.clear()
            self.read_rate.addItems([f"{rate_text(rate)} fps" for rate in rates])
            self.read_rate.setCurrentText(f"{rate_text(piece.read_rate or piece.rate)} fps")
        self.tag.show_value(piece.tag)
        none = "no shot" if reel.shots else "no shot list"
        self.shot.show_choices([("", none), *((shot.id, shot.text[:LONGEST_SHOT]) for shot in reel.shots)])
        self.shot.show_value(piece.shot, "a shot that is gone")
        self.shot.setVisible(bool(reel.shots))
        self.note.show_value(piece.note)

    def _text(self, piece: Footage) -> str:
        """Return what is known of a piece, with our own markup."""
        if piece.without_file:
            return f"<b>{escaped(piece.name)}</b>"
        rate = self.project.reel.rate
        known = [f"{piece.width}×{piece.height}" + (f" · turned {piece.rotation_deg}°" if piece.rotation_deg else "")]
        if piece.kind == "video":
            written = f" (written as {rate_text(piece.rate)})" if piece.read_rate else ""
            known.append(f"{rate_text(piece.true_rate)} frames/s{written}" + (", varying" if piece.variable else ""))
            known.append(f"{piece.length_s:.2f} s · {'with sound' if piece.has_sound else 'no sound'}")
            known.append(floor_text(piece, rate))
        text = (
            f"<b>{escaped(piece.name)}</b> &nbsp; <span style='color:{theme.QUIET}'>{escaped(' · '.join(known))}</span>"
        )
        if piece.warning:
            text += f"<br><span style='color:{theme.QUIET}'>{escaped(piece.warning)}</span>"
        warnings = [w for w in (self._cadence(piece), uneven(piece, rate)) if w]
        if warnings:
            text += f"<br><span style='color:{theme.WARNING_TEXT}'>{escaped(' '.join(warnings))}</span>"
        return text

    def _cadence(self, piece: Footage) -> str:
        """Return a sentence on frames that repeat in the file, and offer to leave them out where they come evenly."""
        study = self.proxies.study_of(piece.path)
        if piece.skip_repeats:
            self.around.setVisible(True)
            self.around.setChecked(True)
            return ""
        if study is None or not study.cadence.repeated:
            return ""
        found = study.cadence
        if found.regular:
            self.around.setVisible(True)
            self.around.setChecked(False)
            return f"{found.repeated} of {found.frames} frames only repeat ({found.pattern}): {found.distinct_rate:.4g} different ones a second."
        if found.stalls:
            places = ", ".join(f"{s.time_s:.2f} s ({s.frames} f)" for s in found.stalls[:3])
            more = f" and {len(found.stalls) - 3} more" if len(found.stalls) > 3 else ""
            return f"The picture stalls at {places}{more}."
        one = found.repeated == 1
        return f"{found.repeated} of {found.frames} frames {'only repeats' if one else 'only repeat, at no regular places'}."

    # What is said of it

    def set_rate(self) -> None:
        """Take the rate that is typed or chosen."""
        piece = self._piece
        if piece is None:
            return
        try:
            rate = parse_rate(self.read_rate.currentText().replace("fps", "").strip())
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        if rate != (piece.read_rate or piece.rate):
            what = f"{piece.name} read at {rate_text(rate)} frames/s"
            self.project.change(what, lambda reel: facts.with_read_rate(reel, piece.id, rate))

    def _around_set(self, on: bool) -> None:
        piece = self._piece
        if piece is not None:
            study = self.proxies.study_of(piece.path)
            numbers = study.cadence.numbers if study is not None else ()
            what = "Repeated frames left out" if on else "All frames shown"
            self.project.change(what, lambda reel: facts.with_around(reel, piece.id, on, numbers))

    def _tag_set(self, tag: str) -> None:
        piece, chosen = self._piece, self._chosen()
        names = chosen if piece is not None and piece.id in chosen else [piece.id] if piece is not None else []

        def edit(reel: Reel) -> Reel:
            for name in names:
                reel = facts.with_tag(reel, name, tag)
            return reel

        self.project.change(f"Tagged {tag}" if tag else "Tag taken off", edit)

    def _shot_set(self, shot: str) -> None:
        piece = self._piece
        if piece is not None:
            self.project.change("Footage attached to a shot", lambda reel: facts.with_shot_of(reel, piece.id, shot))

    def _note_set(self, text: str) -> None:
        piece = self._piece
        if piece is not None and text.strip() != piece.note:
            self.project.change("Note written", lambda reel: facts.with_note(reel, piece.id, text))
