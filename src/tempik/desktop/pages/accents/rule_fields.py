"""The fields that say what fires an accent row, and where it may."""

from __future__ import annotations

from collections.abc import Callable

from msgspec.structs import replace
from PySide6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QSpinBox, QWidget

from tempik.desktop.widgets.form import LOW, quiet
from tempik.digits import whole
from tempik.reel import Limit, Rule
from tempik.rhythm.records import BANDS, Band

KINDS: tuple[tuple[str, str], ...] = (
    ("points", "points"),
    ("bars", "beats of the bar"),
    ("onsets", "onsets"),
    ("drops", "drops"),
    ("cuts", "cuts"),
    ("starts", "clip starts"),
    ("ends", "clip ends"),
    ("pins", "pins"),
    ("frames", "frames"),
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
PLACES = ("the whole reel", "selected clips", "marked stretch", "selected clips' pictures alone")


class RuleFields(QWidget):
    """`take(rule)` is called for each edit of the rule, `place(number)` when another of PLACES is chosen."""

    def __init__(self, take: Callable[[Rule], None], place: Callable[[int], None]) -> None:
        super().__init__()
        self._take, self._rule = take, Rule()
        self.filling = False
        self.of = QComboBox()
        for _, text in KINDS:
            self.of.addItem(text)
        self.of.setAccessibleName("What fires the row")
        self.of.activated.connect(lambda n: self._edited(of=KINDS[n][0]))
        self.every = QSpinBox()
        self.every.setRange(1, 64)
        self.every.setPrefix("every ")
        self.every.setToolTip("Every n-th of them")
        self.every.valueChanged.connect(lambda n: self._edited(every=n, offset=self._rule.offset % n))
        self.offset = QSpinBox()
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
        self.at_least = QSpinBox()
        self.at_least.setRange(0, 100)
        self.at_least.setPrefix("≥ ")
        self.at_least.setSuffix(" %")
        self.at_least.setToolTip("Only those at least so strong")
        self.at_least.valueChanged.connect(lambda n: self._edited(at_least=n / 100))
        self.place = QComboBox()
        self.place.addItems(PLACES)
        self.place.setToolTip("Where the row may fire: mark a stretch with / or on the Rhythm page")
        self.place.setAccessibleName("Where the row may fire")
        self.place.activated.connect(place)
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(4)
        line.addWidget(quiet("on"))
        for widget in (self.of, self.beats, self.bands, self.every, self.offset, self.at_least):
            widget.setStyleSheet(LOW)
            if isinstance(widget, QSpinBox):
                widget.setKeyboardTracking(False)
            line.addWidget(widget)
        line.addWidget(quiet("in"))
        self.place.setStyleSheet(LOW)
        line.addWidget(self.place)
        line.addStretch(1)

    def show_rule(self, rule: Rule, limit: Limit, alone: bool = False) -> None:
        """Show a row's rule and limit."""
        self.filling = True
        self._rule = rule
        kinds = [k for k, _ in KINDS]
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
        self.at_least.setVisible(rule.of in ("points", "bars", "onsets", "cuts", "pins"))
        self.place.setCurrentIndex(
            3 if alone else 1 if limit.clips else 2 if limit.from_s is not None or limit.to_s is not None else 0
        )
        many = f"{len(limit.clips)} clip{'s' if len(limit.clips) > 1 else ''}"
        self.place.setItemText(1, many if limit.clips else PLACES[1])
        self.place.setItemText(3, f"{many}: their picture alone" if alone else PLACES[3])
        self.filling = False

    def _beats_edited(self) -> None:
        numbers = [n for t in self.beats.text().replace(",", " ").split() if 0 < (n := whole(t) or 0) <= 32]
        if numbers:
            self._edited(beats=tuple(sorted(set(numbers))))
        else:
            self.show_rule(self._rule, Limit())

    def _edited(self, **changes: object) -> None:
        made = replace(self._rule, **changes)
        if not self.filling and made != self._rule:
            self._take(made)
