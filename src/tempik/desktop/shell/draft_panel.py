"""The draft panel: how it should feel, which stretch of the song, how wild; and a reel is there to be corrected."""

from __future__ import annotations

from functools import partial
from typing import NamedTuple

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import (
    QButtonGroup,
    QCheckBox,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.commands.arranging import ArrangeCommands
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.shell.draft_rule import PlainRuleFields
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import quiet, tool
from tempik.desktop.widgets.plain import Label, as_tip
from tempik.desktop.widgets.slider import FreeSlider
from tempik.desktop.widgets.theme import words
from tempik.desktop.widgets.typed import DecimalSpin
from tempik.edit.draft import LONGEST_S, RuleDraftOptions
from tempik.edit.drafting.make import DraftOptions, with_strength
from tempik.edit.drafting.moods import MOODS, Mood
from tempik.edit.song.arranging import SongEditProposal
from tempik.edit.song.stretches import LENGTHS_S, Stretch, suggested_stretches
from tempik.project.moods import own_moods
from tempik.reel import Reel
from tempik.rhythm.song_edits import SongEdit
from tempik.time import clock_text

WIDTH = 460
ACROSS = 3
SAME_S = 0.6


class DraftStretch(NamedTuple):
    """A stretch of the song to be drafted: from an instant, so long; or the song as a way arranges it."""

    start_s: float
    length_s: float
    song_edit: SongEdit | None = None


class DraftPanel(QFrame):
    """A small panel over the window. `wished` carries a plain rule, `mood_wished` what a mood is asked for and how the song is
    arranged for it; `another` draws again, `own_wished` asks for moods of one's own."""

    wished = Signal(object)
    mood_wished = Signal(object, object)
    another = Signal()
    own_wished = Signal(object)

    def __init__(self, project: Project, arrange: ArrangeCommands, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.project, self.arrange = project, arrange
        self.gesture = Gesture(project)
        self.setObjectName("draft")
        marks.mark(self, "panel")
        self.setFixedWidth(WIDTH)
        self.mood: Mood | None = MOODS[2]
        self.stretch: DraftStretch | None = None
        self._filling = False
        title = Label("Draft the reel")
        title.setFont(words(15, True))
        self.about = Label("")
        self.about.setWordWrap(True)
        marks.ink(self.about, "quiet")
        self.moods, self.mood_group = QGridLayout(), QButtonGroup(self)
        self.moods.setSpacing(4)
        self.does = quiet("")
        self.does.setWordWrap(True)
        self.rule = PlainRuleFields()
        column = QVBoxLayout(self)
        column.setContentsMargins(16, 14, 16, 14)
        column.setSpacing(8)
        column.addWidget(title)
        column.addWidget(self.about)
        column.addLayout(self.moods)
        column.addWidget(self.does)
        column.addLayout(self._make_length())
        self.offers, self.offer_group = QVBoxLayout(), QButtonGroup(self)
        self.offers.setSpacing(3)
        column.addLayout(self.offers)
        column.addWidget(self.rule)
        column.addWidget(self._make_strength())
        column.addLayout(self._make_ticks())
        column.addLayout(self._make_buttons())

    def _make_length(self) -> QHBoxLayout:
        self.length = DecimalSpin()
        self.length.setRange(1.0, 3600.0)
        self.length.setDecimals(2)
        self.length.setSuffix(" s")
        self.length.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.length.setAccessibleName("Length of the reel")
        self.length.setKeyboardTracking(False)
        self.length.valueChanged.connect(lambda _: self._offer_stretches())
        line = QHBoxLayout()
        line.setSpacing(4)
        line.addWidget(quiet("about"))
        for seconds in LENGTHS_S:
            button = QPushButton(f"{seconds:.0f} s")
            marks.room(button, "narrow")
            button.clicked.connect(partial(self.length.setValue, seconds))
            line.addWidget(button)
        line.addStretch(1)
        line.addWidget(self.length)
        return line

    def _make_strength(self) -> QWidget:
        self.strength = FreeSlider(6)
        self.strength.setRange(0, 200)
        self.strength.setValue(100)
        self.strength.setAccessibleName("From calm to wild")
        self.strength.setToolTip(
            "How strong accents and ramps are. A reel of this mood is changed at once, while you look."
        )
        self.strength.valueChanged.connect(self._stronger)
        self.strength.sliderReleased.connect(lambda: self.gesture.settle("Draft calmer or wilder"))
        self.wild = QWidget()
        line = QHBoxLayout(self.wild)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(quiet("calm"))
        line.addWidget(self.strength, 1)
        line.addWidget(quiet("wild"))
        return self.wild

    def _make_ticks(self) -> QVBoxLayout:
        self.ordered = QCheckBox("footage in its order")
        self.ordered.setToolTip("As the shot list has it, or else the shelf")
        self.over = QCheckBox("over the marked stretch only")
        column = QVBoxLayout()
        column.setSpacing(2)
        column.addWidget(self.ordered)
        column.addWidget(self.over)
        self.over.toggled.connect(lambda _: self._show_parts())
        return column

    def _make_buttons(self) -> QHBoxLayout:
        self.go = QPushButton("Draft")
        self.go.setProperty("main", True)
        self.go.clicked.connect(self._go)
        self.again = QPushButton("Another")
        self.again.setToolTip("Draw again by the mood of the last draft (Ctrl+Shift+D); what is locked stays")
        self.again.clicked.connect(self._another)
        self.own = QPushButton("Own moods …")
        self.own.setToolTip("Change the chosen mood and keep it under a name of your own")
        self.own.clicked.connect(self._ask_own)
        line = QHBoxLayout()
        line.addWidget(self.own)
        line.addStretch(1)
        line.addWidget(self.again)
        line.addWidget(self.go)
        return line

    # Filling

    def show_for(self, reel: Reel, corner: QPoint) -> None:
        """Open at a corner with the reel's own stretch filled in."""
        song, draft = reel.soundtrack, reel.draft
        self._filling = True
        names = {m.name: m for m in (*MOODS, *own_moods())}
        if draft is not None and draft.mood in names:
            self.mood = names[draft.mood]
        self._fill_moods([*names.values()])
        self.strength.setValue(round(100 * reel.amount))
        self.ordered.setChecked(draft is not None and draft.ordered)
        self.again.setEnabled(draft is not None and bool(draft.mood))
        marked = self.project.selection.marked_frames
        self.over.setVisible(marked is not None and bool(reel.clips))
        self.over.setChecked(False)
        locked = sum(c.locked for c in reel.clips)
        self.about.setText(
            f"{locked} locked clip{'s stay' if locked > 1 else ' stays'} where {'they are' if locked > 1 else 'it is'}. One step to undo."
            if locked
            else "A first reel to correct, landing on the beat. One step to undo."
        )
        if song is not None:
            self.length.setMaximum(max(song.length_s, 1.0))
            self.length.setValue(min(reel.length_s or LONGEST_S, song.length_s - song.start_s))
        self._filling = False
        self._offer_stretches()
        self._show_parts()
        self.move(corner)
        self.show()

    def _fill_moods(self, moods: list[Mood]) -> None:
        for old in self.mood_group.buttons():
            self.mood_group.removeButton(old)
            self.moods.removeWidget(old)
            old.deleteLater()
        for number, mood in enumerate([*moods, None]):
            button = QPushButton(mood.name if mood is not None else "plain rule")
            button.setCheckable(True)
            marks.room(button, "tile")
            button.setToolTip(
                as_tip(mood.does) if mood is not None else "One clip every few beats, your footage in turn"
            )
            button.setChecked(mood is None if self.mood is None else mood is not None and mood.name == self.mood.name)
            button.clicked.connect(partial(self.choose_mood, mood))
            self.mood_group.addButton(button)
            self.moods.addWidget(button, number // ACROSS, number % ACROSS)

    def choose_mood(self, mood: Mood | None, *_: object) -> None:
        """Draft by a mood, or by the plain rule."""
        self.mood = mood
        for button in self.mood_group.buttons():
            button.setChecked(button.text() == (mood.name if mood is not None else "plain rule"))
        self._show_parts()

    def _show_parts(self) -> None:
        """Show what the chosen way of drafting asks for."""
        mood = self.mood
        self.does.setText(
            mood.does if mood is not None else "Your footage in turn, each cue on a point inside its slot."
        )
        self.rule.setVisible(mood is None)
        self.wild.setVisible(mood is not None)
        self.ordered.setVisible(mood is not None)
        over = self.over.isChecked() and not self.over.isHidden() and mood is not None
        for button in self.offer_group.buttons():
            button.setEnabled(not over)
        self.length.setEnabled(not over)
        self.adjustSize()

    def _offer_stretches(self) -> None:
        """Offer the stretch that is used, others of about the length that is set, and the whole song made so long."""
        reel = self.project.reel
        song = reel.soundtrack
        if self._filling or song is None:
            return
        while (item := self.offers.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        wanted = self.length.value()
        now = DraftStretch(song.start_s, min(wanted, song.length_s - song.start_s))
        suggested = suggested_stretches(song, wanted)

        def same(found: Stretch) -> bool:
            return abs(found.start_s - now.start_s) <= SAME_S and abs(found.length_s - now.length_s) <= SAME_S

        why = next((f.why for f in suggested if same(f)), "")
        self._offer(now, f"now: {why}" if why else "now", True)
        for found in suggested:
            if not same(found):
                first = not reel.clips and self.offers.count() == 1  # of an empty reel the best is offered
                self._offer(DraftStretch(found.start_s, found.length_s), found.why, first)
        if song.length_s > wanted + 1:
            find = QPushButton(f"the whole song, made {wanted:.0f} s long …")
            marks.room(find, "line")
            find.setToolTip("Finds which bars to leave out so that the transitions are least heard")
            find.clicked.connect(partial(self._find_song_edit, find))
            self.offers.addWidget(find)
        self.adjustSize()

    def _offer(self, stretch: DraftStretch, why: str, chosen: bool = False) -> None:
        text = f"{clock_text(stretch.start_s)[:-4]}   {stretch.length_s:.1f} s   {why}"
        if stretch.song_edit is not None:
            text = f"whole song   {stretch.length_s:.1f} s   {why}"
        button = QPushButton(text)
        button.setCheckable(True)
        marks.room(button, "line")
        button.clicked.connect(partial(self._choose, stretch))
        self.offer_group.addButton(button)
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        line.addWidget(tool("play", "Listen to it", partial(self._listen, stretch)))
        line.addWidget(button, 1)
        holder = QWidget()
        holder.setLayout(line)
        self.offers.addWidget(holder)
        if chosen:
            button.setChecked(True)
            self.stretch = stretch

    def _choose(self, stretch: DraftStretch, *_: object) -> None:
        """Take a stretch, and show where in the song it is."""
        self.stretch = stretch
        if stretch.song_edit is None:
            self.project.selection.mark((stretch.start_s, stretch.start_s + stretch.length_s))

    def _listen(self, stretch: DraftStretch, *_: object) -> None:
        if stretch.song_edit is not None:
            self.arrange.listen(stretch.song_edit)
        else:
            self._choose(stretch)
            self.arrange.listen_stretch(stretch.start_s, stretch.length_s)

    def _find_song_edit(self, button: QPushButton, *_: object) -> None:
        button.setEnabled(False)
        button.setText("looking for ways …")

        def found(proposals: list[SongEditProposal]) -> None:
            button.hide()
            best = proposals[0]
            self._offer(DraftStretch(0.0, best.song_edit.length_s, best.song_edit), f"{best.why} ({best.heard})")
            self.offer_group.buttons()[-1].click()
            self.adjustSize()

        def failed(text: str) -> None:
            button.setText(text)

        self.arrange.find(self.length.value(), found, failed)

    # Doing

    def hideEvent(self, event: object) -> None:
        self.gesture.settle("Draft calmer or wilder")
        self.arrange.sampler.stop()

    def _stronger(self, value: int) -> None:
        """A reel that was drafted by this mood is changed while one looks."""
        draft, mood = self.project.reel.draft, self.mood
        if not self._filling and draft is not None and mood is not None and draft.mood == mood.name:
            self.gesture.show(lambda reel: with_strength(reel, mood, value / 100))
            if not self.strength.isSliderDown():
                self.gesture.settle("Draft calmer or wilder")

    def options(self) -> RuleDraftOptions:
        """Return what the plain rule is asked for. The length is cut to what the song has left."""
        song, reel, chosen = self.project.reel.soundtrack, self.project.reel, self.stretch
        start_s = chosen.start_s if chosen is not None else 0.0
        length = chosen.length_s if chosen is not None else self.length.value()
        if song is not None:
            # The field shows hundredths; a stretch that reaches the song's end means all of it.
            left = song.length_s - start_s
            length = left if length > left - 0.01 else length
        return self.rule.options(start_s, length, reel)

    def draft_options(self, mood: Mood) -> DraftOptions:
        """Return what a mood is asked for."""
        plain, reel, marked = self.options(), self.project.reel, self.project.selection.marked_frames
        over = None
        if self.over.isChecked() and not self.over.isHidden() and marked is not None:
            over = (marked[0] / float(reel.rate), marked[1] / float(reel.rate))
        return DraftOptions(
            mood, 0, plain.start_s, plain.length_s, reel.width, reel.height, reel.rate, self.strength.value() / 100,
            self.ordered.isChecked(), over,
        )  # fmt: skip

    def _go(self) -> None:
        self.hide()
        if self.mood is None:
            self.wished.emit(self.options())
            return
        song_edit = self.stretch.song_edit if self.stretch is not None and not self.over.isChecked() else None
        self.mood_wished.emit(self.draft_options(self.mood), song_edit)

    def _another(self) -> None:
        self.hide()
        self.another.emit()

    def _ask_own(self) -> None:
        self.hide()
        self.own_wished.emit(self.mood or MOODS[2])
