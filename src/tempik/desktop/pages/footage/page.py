"""The Footage page: what there is, and setting the cue of a piece by scrubbing it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from fractions import Fraction

from PySide6.QtCore import QElapsedTimer, Qt, QTimer
from PySide6.QtGui import QImage
from PySide6.QtWidgets import (
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QVBoxLayout,
)

from tempik.desktop.pages.footage.film_scrub import FilmScrub
from tempik.desktop.pages.footage.inspector import FootageLooking
from tempik.desktop.pages.footage.shelf import FootageShelf
from tempik.desktop.pages.footage.shot_list import ShotList
from tempik.desktop.pages.footage.suggestions import SuggestionRow
from tempik.desktop.pages.page import PageContext
from tempik.desktop.playback.scrub import Scrubber
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.plain import Label, escaped
from tempik.desktop.widgets.theme import figures, icon
from tempik.desktop.widgets.typed import is_typed
from tempik.disk.reading import is_regular
from tempik.edit.clips import place
from tempik.edit.footage import facts
from tempik.edit.footage.facts import TAGS, uneven
from tempik.errors import TempikError
from tempik.reel import Footage, Reel, by_id
from tempik.time import clock_text, parse_rate, rate_text
from tempik.timeline.placed_clip import floor_text

SHELF_W, NARROW_SHELF_W = 252, 208
# A page narrower than this has a narrower shelf.
NARROW_PX = 860


class FootagePage(FootageLooking):
    """Shelf, picture and scrub strip."""

    name, title, key = "footage", "Footage", "F3"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        project, filmstrips, proxy_store = context.project, context.filmstrips, context.proxy_store
        self.filmstrips, self.proxy_store, self.looking = filmstrips, proxy_store, context.looking
        self.time_s = 0.0
        self._hover: tuple[str, float] | None = None
        self._filling = False
        self.scrubber = Scrubber(self, proxy_store.proxy_for)
        self.scrubber.shown.connect(self._show_frame)
        self.scrubber.failed.connect(self._not_shown)
        self.shelf = FootageShelf(project, filmstrips, context.watch)
        self.shelf.picked.connect(self._picked)
        self.shelf.scrubbed.connect(self._hovered)
        self.list = self.shelf.list
        self.add = QPushButton(icon("add"), "Add footage")
        self.add.clicked.connect(context.files.choose_footage)
        self.find_file = QPushButton("Find missing")
        self.find_file.clicked.connect(self._find)
        self.find_file.hide()
        self.shots = QPushButton("Shot list")
        self.shots.setToolTip("The shots you mean to have, and the footage there is for each")
        self.shots.clicked.connect(self.show_shots)
        self.film = FilmScrub(filmstrips)
        self.film.scrubbed.connect(self.scrub_to)
        self.film.cue_moved.connect(self._cue_moved)
        self.row = SuggestionRow(filmstrips)
        self.row.looked.connect(self.scrub_to)
        self.row.taken.connect(self._take)
        self.row.dismissed.connect(self._dismiss)
        self._make_facts()
        self._make_cue_fields()
        self._clock = QElapsedTimer()
        self._played_from = 0.0
        self._timer = QTimer(self)
        self._timer.setInterval(25)
        self._timer.timeout.connect(self._tick)
        self._lay_out()
        for signal in (
            project.changed,
            project.selection.selected,
            filmstrips.changed,
            context.watch.changed,
            context.watch.back,
        ):
            signal.connect(self.want)
        proxy_store.studied.connect(lambda _: self.want())
        self.shelf.chosen_changed.connect(lambda: context.looking.choose(self.shelf.chosen(), self.shelf.order()))

    def _make_facts(self) -> None:
        self.facts = Label()
        self.facts.setTextFormat(Qt.TextFormat.RichText)  # ours; what is in it is escaped
        self.facts.setWordWrap(True)
        self.at = Label()
        self.at.setFont(figures(12))
        self.at.setMinimumWidth(64)
        self.read_rate = QComboBox()
        self.read_rate.setEditable(True)
        self.read_rate.setFixedWidth(104)  # 29.97 and the like whole
        self.read_rate.setAccessibleName("Frames a second it was shot at")
        self.read_rate.setToolTip(
            "How fast it was really shot. A camera that writes 100 frames/s as a file of 25 has slowed it already: say 100"
        )
        self.read_rate.activated.connect(self._rate_set)
        line = self.read_rate.lineEdit()
        if line is not None:
            line.editingFinished.connect(self._rate_set)
        self.around = QPushButton("Leave repeats out")
        self.around.setCheckable(True)
        self.around.clicked.connect(self._around_set)
        self.tag = QComboBox()
        self.tag.addItem("no tag", "")
        for name, _, sign in TAGS:
            self.tag.addItem(f"{sign} {name}", name)
        self.tag.activated.connect(self._tag_set)
        self.shot = QComboBox()
        self.shot.setToolTip("The planned shot that this footage is for")
        self.shot.activated.connect(self._shot_set)
        self.note = QLineEdit()
        self.note.setPlaceholderText("note")
        self.note.setMinimumWidth(60)
        self.tag.setMaximumWidth(118)
        self.shot.setMaximumWidth(130)
        self.note.editingFinished.connect(self._note_set)

    def _make_cue_fields(self) -> None:
        self.cue_name = QLineEdit()
        self.cue_name.setPlaceholderText("cue's name")
        self.cue_name.setFixedWidth(92)
        self.cue_name.editingFinished.connect(self._name_set)
        self.cue_here = QPushButton(icon("cue", theme.CUE), "Set cue")
        self.cue_here.setToolTip("The frame that must land on a point (C)")
        self.cue_here.clicked.connect(self.set_cue)
        self.cue_off = QPushButton("Remove")
        self.cue_off.setToolTip("Remove this cue (Delete), or dismiss the suggestion")
        self.cue_off.clicked.connect(self.remove_cue)
        self.swap = QPushButton("Use in clip")
        self.swap.setToolTip("Show this footage in the selected clips; slot, speed, framing and accents stay (Z)")
        self.swap.clicked.connect(self._swap)
        self.play = QPushButton(icon("play"), "")
        self.play.setToolTip("Play the piece at its own speed, without sound (Space)")
        self.play.setAccessibleName("Play the piece")
        self.play.clicked.connect(self.play_pause)

    def _lay_out(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.shelf, 1)
        buttons = QHBoxLayout()
        buttons.addWidget(self.add)
        buttons.addWidget(self.find_file)
        buttons.addWidget(self.shots)
        left.addLayout(buttons)
        steps = QHBoxLayout()
        steps.setSpacing(5)
        back, on = QPushButton(icon("previous"), ""), QPushButton(icon("next"), "")
        steps.addWidget(self.play)
        for button, step, name in ((back, -1, "One frame back"), (on, 1, "One frame on")):
            button.setAccessibleName(name)
            button.setToolTip(name)
            button.setAutoRepeat(True)
            button.clicked.connect(lambda _=False, s=step: self.step(s))
            steps.addWidget(button)
        for button in (self.play, back, on):
            button.setFixedWidth(34)
        steps.addWidget(self.at)
        steps.addStretch(1)
        for widget in (self.cue_name, self.cue_here, self.cue_off, self.swap):
            steps.addWidget(widget)
        about = QHBoxLayout()
        about.setSpacing(5)
        self.shot_at = Label("shot at")
        for message in (self.shot_at, self.read_rate, self.around, self.tag, self.shot):
            about.addWidget(message)
        about.addWidget(self.note, 1)
        right = QVBoxLayout()
        right.setSpacing(5)
        right.addWidget(self.facts)
        right.addLayout(about)
        right.addStretch(1)
        right.addWidget(self.row)
        right.addWidget(self.film, 3)
        right.addLayout(steps)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 8, 12, 10)
        whole.setSpacing(12)
        whole.addLayout(left, 0)
        self.shelf.setFixedWidth(SHELF_W)
        whole.addLayout(right, 1)
        self.refill()

    def takes(self) -> Mapping[str, Callable[[], object]]:
        if not self.has_keyboard():
            return {}
        return {
            "play_pause": self.play_pause,
            "step_back": lambda: self.step(-1),
            "step_on": lambda: self.step(1),
            "leap_back": lambda: self.step(-10),
            "leap_on": lambda: self.step(10),
            "previous_stop": lambda: self.go_stop(-1),
            "next_stop": lambda: self.go_stop(1),
            "cue_here": self.set_cue,
            "remove_clip": self.remove_cue,
        }

    def entered(self) -> None:
        self.filmstrips.retry()
        for piece in (f for f in self.project.reel.footage if not f.as_frame):
            self.filmstrips.want(piece)
            self.proxy_store.look_through(piece)

    def has_keyboard(self) -> bool:
        """Whether keys are meant for the piece that is looked at here."""
        return self.isVisible() and (self.film.hasFocus() or self.row.hasFocus())

    def room_changed(self, width: int) -> None:
        self.shelf.setFixedWidth(SHELF_W if width >= NARROW_PX else NARROW_SHELF_W)

    def close_up(self) -> None:
        self._timer.stop()
        self.scrubber.close()

    def refill(self) -> None:
        """Show the shelf and the piece that is looked at."""
        self.shelf.fill()
        self.find_file.setVisible(bool(self.shelf.missing))
        self._show_piece()

    def _picked(self, footage: str) -> None:
        self.project.selection.select_footage(footage)
        if self.piece is not None:
            self._want(self.piece, self.time_s)

    def _show_piece(self) -> None:
        piece = self.piece
        self._filling = True
        for widget in (
            self.cue_here,
            self.cue_off,
            self.swap,
            self.play,
        ):
            widget.setEnabled(piece is not None)
        for field in (self.tag, self.shot, self.note):
            field.setVisible(piece is not None)
        for of_films in (self.shot_at, self.read_rate):
            of_films.setVisible(piece is not None and piece.kind == "video")
        self.around.hide()
        if piece is None:
            self.facts.setText("Add footage: drop files or folders on the window, or press Add footage.")
            self.film.show_piece(None, 0.0)
            self.row.show_for(None, [], "")
            self.at.setText("")
            self._filling = False
            return
        if self.isVisible():
            self.proxy_store.look_through(piece)
        if self.film.footage is None or self.film.footage.id != piece.id:
            self._timer.stop()
            self.time_s = piece.cues[0].time_s if piece.cues else 0.0
            if not self._reel_is_looked_at():
                self._want(piece, self.time_s)
        self.time_s = min(self.time_s, piece.length_s)
        self._show_facts(piece)
        study = self.proxy_store.study_of(piece.path)
        near = 0.5 / float(piece.rate)
        known = [c.time_s for c in piece.cues] + list(piece.dismissed)
        found = [s for s in study.cues if all(abs(s.time_s - t) > near for t in known)][:6] if study is not None else []
        message = "looking for decisive frames …" if study is None else "No more cues to suggest for this piece."
        self.row.show_for(piece, found, message if piece.kind == "video" else "A still has no cues.")
        self.film.suggest([s.time_s for s in found])
        self.film.show_piece(piece, self.time_s)
        here = self._cue_here()
        cue = by_id(piece.cues, here)
        self.cue_off.setEnabled(here is not None)
        self.cue_here.setEnabled(here is None and piece.kind == "video")
        self.cue_name.setEnabled(cue is not None)
        if not self.cue_name.hasFocus():
            self.cue_name.setText(cue.name if cue is not None else "")
        self.swap.setEnabled(bool(self.project.selection.chosen_clips))
        self.at.setText(clock_text(self.time_s))
        self._filling = False

    def _reel_is_looked_at(self) -> bool:
        """Tell whether the preview goes on showing the reel: a clip is selected, or a reel with clips was just opened."""
        before, reel = self.film.footage, self.project.reel
        just_opened = before is None or by_id(reel.footage, before.id) is None
        return bool(self.project.selection.clip_ids) or (bool(reel.clips) and just_opened)

    def _show_facts(self, piece: Footage) -> None:
        reel = self.project.reel
        rates = [piece.rate, *(Fraction(r) for r in (50, 60, 100, 120, 200, 240) if r > piece.rate)]
        if not is_typed(self.read_rate.lineEdit()):
            self.read_rate.clear()
            for rate in rates:
                self.read_rate.addItem(f"{rate_text(rate)} fps")
            self.read_rate.setCurrentText(f"{rate_text(piece.read_rate or piece.rate)} fps")
        self.tag.setCurrentIndex(max(0, self.tag.findData(piece.tag)))
        self.shot.clear()
        self.shot.addItem("no shot" if reel.shots else "no shot list", "")
        for shot in reel.shots:
            self.shot.addItem(shot.text[:28], shot.id)
        self.shot.setCurrentIndex(max(0, self.shot.findData(piece.shot)))
        self.shot.setVisible(bool(reel.shots))
        if not self.note.hasFocus():
            self.note.setText(piece.note)
        if piece.without_file:
            self.facts.setText(f"<b>{escaped(piece.name)}</b>")
            return
        turned = f" · turned {piece.rotation_deg}°" if piece.rotation_deg else ""
        message = [f"{piece.width}×{piece.height}{turned}"]
        if piece.kind == "video":
            written = f" (written as {rate_text(piece.rate)})" if piece.read_rate else ""
            message.append(f"{rate_text(piece.true_rate)} frames/s{written}" + (", varying" if piece.variable else ""))
            message.append(f"{piece.length_s:.2f} s · {'with sound' if piece.has_sound else 'no sound'}")
            message.append(floor_text(piece, reel.rate))
        warnings = [w for w in (self._cadence(piece), uneven(piece, reel.rate)) if w]
        text = f"<b>{escaped(piece.name)}</b> &nbsp; <span style='color:{theme.QUIET}'>{escaped(' · '.join(message))}</span>"
        if piece.warning:
            text += f"<br><span style='color:{theme.QUIET}'>{escaped(piece.warning)}</span>"
        if warnings:
            text += f"<br><span style='color:{theme.WARNING_TEXT}'>{escaped(' '.join(warnings))}</span>"
        self.facts.setText(text)

    def _cadence(self, piece: Footage) -> str:
        """Return a sentence on frames that repeat in the file, and offer to leave them out where they come evenly."""
        study = self.proxy_store.study_of(piece.path)
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

    def _rate_set(self) -> None:
        piece = self.piece
        if piece is None or self._filling:
            return
        try:
            rate = parse_rate(self.read_rate.currentText().replace("fps", "").strip())
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        if rate != (piece.read_rate or piece.rate):
            self.project.change(
                f"{piece.name} read at {rate_text(rate)} frames/s",
                lambda reel: facts.with_read_rate(reel, piece.id, rate),
            )

    def _around_set(self) -> None:
        piece = self.piece
        study = self.proxy_store.study_of(piece.path) if piece is not None else None
        if piece is not None:
            on, numbers = self.around.isChecked(), study.cadence.numbers if study is not None else ()
            what = "Repeated frames left out" if on else "All frames shown"
            self.project.change(what, lambda reel: facts.with_around(reel, piece.id, on, numbers))

    def _chosen_or_piece(self) -> list[str]:
        piece = self.piece
        names = self.shelf.chosen()
        return names if piece is not None and piece.id in names else [piece.id] if piece is not None else []

    def _tag_set(self) -> None:
        tag, names = str(self.tag.currentData()), self._chosen_or_piece()

        def edit(reel: Reel) -> Reel:
            for name in names:
                reel = facts.with_tag(reel, name, tag)
            return reel

        self.project.change(f"Tagged {tag}" if tag else "Tag taken off", edit)

    def _shot_set(self) -> None:
        piece, shot = self.piece, str(self.shot.currentData())
        if piece is not None:
            self.project.change("Footage attached to a shot", lambda reel: facts.with_shot_of(reel, piece.id, shot))

    def _note_set(self) -> None:
        piece, text = self.piece, self.note.text()
        if piece is not None and not self._filling and text.strip() != piece.note:
            self.project.change("Note written", lambda reel: facts.with_note(reel, piece.id, text))

    def show_shots(self) -> None:
        """Edit the shot list; each line is a shot, with the footage attached to it."""
        ShotList(self.project, self).open()

    def _swap(self) -> None:
        piece, names = self.piece, self.project.selection.chosen_clips
        if piece is not None and names:
            self.project.change(
                f"Footage swapped for {piece.name}", lambda reel: place.with_swapped_footage(reel, names, piece.id)
            )

    def _find(self) -> None:
        if self.shelf.missing:
            self.context.files.find(sorted(self.shelf.missing)[0])

    def _not_shown(self, text: str) -> None:
        piece = self.piece
        if piece is None or is_regular(piece.path):  # of a missing file all is said
            self.project.messages.say(text, True)

    def _show_frame(self, path: str, time_s: float, image: QImage) -> None:
        hovered = by_id(self.project.reel.footage, self._hover[0]) if self._hover is not None else None
        shown = hovered or self.piece
        if shown is not None and shown.path == path and self.isVisible():
            self.looking.show(image, f"{shown.name}  {clock_text(time_s)}")
