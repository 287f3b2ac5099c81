"""What the plain rule of drafting asks for: a clip every few beats, and which accents."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QCheckBox, QComboBox, QFormLayout, QHBoxLayout, QSpinBox, QWidget

from tempik.accents import CATALOGUE
from tempik.desktop.widgets.plain import Label
from tempik.desktop.widgets.typed import Spin
from tempik.edit.draft import RuleDraftOptions
from tempik.reel import Reel

# Which accents are offered ticked, and on every how many points.
OFFERED = {"flash": (True, 4), "shake": (True, 2), "punch": (True, 4), "kick": (False, 2)}


class PlainRuleFields(QWidget):
    """The fields of the plain rule."""

    def __init__(self) -> None:
        super().__init__()
        self.every = QComboBox()
        for n in (1, 2, 4, 8):
            self.every.addItem(f"{n} beat{'s' if n > 1 else ''}", n)
        self.every.setCurrentIndex(2)
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        form.addRow(Label("one clip every"), self.every)
        self.accents: dict[str, tuple[QCheckBox, QSpinBox]] = {}
        for name, (ticked, every) in OFFERED.items():
            tick, count = QCheckBox(CATALOGUE[name].title), Spin()
            tick.setChecked(ticked)
            count.setRange(1, 64)
            count.setValue(every)
            count.setPrefix("every ")
            count.setAlignment(Qt.AlignmentFlag.AlignCenter)
            row = QHBoxLayout()
            row.addWidget(tick, 1)
            row.addWidget(count)
            form.addRow(row)
            self.accents[name] = (tick, count)

    def options(self, start_s: float, length_s: float, reel: Reel) -> RuleDraftOptions:
        """Return what is asked for, of a stretch of the song."""
        return RuleDraftOptions(
            every=int(self.every.currentData()),
            start_s=start_s,
            length_s=length_s,
            width=reel.width,
            height=reel.height,
            rate=reel.rate,
            accents=tuple((name, count.value()) for name, (box, count) in self.accents.items() if box.isChecked()),
        )
