"""The controls of a grade by subject. Each pane tells what is dragged, settled and set at once by the grade's own fields."""

from __future__ import annotations

from pathlib import Path

from PySide6.QtCore import Signal
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.grade import GradeCommands
from tempik.desktop.pages.grade.curve_graph import CurveGraph
from tempik.desktop.pages.grade.sliders import Sliders
from tempik.desktop.pages.grade.wheels import Wheels
from tempik.desktop.widgets.controls import ColourButton, Dropdown
from tempik.desktop.widgets.form import button, column, line, low, quiet
from tempik.grade.scopes import Histogram
from tempik.reel import Grade
from tempik.reel.grade import AMOUNTS, NEUTRAL

AROUND = (0, 2, 6, 2)
CURVE_TITLES = {
    "luma_curve": "luma", "red_curve": "red", "green_curve": "green", "blue_curve": "blue",
    "hue_saturation": "colour by hue", "hue_hue": "hue by hue",
}  # fmt: skip


class GradePane(QWidget):
    """`dragged(fields)` while something moves, `settled(what)` after it, `typed(what, fields)` for what is set at once."""

    dragged = Signal(dict)
    settled = Signal(str)
    typed = Signal(str, dict)

    def show_grade(self, grade: Grade) -> None:
        """Show a grade."""
        raise NotImplementedError

    def _pass_on(self, sliders: Sliders) -> Sliders:
        sliders.dragged.connect(lambda name, value: self.dragged.emit({name: value}))
        sliders.settled.connect(self.settled)
        sliders.typed.connect(lambda name, value: self.typed.emit(AMOUNTS[name].title, {name: value}))
        return sliders


class _SliderPane(GradePane):
    """A pane of nothing but numbers."""

    NAMES: tuple[str, ...] = ()

    def __init__(self) -> None:
        super().__init__()
        self.sliders = self._pass_on(Sliders(self.NAMES))
        column(self.sliders, over=self, margins=AROUND)

    def show_grade(self, grade: Grade) -> None:
        self.sliders.show_grade(grade)


class LightPane(_SliderPane):
    """Exposure, white and tones."""

    NAMES = (
        "exposure", "contrast", "temperature", "tint", "whites", "highlights", "shadows", "blacks", "fade",
    )  # fmt: skip


class EffectsPane(_SliderPane):
    """What is more than colour."""

    NAMES = (
        "vignette", "vignette_size", "glow", "glow_from", "glow_size", "soft", "soft_size", "sharpen", "sharpen_size", "grain",
        "grain_size", "grain_colour", "fringe",
    )  # fmt: skip


class ColourPane(GradePane):
    """Saturation, hue, monochrome, split tone, and the LUT."""

    NAMES = (
        "saturation", "gentle", "hue_deg", "split", "mono", "mono_red", "mono_green", "mono_blue",
    )  # fmt: skip

    def __init__(self, commands: GradeCommands) -> None:
        super().__init__()
        self.sliders = self._pass_on(Sliders(self.NAMES))
        self.dark, self.light = ColourButton("What dark parts go to"), ColourButton("What light parts go to")
        self.dark.chosen.connect(lambda value: self.typed.emit("split tone", {"split_dark": value}))
        self.light.chosen.connect(lambda value: self.typed.emit("split tone", {"split_light": value}))
        read, no = "Read a .cube file: what a camera's or a printer's maker gives", "Without the LUT"
        self.lut = button("LUT …", read, commands.read_lut, "low")
        self.no_lut = button("off", no, lambda: commands.set_lut(""), "low")
        self.write = button(
            "Write …", "Write what the grade does to colours as a .cube file", commands.write_lut, "low"
        )
        self.of_lut = self._pass_on(Sliders(("lut_amount",), 1))
        row = line("split tone", self.dark, self.light, self.lut, self.no_lut, (self.of_lut, 1), self.write, spacing=5)
        column(self.sliders, row, None, over=self, spacing=5, margins=AROUND)

    def show_grade(self, grade: Grade) -> None:
        self.sliders.show_grade(grade)
        self.of_lut.show_grade(grade)
        self.dark.show_colour(grade.split_dark)
        self.light.show_colour(grade.split_light)
        self.lut.setText(Path(grade.lut).stem[:18] if grade.lut else "LUT …")
        self.no_lut.setEnabled(bool(grade.lut))
        self.of_lut.setEnabled(bool(grade.lut))


class CurvesPane(GradePane):
    """One of the curves at a time."""

    def __init__(self) -> None:
        super().__init__()
        self._grade = NEUTRAL
        self.graph = CurveGraph()
        self.choice = Dropdown(CURVE_TITLES.items(), 0)
        low(self.choice)
        self.choice.setToolTip("Which curve is shown")
        self.choice.told.connect(lambda _: self.show_grade(self._grade))
        self.back = button("Back to straight", "No points in this curve", self._straight, "low")
        self.used = quiet("", wraps=True)
        self.graph.changed.connect(lambda dots: self.dragged.emit({self.name: dots}))
        self.graph.settled.connect(lambda: self.settled.emit(f"{CURVE_TITLES[self.name]} curve"))
        side = column(self.choice, self.back, self.used, None, spacing=5)
        line(side, (self.graph, 1), over=self, spacing=8, margins=AROUND)

    @property
    def name(self) -> str:
        """The field of the curve that is shown."""
        return str(self.choice.currentData())

    def show_counts(self, counts: Histogram | None) -> None:
        """Show how often each value stands in the frame, behind the curve; None shows nothing."""
        self.graph.show_counts(counts)

    def show_grade(self, grade: Grade) -> None:
        self._grade = grade
        self.graph.show_curve(self.name, getattr(grade, self.name))
        self.back.setEnabled(bool(getattr(grade, self.name)))
        bent = [text for name, text in CURVE_TITLES.items() if getattr(grade, name)]
        self.used.setText(f"bent: {', '.join(bent)}" if bent else "")

    def _straight(self) -> None:
        self.typed.emit(f"{CURVE_TITLES[self.name]} curve straight", {self.name: ()})


class BalancePane(GradePane):
    """The three-way balance."""

    def __init__(self) -> None:
        super().__init__()
        self.wheels = Wheels()
        self.wheels.dragged.connect(lambda name, wheel: self.dragged.emit({name: wheel}))
        self.wheels.settled.connect(self.settled)
        self.wheels.typed.connect(lambda name, wheel: self.typed.emit("balance", {name: wheel}))
        column(self.wheels, over=self, margins=AROUND)

    def show_grade(self, grade: Grade) -> None:
        self.wheels.show_grade(grade)
