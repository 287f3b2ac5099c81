"""The envelope of a lane: drawn, and its lengths typed in the units they are measured in."""

from __future__ import annotations

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal

from tempik.accents.envelope import in_frames
from tempik.desktop.pages.accents.envelope_graph import Against, EnvelopeGraph
from tempik.desktop.widgets.controls import Dropdown, Number, control_of
from tempik.desktop.widgets.form import Part, line, low
from tempik.reel import Envelope, Length
from tempik.settings import Setting

UNITS = (("frames", "f"), ("ms", "ms"), ("gap", "% gap"), ("clip", "% clip"))
PARTS = ("lead", "hold", "decay")
SHARES = ("gap", "clip")  # units that are shown as percent


class EnvelopeFields(QObject):
    """`dragged` carries the envelope while it is drawn, `settled` ends that, `typed` carries one that was typed. `line` has the lengths."""

    dragged = Signal(object)
    settled = Signal()
    typed = Signal(object)

    def __init__(self) -> None:
        super().__init__()
        self._shown, self._against = Envelope(), Against()
        self.graph = EnvelopeGraph()
        self.graph.changed.connect(self.dragged)
        self.graph.settled.connect(self.settled)
        self.lengths: dict[str, tuple[Number, Dropdown]] = {}
        parts: list[Part] = []
        for name in PARTS:
            spin = control_of(Setting(name, f"{name} of the envelope", 0.0, 0, 120_000, "", digits=0, step=1), 54)
            unit = Dropdown(UNITS)
            unit.setAccessibleName(f"unit of the {name}")
            unit.setFixedWidth(68)
            low(unit)
            spin.told.connect(lambda shown, name=name: self._length_typed(name, shown))
            unit.told.connect(lambda unit, name=name: self._unit_chosen(name, unit))
            self.lengths[name] = spin, unit
            parts += [name, spin, unit]
        self.line = line(*parts, None)

    def show_envelope(self, envelope: Envelope, against: Against, enabled: bool) -> None:
        """Show an envelope beside what its lengths are measured against."""
        self._shown, self._against = envelope, against
        self.graph.setEnabled(enabled)
        self.graph.show_envelope(envelope, against)
        for name, (spin, unit) in self.lengths.items():
            length: Length = getattr(envelope, name)
            spin.show_value(length.value * (100 if length.unit in SHARES else 1))
            unit.show_value(length.unit)
            spin.setEnabled(enabled)
            unit.setEnabled(enabled)

    def _length_typed(self, name: str, shown: float) -> None:
        old: Length = getattr(self._shown, name)
        length = replace(old, value=shown / (100 if old.unit in SHARES else 1))
        self.typed.emit(replace(self._shown, **{name: length}))

    def _unit_chosen(self, name: str, unit: str) -> None:
        """Measure a length otherwise; it stays as long as it is now."""
        one = in_frames(Length(1.0, unit), *self._against)  # type: ignore[arg-type]
        value = in_frames(getattr(self._shown, name), *self._against) / one if one > 0 else 0.0
        value = round(value, 3 if unit in SHARES else 0)
        length = Length(min(value, 1.0) if unit == "clip" else value, unit)  # type: ignore[arg-type]
        self.typed.emit(replace(self._shown, **{name: length}))
