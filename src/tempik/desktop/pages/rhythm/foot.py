"""The line below the wave: what is selected, and what can be done to it; or what was tapped."""

from __future__ import annotations

from PySide6.QtCore import Qt
from PySide6.QtWidgets import QPushButton, QSizePolicy, QWidget

from tempik.desktop.commands.points import PointCommands
from tempik.desktop.commands.rhythm import RhythmCommands
from tempik.desktop.session.document import Project
from tempik.desktop.widgets.controls import control_of
from tempik.desktop.widgets.form import button, line, quiet
from tempik.desktop.widgets.plain import Label
from tempik.digits import plural
from tempik.rhythm.taps import FEWEST, read_taps
from tempik.settings import Setting

STRENGTH = Setting("strength", "strength", 1.0, step=1, does="Strength of the selected points")
LOCK = 4  # the place of its button


class Foot(QWidget):
    """Shows the selected points, or the taps that are not taken yet."""

    def __init__(self, project: Project, commands: RhythmCommands, points: PointCommands) -> None:
        super().__init__()
        self.project, self.commands = project, commands
        self.selection, self.taps = quiet(""), Label()
        self.strength = control_of(STRENGTH, 62)
        self.strength.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.strength.told.connect(points.set_strength)
        anchor = "Hold the grid to this beat; with two, it is refitted between and beyond (H)"
        self.for_points = [
            _button("−1", "A millisecond earlier (,)", points.nudge_back),
            _button("+1", "A millisecond later (.)", points.nudge_on),
            _button("attack", "Snap to the attack (N)", points.snap_points),
            _button("anchor", anchor, points.anchor_point),
            _button("lock", "Lock, so that nothing moves it (Shift+H)", points.lock_points),
            _button("word …", "A word for the point, such as a sung line's (W)", points.name_point),
            _button("take out", "Take the points out of use (Delete)", points.remove_points),
        ]
        meant, less = (
            "Place the taps on the attacks they are meant for",
            "Place the taps where they are, less your lateness",
        )
        self.for_taps = [
            _button("points on attacks", meant, lambda: commands.take_taps(True)),
            _button("points as tapped", less, lambda: commands.take_taps(False)),
            _button("a tempo", "Read the whole song by the tapped tempo", commands.take_tempo),
            _button("forget", "Forget the taps", commands.forget_taps),
        ]
        line(self.selection, *self.for_points, self.strength, self.taps, *self.for_taps, None, over=self)
        # What is offered for a selection must not push the preview aside.
        self.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Fixed)
        self.setFixedHeight(28)

    def refill(self) -> None:
        """Show what is selected, or tapped."""
        chosen, tapping = self.project.selection.points_of(), bool(self.commands.taps)
        for widget in (*self.for_points, self.strength):
            widget.setVisible(bool(chosen) and not tapping)
        for widget in (*self.for_taps, self.taps):
            widget.setVisible(tapping)
        self.selection.setVisible(not tapping)
        self.selection.setText(self._text())
        if chosen:
            self.strength.show_value(sum(p.strength for p in chosen) / len(chosen))
            self.for_points[LOCK].setText("unlock" if all(p.locked for p in chosen) else "lock")
        if tapping:
            self._show_taps()

    def _text(self) -> str:
        chosen, count = self.project.selection.points_of(), len(self.project.timeline.points)
        if len(chosen) == 1:
            return f"{chosen[0].label}  {chosen[0].time_s:.3f} s"
        if chosen:
            return plural(len(chosen), "point")
        if self.project.reel.soundtrack is None:
            return ""
        how = (
            "drag the bar numbers to mark a stretch" if count else "tap T along while it plays, or place points with P"
        )
        return f"{plural(count, 'point')} in use · {how}"

    def _show_taps(self) -> None:
        song, count = self.project.reel.soundtrack, len(self.commands.taps)
        text = plural(count, "tap")
        if song is not None and song.heard is not None and count >= FEWEST:
            late = read_taps(self.commands.taps, song.heard.onsets).late_s
            text += f", {abs(late) * 1000:.0f} ms {'late' if late >= 0 else 'early'}"
        self.taps.setText(text + ":")
        self.for_taps[2].setEnabled(count >= FEWEST)


def _button(text: str, tip: str, act: object) -> QPushButton:
    made = button(text, tip, act, "wide")  # type: ignore[arg-type]
    made.setAccessibleName(tip)
    made.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    return made
