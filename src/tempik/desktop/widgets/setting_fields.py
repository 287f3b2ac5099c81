"""The fields of the settings of an accent, or of a transition, made anew for each."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import (
    QComboBox,
    QDoubleSpinBox,
    QGridLayout,
    QLineEdit,
    QMenu,
    QWidget,
)

from tempik.accents import Setting
from tempik.accents.accent import Value
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.colour_button import ColourButton
from tempik.desktop.widgets.form import quiet
from tempik.desktop.widgets.plain import pop_up
from tempik.desktop.widgets.typed import DecimalSpin

COLUMNS = 2


class SettingFields(QWidget):
    """Shows settings; `take(name, value)` is called for each edit, `key(name)` to set a key at the playhead, where there are
    keys."""

    def __init__(self, take: Callable[[str, Value], None], key: Callable[[str], None] | None = None) -> None:
        super().__init__()
        self._take, self._key = take, key
        self._settings: tuple[Setting, ...] = ()
        self.fields: dict[str, QWidget] = {}
        self.filling = False
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(6)
        self._grid.setVerticalSpacing(3)

    def show_settings(
        self, settings: tuple[Setting, ...], values: dict[str, Value], keyed: frozenset[str] = frozenset()
    ) -> None:
        """Show settings as they are; `keyed` ones are marked."""
        self.filling = True
        if settings != self._settings:
            self._make(settings)
        for setting in settings:
            self._fill(setting, values[setting.name], setting.name in keyed)
        self.filling = False

    def _make(self, settings: tuple[Setting, ...]) -> None:
        self._settings = settings
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        self.fields = {}
        rows = max(-(-len(settings) // COLUMNS), 1)
        for number, setting in enumerate(settings):
            row, column = number % rows, number // rows
            label = quiet(setting.title)
            field = self._field(setting)
            field.setAccessibleName(setting.title)
            self.fields[setting.name] = field
            self._grid.addWidget(label, row, 2 * column, Qt.AlignmentFlag.AlignRight)
            self._grid.addWidget(field, row, 2 * column + 1)
        self._grid.setRowStretch(rows, 1)
        for column in range(2 * COLUMNS):
            self._grid.setColumnStretch(column, column % 2)

    def _field(self, setting: Setting) -> QWidget:
        name = setting.name
        if isinstance(setting.default, str):
            if setting.is_colour:
                colour = ColourButton()
                colour.chosen.connect(lambda value: self._edited(name, value))
                return colour
            if setting.choices:
                box = QComboBox()
                box.addItems(setting.choices)
                marks.room(box, "low")
                box.activated.connect(lambda _: self._edited(name, box.currentText()))
                return box
            line = QLineEdit()
            marks.room(line, "low")
            line.setMinimumWidth(200)
            line.editingFinished.connect(lambda: self._edited(name, line.text().replace(" ", "")))
            return line
        spin = DecimalSpin()
        marks.room(spin, "low")
        spin.setKeyboardTracking(False)
        by = 100 if setting.unit == "%" else 1
        spin.setRange(setting.low * by, setting.high * by)
        fine = (
            setting.unit == "%"
            or setting.high - setting.low > 40
            or setting.unit in ("frames", "bands", "echoes", "steps")
        )
        spin.setDecimals(1 if setting.unit == "%" and setting.high <= 0.3 else 0 if fine else 2)
        spin.setSingleStep(
            0.5
            if setting.unit == "%" and setting.high <= 0.3
            else 5
            if setting.unit in ("%", "°")
            else 1
            if fine
            else 0.1
        )
        spin.setSuffix("" if not setting.unit else f" {setting.unit}")
        spin.valueChanged.connect(lambda value: self._edited(name, value / by))
        key = self._key
        if key is not None:
            spin.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            spin.customContextMenuRequested.connect(lambda at: self._menu(name, key, spin.mapToGlobal(at)))
            spin.setToolTip("Right click: set a key at the playhead")
        return spin

    def _menu(self, name: str, key: Callable[[str], None], at: QPoint) -> None:
        menu = QMenu(self)
        menu.addAction("Set a key here, at the playhead").triggered.connect(lambda: key(name))
        pop_up(menu, at)

    def _fill(self, setting: Setting, value: Value, keyed: bool) -> None:
        field = self.fields[setting.name]
        if isinstance(field, QDoubleSpinBox):
            if not field.hasFocus() or not field.lineEdit().isModified():
                field.setValue(float(value) * (100 if setting.unit == "%" else 1))
            marks.mark(field, "keyed", keyed)
        elif isinstance(field, QComboBox):
            field.setCurrentText(str(value))
        elif isinstance(field, ColourButton):
            field.show_colour(str(value))
        elif isinstance(field, QLineEdit) and not field.hasFocus():
            field.setText(str(value).replace(",", ", "))

    def _edited(self, name: str, value: Value) -> None:
        if not self.filling:
            self._take(name, value)
