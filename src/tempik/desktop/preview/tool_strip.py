"""The row of tools under the preview: what a drag in the picture does."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtWidgets import QSizePolicy, QToolButton, QWidget

from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.form import line
from tempik.desktop.widgets.theme import icon

# Name, sign and tip of each tool, in order.
TOOLS = (
    ("layers", "take", "Select and place layers"),
    (
        "rectangle",
        "rectangle",
        "Draw a mask: drag a rectangle over the selected layer; Shift: a square; Ctrl: from its middle",
    ),
    (
        "ellipse",
        "ellipse",
        "Draw a mask: drag an ellipse over the selected layer; Shift: a circle; Ctrl: from its middle",
    ),
    ("polygon", "corners", "Draw a mask: click its corners; double click closes it"),
    ("keep", "stroke", "Cut out: drag over what is kept"),
    ("drop", "unstroke", "Cut out: drag over what is not kept"),
    ("colour", "colour", "Make a colour clear: click it"),
    ("follow", "follow", "Follow: click the subject that the framing keeps in the frame"),
)
LEAST_W, MOST_W = 24, 32
SIGNS = {name: sign for name, sign, _ in TOOLS}


class ToolStrip(QWidget):
    """Tells which tool is wanted, and shows which is taken."""

    wanted = Signal(str)
    shapes_wanted = Signal()  # the shape of the frame is to be chosen
    alone_wanted = Signal()  # the selected clip is to be seen by itself, in the next of the ways

    def __init__(self) -> None:
        super().__init__()
        self._shown = ""
        self._shape = ("", True)  # as people write it, and whether it is the reel's own
        self.buttons: dict[str, QToolButton] = {}
        for name, _, tip in TOOLS:
            made = QToolButton()
            made.setIconSize(QSize(18, 18))
            made.setFixedHeight(26)
            made.setMinimumWidth(LEAST_W)  # the page beside it needs the room in a small window
            made.setMaximumWidth(MOST_W)
            made.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
            marks.room(made, "none")
            made.setCheckable(True)
            made.setToolTip(tip)
            made.setAccessibleName(tip.split(":")[0] if name == "layers" else f"Tool: {name}")
            made.setFocusPolicy(Qt.FocusPolicy.TabFocus)
            made.clicked.connect(lambda _=False, n=name: self._wanted(n))
            self.buttons[name] = made
        self.shape_button = QToolButton()
        self.shape_button.setFixedSize(42, 26)
        marks.room(self.shape_button, "none")
        self.shape_button.setCheckable(True)
        self.shape_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.shape_button.clicked.connect(self._shapes_wanted)
        self.show_shape("9:16", own=True)
        self.alone_button = QToolButton()
        self.alone_button.setIconSize(QSize(18, 18))
        self.alone_button.setFixedHeight(26)
        self.alone_button.setMinimumWidth(LEAST_W)
        self.alone_button.setMaximumWidth(MOST_W)
        marks.room(self.alone_button, "none")
        self.alone_button.setCheckable(True)
        self.alone_button.setFocusPolicy(Qt.FocusPolicy.TabFocus)
        self.alone_button.clicked.connect(self._alone_asked)
        self._alone = "mask"
        self.show_alone("")
        line(*self.buttons.values(), None, self.alone_button, self.shape_button, over=self, spacing=2)
        self.setFixedHeight(28)
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)
        self.show_tool("layers")

    def _wanted(self, name: str) -> None:
        self.buttons[name].setChecked(name == self._shown)  # it is shown as taken by who takes it
        self.wanted.emit(name)

    def _shapes_wanted(self) -> None:
        self.shape_button.setChecked(not self._shape[1])
        self.shapes_wanted.emit()

    def _alone_asked(self) -> None:
        self.alone_button.setChecked(bool(self._alone))
        self.alone_wanted.emit()

    def show_alone(self, how: str) -> None:
        """Show how the selected clip is seen by itself: '' not at all."""
        if how == self._alone:
            return
        self._alone = how
        self.alone_button.setChecked(bool(how))
        self.alone_button.setIcon(icon("alone", theme.GROUND if how else theme.TEXT))
        now = {"": "all of the frame", "clip": "the selected clip by itself", "mask": "where the selected clip shows"}[
            how
        ]
        self.alone_button.setToolTip(
            f"What is seen: {now} (Alt+X: the next of all, the selected clip alone, where it shows)"
        )
        self.alone_button.setAccessibleName(f"What is seen: {now}")

    def show_shape(self, text: str, own: bool) -> None:
        """Show which shape the frame has, and whether it is the reel's own."""
        if (text, own) == self._shape:
            return
        self._shape = text, own
        self.shape_button.setText(text)
        self.shape_button.setChecked(not own)
        whose = "the reel's own" if own else "what is framed now belongs to this shape alone"
        self.shape_button.setToolTip(f"Shape of the frame: {text}, {whose} (Ctrl+F7: the next)")
        self.shape_button.setAccessibleName(f"Shape of the frame: {text}")

    def show_tool(self, name: str) -> None:
        """Show which tool is taken."""
        if name == self._shown:
            return
        self._shown = name
        for of, made in self.buttons.items():
            made.setChecked(of == name)
            made.setIcon(icon(SIGNS[of], theme.GROUND if of == name else theme.TEXT))
