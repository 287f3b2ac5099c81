"""What the plain rule of drafting asks for: a clip every few beats, and which accents."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QWidget

from tempik.accents import CATALOGUE
from tempik.desktop.widgets.controls import Dropdown, Number, control_of
from tempik.desktop.widgets.form import Part, grid
from tempik.digits import plural
from tempik.edit.draft import RuleDraftOptions
from tempik.reel import Reel
from tempik.reel.lanes import RULE_SETTINGS

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
