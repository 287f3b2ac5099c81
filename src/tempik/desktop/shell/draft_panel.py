"""The draft panel: how it should feel, which stretch of the song, how wild; and a reel is there to be corrected."""

from __future__ import annotations

from functools import partial
from typing import NamedTuple

import msgspec
from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import QButtonGroup, QCheckBox, QFrame, QPushButton, QWidget

from tempik.accents import CATALOGUE
from tempik.desktop.commands.arranging import ArrangeCommands
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import ReelEdit, slide
from tempik.desktop.session.preferences import load_preferences, save_preferences
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import Dropdown, Number, Slider, control_of
from tempik.desktop.widgets.form import Part, button, column, emptied, grid, holder, label, line, quiet, toggle, tool
from tempik.desktop.widgets.plain import as_tip
from tempik.digits import plural
from tempik.edit.draft import LONGEST_S, RuleDraftOptions
from tempik.edit.drafting.make import DraftOptions, with_strength
from tempik.edit.drafting.moods import MOODS, Mood
from tempik.edit.song.arranging import SongEditProposal
from tempik.edit.song.stretches import LENGTHS_S, Stretch, suggested_stretches
from tempik.project.moods import own_moods
from tempik.reel import Reel
from tempik.reel.lanes import RULE_SETTINGS
from tempik.rhythm.song_edits import SongEdit
from tempik.settings import Setting
from tempik.time import clock_text

# Which accents are offered ticked, and on every how many points.
OFFERED = {"flash": (True, 4), "shake": (True, 2), "punch": (True, 4), "kick": (False, 2)}

COUNT = RULE_SETTINGS["every"]


class PlainRuleFields(QWidget):
    """The fields of the plain rule."""

    def __init__(self) -> None:
        super().__init__()
        self.every = Dropdown((n, plural(n, "beat")) for n in (1, 2, 4, 8))
        self.every.show_value(4)
        self.accents: dict[str, tuple[QCheckBox, Number]] = {}
        rows: list[list[Part]] = [["one clip every", self.every]]
        for name, (ticked, every) in OFFERED.items():
            tick, count = QCheckBox(CATALOGUE[name].title), control_of(COUNT)
            tick.setChecked(ticked)
            count.show_value(every)
            count.setPrefix("every ")
            count.setAlignment(Qt.AlignmentFlag.AlignCenter)
            rows.append([tick, count])
            self.accents[name] = (tick, count)
        grid(*rows, over=self, spacing=(6, 6), wide=(1,))

    def options(self, start_s: float, length_s: float, reel: Reel) -> RuleDraftOptions:
        """Return what is asked for, of a stretch of the song."""
        return RuleDraftOptions(
            every=int(self.every.currentData()),
            start_s=start_s,
            length_s=length_s,
            width=reel.width,
            height=reel.height,
            rate=reel.rate,
            accents=tuple((name, int(count.value())) for name, (box, count) in self.accents.items() if box.isChecked()),
        )


WIDTH = 460
ACROSS = 3
SAME_S = 0.6
STILL_S = 2.0  # that a picture is worth
LONG = Setting("length_s", "length", 15.0, 1, 3600, "s", digits=2, step=1, does="Length of the reel")


def usual_length(reel: Reel) -> float:
    """Return how long a draft is at first, in seconds: as the reel that is there, or as the last one was, as far as the footage there is
    goes."""
    if reel.clips:
        return reel.length_s
    there = sum(f.length_s if f.kind == "video" else STILL_S for f in reel.footage if not f.without_file)
    suits = next((s for s in LENGTHS_S if s >= there), LENGTHS_S[-1])
    last = load_preferences().draft_length_s or LONGEST_S
    return min(last, suits) if there else last


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
        self.setObjectName("draft")
        marks.mark(self, "panel")
        self.setFixedWidth(WIDTH)
        self.mood: Mood | None = MOODS[2]
        self.stretch: DraftStretch | None = None
        title = label("Draft the reel", 15, True)
        self.about, self.does = quiet("", wraps=True), quiet("", wraps=True)
        self.moods, self.mood_group = grid(spacing=(4, 4)), QButtonGroup(self)
        self.offers, self.offer_group = column(spacing=3), QButtonGroup(self)
        self.rule = PlainRuleFields()
        self.length = control_of(LONG)
        self.length.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.length.told.connect(lambda _: self._offer_stretches())
        usual = [button(f"{s:.0f} s", "", partial(self.length.setValue, s), "narrow") for s in LENGTHS_S]
        self.strength = Slider(
            "From calm to wild",
            tip="How strong accents and ramps are. A reel of this mood is changed at once, while you look.",
        )
        self.gesture = slide(self.strength, project, lambda: "Draft calmer or wilder", self._with_strength)
        self.wild = holder(line("calm", (self.strength, 1), "wild", spacing=6))
        self.ordered, self.over = QCheckBox("footage in its order"), QCheckBox("over the marked stretch only")
        self.ordered.setToolTip("As the shot list has it, or else the shelf")
        self.over.toggled.connect(lambda _: self._show_parts())
        self.go = button("Draft", "", self._go)
        self.go.setProperty("main", True)
        again, own = (
            "Draw again by the mood of the last draft (Ctrl+Shift+D); what is locked stays",
            "Change the chosen mood and keep it under a name of your own",
        )
        self.again = button("Another", again, self._another)
        self.own = button("Own moods …", own, self._ask_own)
        column(
            title,
            self.about,
            self.moods,
            self.does,
            line("about", *usual, None, self.length),
            self.offers,
            self.rule,
            self.wild,
            column(self.ordered, self.over, spacing=2),
            line(self.own, None, self.again, self.go, spacing=6),
            over=self,
            spacing=8,
            margins=(16, 14, 16, 14),
        )

    # Filling

    def show_for(self, reel: Reel, corner: QPoint) -> None:
        """Open at a corner with the reel's own stretch filled in."""
        song, draft = reel.soundtrack, reel.draft
        names = {m.name: m for m in (*MOODS, *own_moods())}
        if draft is not None and draft.mood in names:
            self.mood = names[draft.mood]
        self._fill_moods([*names.values()])
        self.strength.show_value(reel.amount)
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
            self.length.show_value(min(usual_length(reel), song.length_s - song.start_s))
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
            tip = as_tip(mood.does) if mood is not None else "One clip every few beats, your footage in turn"
            made = toggle(mood.name if mood is not None else "plain rule", tip, room="tile")
            made.setChecked(mood is None if self.mood is None else mood is not None and mood.name == self.mood.name)
            made.clicked.connect(partial(self.choose_mood, mood))
            self.mood_group.addButton(made)
            self.moods.addWidget(made, number // ACROSS, number % ACROSS)

    def choose_mood(self, mood: Mood | None, *_: object) -> None:
        """Draft by a mood, or by the plain rule."""
        self.mood = mood
        for made in self.mood_group.buttons():
            made.setChecked(made.text() == (mood.name if mood is not None else "plain rule"))
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
        for made in self.offer_group.buttons():
            made.setEnabled(not over)
        self.length.setEnabled(not over)
        self.adjustSize()

    def _offer_stretches(self) -> None:
        """Offer the stretch that is used, others of about the length that is set, and the whole song made so long."""
        reel = self.project.reel
        song = reel.soundtrack
        if song is None:
            return
        emptied(self.offers)
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
            tip = "Finds which bars to leave out so that the transitions are least heard"
            find = button(
                f"the whole song, made {wanted:.0f} s long …", tip, lambda: self._find_song_edit(find), "line"
            )
            self.offers.addWidget(find)
        self.adjustSize()

    def _offer(self, stretch: DraftStretch, why: str, chosen: bool = False) -> None:
        text = f"{clock_text(stretch.start_s)[:-4]}   {stretch.length_s:.1f} s   {why}"
        if stretch.song_edit is not None:
            text = f"whole song   {stretch.length_s:.1f} s   {why}"
        offer = toggle(text, "", lambda _: self._choose(stretch), "line")
        self.offer_group.addButton(offer)
        self.offers.addWidget(holder(line(tool("play", "Listen to it", partial(self._listen, stretch)), (offer, 1))))
        if chosen:
            offer.setChecked(True)
            self.stretch = stretch

    def _choose(self, stretch: DraftStretch) -> None:
        """Take a stretch, and show where in the song it is."""
        self.stretch = stretch
        if stretch.song_edit is None:
            self.project.selection.mark((stretch.start_s, stretch.start_s + stretch.length_s))

    def _listen(self, stretch: DraftStretch) -> None:
        if stretch.song_edit is not None:
            self.arrange.listen(stretch.song_edit)
        else:
            self._choose(stretch)
            self.arrange.listen_stretch(stretch.start_s, stretch.length_s)

    def _find_song_edit(self, button: QPushButton) -> None:
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

    def _with_strength(self, amount: float) -> ReelEdit | None:
        """A reel that was drafted by this mood is changed while one looks."""
        draft, mood = self.project.reel.draft, self.mood
        if draft is None or mood is None or draft.mood != mood.name:
            return None
        return lambda reel: with_strength(reel, mood, amount)

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
        kept = load_preferences()
        save_preferences(msgspec.structs.replace(kept, draft_length_s=self.length.value()))
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
