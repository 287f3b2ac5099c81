"""The fields that say what fires a lane of accents or of sounds, and where it may."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QSpinBox, QVBoxLayout, QWidget

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import quiet
from tempik.desktop.widgets.typed import Spin
from tempik.digits import parse_int
from tempik.reel import Limit, Rule
from tempik.rhythm.records import BANDS, Band

KINDS: tuple[tuple[str, str], ...] = (
    ("points", "points"),
    ("bars", "beats of the bar"),
    ("onsets", "onsets"),
    ("drops", "drops"),
    ("cuts", "cuts"),
    ("transitions", "transitions"),
    ("starts", "clip starts"),
    ("ends", "clip ends"),
    ("pins", "pins"),
    ("frames", "frames"),
    ("hand", "painted by hand"),
)
# What fires a lane of sounds: of frames there are too many.
SOUND_KINDS: tuple[tuple[str, str], ...] = (
    *(k for k in KINDS if k[0] not in ("frames", "hand")),
    ("hand", "painted by hand"),
)
BAND_TEXTS: tuple[tuple[str, tuple[Band, ...]], ...] = (
    ("any", BANDS),
    ("kick", ("kick",)),
    ("snare", ("snare",)),
    ("hat", ("hat",)),
    ("kick, snare", ("kick", "snare")),
    ("other", ("other",)),
)
PULSES = "pulses of "
NARROW_PX = 70  # of a field in two lines
PLACES = ("the whole reel", "selected clips", "marked stretch", "selected clips' pictures alone")


class RuleFields(QWidget):
    """`take(rule)` is called for each edit of the rule, `place(number)` when another of `places` is chosen. Beside `kinds` of rules
    there are the pulses of other lanes, where these are told."""

    def __init__(
        self,
        take: Callable[[Rule], None],
        place: Callable[[int], None],
        kinds: Sequence[tuple[str, str]] = KINDS,
        places: Sequence[str] = PLACES,
        two_lines: bool = False,
    ) -> None:
        super().__init__()
        self._take, self._rule = take, Rule()
        self._kinds, self._places = tuple(kinds), tuple(places)
        self._others: tuple[tuple[str, str], ...] = ()
        self.filling = False
        self._make_fields(place)
        self._lay_out(two_lines)
        self.show_rule(Rule(), Limit())

    def _make_fields(self, place: Callable[[int], None]) -> None:
        self.of = QComboBox()
        for _, text in self._kinds:
            self.of.addItem(text)
        self.of.setAccessibleName("What fires the lane")
        self.of.activated.connect(self._of_edited)
        self.every = Spin()
        self.every.setRange(1, 64)
        self.every.setPrefix("every ")
        self.every.setToolTip("Every n-th of them")
        self.every.valueChanged.connect(lambda n: self._edited(every=n, offset=self._rule.offset % n))
        self.offset = Spin()
        self.offset.setRange(0, 63)
        self.offset.setPrefix("from +")
        self.offset.setToolTip("Begin so many later; points are counted from the first downbeat")
        self.offset.valueChanged.connect(lambda n: self._edited(offset=n))
        self.beats = QLineEdit()
        self.beats.setToolTip("Which beats of the bar, such as 2, 4")
        self.beats.setAccessibleName("Beats of the bar")
        self.beats.setFixedWidth(56)
        self.beats.editingFinished.connect(self._beats_edited)
        self.bands = QComboBox()
        for text, _ in BAND_TEXTS:
            self.bands.addItem(text)
        self.bands.setAccessibleName("Which onsets")
        self.bands.activated.connect(lambda n: self._edited(bands=BAND_TEXTS[n][1]))
        self.at_least = Spin()
        self.at_least.setRange(0, 100)
        self.at_least.setPrefix("≥ ")
        self.at_least.setSuffix(" %")
        self.at_least.setToolTip("Only those at least so strong")
        self.at_least.valueChanged.connect(lambda n: self._edited(at_least=n / 100))
        self.place = QComboBox()
        self.place.addItems(list(self._places))
        self.place.setToolTip("Where the lane may fire: mark a stretch with / or on the Rhythm page")
        self.place.setAccessibleName("Where the lane may fire")
        self.place.activated.connect(place)

    def _lay_out(self, two_lines: bool) -> None:
        lines = QVBoxLayout(self)
        lines.setContentsMargins(0, 0, 0, 0)
        lines.setSpacing(4)
        line = QHBoxLayout()
        line.setSpacing(4)
        lines.addLayout(line)
        line.addWidget(quiet("on"))
        for widget in (self.of, self.beats, self.bands, self.every, self.offset, self.at_least):
            marks.room(widget, "low")
            if isinstance(widget, QSpinBox):
                widget.setKeyboardTracking(False)
                if two_lines:
                    widget.setFixedWidth(NARROW_PX)
            if widget is not self.offset or not two_lines:
                line.addWidget(widget)
        if two_lines:
            line.addStretch(1)
            line = QHBoxLayout()
            line.setSpacing(4)
            lines.addLayout(line)
            line.addWidget(self.offset)
        self.last_line = line
        line.addWidget(quiet("in"))
        marks.room(self.place, "low")
        for choice in (self.of, self.place) if two_lines else ():
            choice.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            choice.setMinimumContentsLength(9)
        line.addWidget(self.place)
        line.addStretch(1)

    def show_rule(self, rule: Rule, limit: Limit, alone: bool = False) -> None:
        """Show a lane's rule and limit."""
        self.filling = True
        self._rule = rule
        kinds = [k for k, _ in self._kinds]
        rows = [row for row, _ in self._others]
        if rule.of == "pulses" and rule.lane in rows:
            self.of.setCurrentIndex(len(kinds) + rows.index(rule.lane))
        else:
            self.of.setCurrentIndex(kinds.index(rule.of) if rule.of in kinds else len(kinds) - 1)
        self.every.setValue(rule.every)
        self.offset.setMaximum(max(rule.every - 1, 0))
        self.offset.setValue(rule.offset)
        self.at_least.setValue(round(rule.at_least * 100))
        if not self.beats.hasFocus():
            self.beats.setText(", ".join(map(str, rule.beats)))
        self.bands.setCurrentIndex(next((i for i, (_, b) in enumerate(BAND_TEXTS) if b == rule.bands), 0))
        by_hand = rule.of == "hand"
        self.beats.setVisible(rule.of == "bars")
        self.bands.setVisible(rule.of == "onsets")
        self.every.setVisible(not by_hand)
        self.offset.setVisible(rule.every > 1 and not by_hand)
        self.at_least.setVisible(rule.of in ("points", "bars", "onsets", "cuts", "transitions", "pins", "pulses"))
        self.place.setCurrentIndex(
            3 if alone else 1 if limit.clips else 2 if limit.from_s is not None or limit.to_s is not None else 0
        )
        many = f"{len(limit.clips)} clip{'s' if len(limit.clips) > 1 else ''}"
        self.place.setItemText(1, many if limit.clips else self._places[1])
        if len(self._places) > 3:
            self.place.setItemText(3, f"{many}: their picture alone" if alone else self._places[3])
        self.filling = False

    def tell_lanes(self, rows: Sequence[tuple[str, str]]) -> None:
        """Say which other lanes there are, by id and name: their pulses can fire this one."""
        if tuple(rows) != self._others:
            self._others = tuple(rows)
            while self.of.count() > len(self._kinds):
                self.of.removeItem(self.of.count() - 1)
            self.of.addItems([PULSES + name for _, name in rows])

    def _of_edited(self, number: int) -> None:
        if number < len(self._kinds):
            self._edited(of=self._kinds[number][0], lane="")
        else:
            self._edited(of="pulses", lane=self._others[number - len(self._kinds)][0])

    def _beats_edited(self) -> None:
        numbers = [n for t in self.beats.text().replace(",", " ").split() if 0 < (n := parse_int(t) or 0) <= 32]
        if numbers:
            self._edited(beats=tuple(sorted(set(numbers))))
        else:
            self.show_rule(self._rule, Limit())

    def _edited(self, **changes: object) -> None:
        made = replace(self._rule, **changes)
        if not self.filling and made != self._rule:
            self._take(made)
