"""Fields that are typed into: what a person is typing is theirs until it is done, whatever else fills the page meanwhile, such as a job that
ends."""

from __future__ import annotations

from PySide6.QtWidgets import QAbstractSpinBox, QDoubleSpinBox, QLineEdit, QSpinBox


def is_typed(field: QLineEdit | QAbstractSpinBox | None) -> bool:
    """Tell whether a field holds what is being typed and not taken yet."""
    line = field if isinstance(field, QLineEdit) else field.lineEdit() if field is not None else None
    return line is not None and line.hasFocus() and line.isModified()


class Spin(QSpinBox):
    """A whole number to be typed."""

    def setValue(self, value: int) -> None:
        """Show a value, unless another is being typed."""
        if not is_typed(self) or value == self.value():
            super().setValue(value)


class DecimalSpin(QDoubleSpinBox):
    """A number to be typed."""

    def setValue(self, value: float) -> None:
        """Show a value, unless another is being typed."""
        if not is_typed(self):
            super().setValue(value)
