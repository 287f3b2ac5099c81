"""The controls that say what fires a lane of accents or of sounds, and where it may."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from msgspec.structs import replace
from PySide6.QtWidgets import QWidget

from tempik.desktop.widgets.controls import Dropdown, Text
from tempik.desktop.widgets.form import SettingsForm, column, line, low
from tempik.digits import parse_int, plural
from tempik.reel import Limit, Rule
from tempik.reel.lanes import RULE_SETTINGS
from tempik.rhythm.records import BANDS

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
SOUND_KINDS: tuple[tuple[str, str], ...] = tuple(k for k in KINDS if k[0] != "frames")
BAND_TEXTS = (
    (BANDS, "any"),
    (("kick",), "kick"),
    (("snare",), "snare"),
    (("hat",), "hat"),
    (("kick", "snare"), "kick, snare"),
    (("other",), "other"),
)
NARROW_PX = 70  # of a field in two lines
BEATS_PX = 56
PLACES = ("the whole reel", "selected clips", "marked stretch", "selected clips' pictures alone")
# Kinds of rules whose events have a strength.
STRONG = ("points", "bars", "onsets", "cuts", "transitions", "pins", "pulses")


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
        letters = 9 if two_lines else 0
        self.of, self.bands, self.place = Dropdown(letters=letters), Dropdown(BAND_TEXTS, 0), Dropdown(letters=letters)
        self.of.setAccessibleName("What fires the lane")
        self.bands.setAccessibleName("Which onsets")
        self.place.setToolTip("Where the lane may fire: mark a stretch with / or on the Rhythm page")
        self.place.setAccessibleName("Where the lane may fire")
        self.beats = Text()
        self.beats.setToolTip("Which beats of the bar, such as 2, 4")
        self.beats.setAccessibleName("Beats of the bar")
        self.beats.setFixedWidth(BEATS_PX)
        self.form = SettingsForm(RULE_SETTINGS, widths=NARROW_PX if two_lines else 0)
        self.every, self.offset, self.at_least = (self.form[name] for name in ("every", "offset", "at_least"))
        self.every.setPrefix("every ")
        self.offset.setPrefix("from +")
        self.at_least.setPrefix("≥ ")
        low(self.of, self.beats, self.bands, self.place)
        self.tell_lanes(())
        self.of.told.connect(lambda of: self._edited(of="pulses" if of[1] else of[0], lane=of[1]))
        self.bands.told.connect(lambda bands: self._edited(bands=bands))
        self.beats.told.connect(self._beats_edited)
        self.place.told.connect(place)
        self.every.told.connect(lambda n: self._edited(every=int(n), offset=self._rule.offset % int(n)))
        self.offset.told.connect(lambda n: self._edited(offset=int(n)))
        self.at_least.told.connect(lambda share: self._edited(at_least=share))
        self._lay_out(two_lines)
        self.show_rule(Rule(), Limit())

    def _lay_out(self, two_lines: bool) -> None:
        first = ("on", self.of, self.beats, self.bands, self.every)
        if two_lines:
            self.last_line = line(self.offset, "in", self.place, None)
            column(line(*first, self.at_least, None), self.last_line, over=self)
        else:
            self.last_line = line(*first, self.offset, self.at_least, "in", self.place, None, over=self)

    def show_rule(self, rule: Rule, limit: Limit, alone: bool = False) -> None:
        """Show a lane's rule and limit."""
        self._rule = rule
        gone = "pulses of a lane that is gone" if rule.of == "pulses" else f"{rule.of}, of a newer version"
        self.of.show_value((rule.of, rule.lane if rule.of == "pulses" else ""), gone)
        self.offset.setMaximum(max(rule.every - 1, 0))
        self.form.show_record(rule)
        self.beats.show_value(", ".join(map(str, rule.beats)))
        self.bands.show_value(rule.bands)
        by_hand = rule.of == "hand"
        self.beats.setVisible(rule.of == "bars")
        self.bands.setVisible(rule.of == "onsets")
        self.every.setVisible(not by_hand)
        self.offset.setVisible(rule.every > 1 and not by_hand)
        self.at_least.setVisible(rule.of in STRONG)
        titles, many = [*self._places], plural(len(limit.clips), "clip")
        if limit.clips:
            titles[1] = many
        if alone:
            titles[3:] = [f"{many}: their picture alone"]
        self.place.show_choices(enumerate(titles))
        self.place.show_value(3 if alone else 1 if limit.clips else 0 if limit == Limit() else 2)

    def tell_lanes(self, lanes: Sequence[tuple[str, str]]) -> None:
        """Say which other lanes there are, by id and name: their pulses can fire this one."""
        kinds = [((of, ""), title) for of, title in self._kinds]
        self.of.show_choices([*kinds, *((("pulses", name), f"pulses of {title}") for name, title in lanes)])

    def _beats_edited(self, text: str) -> None:
        numbers = [n for t in text.replace(",", " ").split() if 0 < (n := parse_int(t) or 0) <= 32]
        if numbers:
            self._edited(beats=tuple(sorted(set(numbers))))
        else:
            self.show_rule(self._rule, Limit())

    def _edited(self, **changes: object) -> None:
        made = replace(self._rule, **changes)
        if made != self._rule:
            self._take(made)
