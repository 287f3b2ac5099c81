"""The controls of the settings of an accent, or of a transition, made anew for each."""

from __future__ import annotations

from collections.abc import Callable

from PySide6.QtCore import QPoint, Qt
from PySide6.QtWidgets import QGridLayout, QMenu, QWidget

from tempik.desktop.widgets import marks
from tempik.desktop.widgets.controls import Number, Text
from tempik.desktop.widgets.form import SettingsForm, emptied, grid, quiet
from tempik.desktop.widgets.plain import pop_up
from tempik.settings import Setting, Value, by_name

COLUMNS = 2
TEXT_W = 200


class SettingFields(QWidget):
    """Shows settings; `take(name, value)` is called for each edit, `key(name)` to set a key at the playhead, where there are
    keys."""

    def __init__(self, take: Callable[[str, Value], None], key: Callable[[str], None] | None = None) -> None:
        super().__init__()
        self._take, self._key = take, key
        self.form = SettingsForm({})
        self._grid: QGridLayout = grid(over=self, spacing=(6, 3), wide=(1, 3))

    def show_settings(
        self, settings: tuple[Setting, ...], values: dict[str, Value], keyed: frozenset[str] = frozenset()
    ) -> None:
        """Show settings as they are; `keyed` ones are marked."""
        if settings != tuple(self.form.settings.values()):
            self._make(settings)
        for name, control in self.form.controls.items():
            value = values[name]
            control.show_value(str(value).replace(",", ", ") if isinstance(control, Text) else value)
            if isinstance(control, Number):
                marks.mark(control, "keyed", name in keyed)

    def _make(self, settings: tuple[Setting, ...]) -> None:
        emptied(self._grid)
        self.form = SettingsForm(by_name(*settings))
        self.form.edited.connect(self._edited)
        lines = max(-(-len(settings) // COLUMNS), 1)
        for number, (name, control) in enumerate(self.form.controls.items()):
            at, column = number % lines, number // lines
            self._grid.addWidget(quiet(self.form.settings[name].title), at, 2 * column, Qt.AlignmentFlag.AlignRight)
            self._grid.addWidget(control, at, 2 * column + 1)
            if isinstance(control, Text):
                control.setMinimumWidth(TEXT_W)
            if isinstance(control, Number) and self._key is not None:
                control.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
                control.customContextMenuRequested.connect(
                    lambda at, name=name, control=control: self._menu(name, control.mapToGlobal(at))
                )
                control.setToolTip("Right click: set a key at the playhead")
        self._grid.setRowStretch(lines, 1)

    def _menu(self, name: str, at: QPoint) -> None:
        menu, key = QMenu(self), self._key
        assert key is not None
        menu.addAction("Set a key here, at the playhead").triggered.connect(lambda: key(name))
        pop_up(menu, at)

    def _edited(self, name: str, value: Value) -> None:
        self._take(name, value.replace(" ", "") if isinstance(self.form[name], Text) else value)  # type: ignore[union-attr]
