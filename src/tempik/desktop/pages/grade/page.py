"""The Grade page: what is graded on top, its controls by subject on the left, a scope of the frame on the right."""

from __future__ import annotations

import numpy as np
from PySide6.QtCore import QBuffer, QByteArray, QIODevice, QPoint, Qt
from PySide6.QtGui import QImage, QPixmap
from PySide6.QtWidgets import (
    QButtonGroup,
    QHBoxLayout,
    QInputDialog,
    QMenu,
    QPushButton,
    QScrollArea,
    QStackedWidget,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.pages.grade.across import AcrossRow
from tempik.desktop.pages.grade.look_tiles import LookTile, LookTiles
from tempik.desktop.pages.grade.panes import BalancePane, ColourPane, CurvesPane, EffectsPane, GradePane, LightPane
from tempik.desktop.pages.grade.scope_view import ScopeView
from tempik.desktop.pages.grade.split_tool import SplitTool, after_of
from tempik.desktop.pages.page import Page, PageContext
from tempik.desktop.preview.mode import PreviewMode
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import toggle
from tempik.desktop.widgets.plain import Label, in_menu, pop_up
from tempik.desktop.widgets.tile_grid import Chooser
from tempik.digits import plural
from tempik.edit.grading.grades import Whose
from tempik.errors import TempikError
from tempik.project.looks import removed_look
from tempik.reel import by_id
from tempik.timeline.placed_clip import source_at_frames

SCOPE_W, LEAST_SCOPE_W, ROOMY = 250, 190, 800
TARGETS: tuple[tuple[Whose, str, str], ...] = (
    ("reel", "reel", "The look of the whole reel, over all clips"),
    ("clips", "clips", "The selected clips, each by itself"),
    ("footage", "footage", "The clip's footage, wherever it is shown: what makes it normal"),
)
SUBJECTS = ("Looks", "Light", "Colour", "Curves", "Balance", "Effects")


class GradePage(Page):
    """Grades the reel, the selected clips, or footage."""

    name, title, key = "grade", "Grade", "F12"

    def __init__(self, context: PageContext) -> None:
        super().__init__(context)
        self.commands = context.grading
        self.tool = SplitTool(context.transport)
        self.scope = ScopeView()
        self.scope.setFixedWidth(SCOPE_W)
        self.tiles = LookTiles()
        self.panes: dict[str, GradePane] = {
            "Light": LightPane(), "Colour": ColourPane(self.commands), "Curves": CurvesPane(), "Balance": BalancePane(),
            "Effects": EffectsPane(),
        }  # fmt: skip
        self.across = AcrossRow(context)
        self.targets: dict[Whose, QPushButton] = {}
        self.subjects: dict[str, QPushButton] = {}
        self.stack = QStackedWidget(self)
        self._lay_out()
        self._wire()

    def _lay_out(self) -> None:
        top = QHBoxLayout()
        top.setSpacing(4)
        self._groups = (QButtonGroup(self), QButtonGroup(self))
        for whose, text, tip in TARGETS:
            made = toggle(text, tip)
            self._groups[0].addButton(made)
            made.clicked.connect(lambda _=False, w=whose: self.commands.set_whose(w))
            self.targets[whose] = made
            top.addWidget(made)
        top.addSpacing(6)
        top.addWidget(self.across, 1)
        subjects = QHBoxLayout()
        subjects.setSpacing(2)
        for number, text in enumerate(SUBJECTS):
            made = toggle(text, f"{text} of the grade")
            self._groups[1].addButton(made)
            made.clicked.connect(lambda _=False, n=number: self.show_subject(n))
            self.subjects[text] = made
            subjects.addWidget(made)
        subjects.addStretch(1)
        self.message = Label()
        subjects.addWidget(self.message)
        self.looks = Chooser(self.tiles)
        self.looks.fit()
        self.stack.addWidget(self.looks)
        for pane in self.panes.values():
            self.stack.addWidget(_scrolled(pane, self.stack))
        left = QVBoxLayout()
        left.setSpacing(5)
        left.addLayout(top)
        left.addLayout(subjects)
        left.addWidget(self.stack, 1)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(12, 6, 12, 8)
        whole.setSpacing(12)
        whole.addLayout(left, 1)
        whole.addWidget(self.scope)
        self.subjects["Looks"].setChecked(True)

    def _wire(self) -> None:
        commands, project = self.commands, self.project
        for pane in self.panes.values():
            pane.dragged.connect(lambda fields: commands.show_fields(**fields))
            pane.settled.connect(lambda what: commands.settle(f"Grade: {what}"))
            pane.typed.connect(lambda what, fields: commands.set_fields(f"Grade: {what}", **fields))
        self.tiles.picked.connect(self._take)
        self.tiles.pointed.connect(self._point)
        self.tiles.menu_wanted.connect(self._look_menu)
        self.scope.counted.connect(self.curves.show_counts)
        project.changed.connect(self.want)
        project.selection.selected.connect(self.want)
        project.playhead.moved.connect(lambda _: self._frame_moved())
        commands.target_changed.connect(self.want)
        commands.looks_changed.connect(self._other_looks)
        commands.compared.connect(self._compare)
        commands.reference_wanted.connect(self._keep_reference)
        self.across.keep_wanted.connect(self.keep_look)
        self.context.transport.image_shown.connect(self._image_shown)
        self.context.filmstrips.changed.connect(self._frame_moved)

    @property
    def curves(self) -> CurvesPane:
        """The pane of curves."""
        pane = self.panes["Curves"]
        assert isinstance(pane, CurvesPane)
        return pane

    def room_changed(self, width: int) -> None:
        self.scope.setFixedWidth(SCOPE_W if width > ROOMY else LEAST_SCOPE_W)
        self.tiles.show_columns(max(2, (width - self.scope.width() - 60) // (self.tiles.tile.width() + self.tiles.gap)))
        self.looks.fit()

    def show_subject(self, number: int) -> None:
        """Show the controls of a subject."""
        self.subjects[SUBJECTS[number]].setChecked(True)
        self.stack.setCurrentIndex(number)

    def preview_mode(self) -> PreviewMode:
        return PreviewMode(tool=self.tool if self.commands.split else None)

    def entered(self) -> None:
        self._compare()
        self.context.transport.show_frame(self.project.playhead.frame)
        self._frame_moved()

    def left(self) -> None:
        self.project.compare(None)
        self.context.transport.frames.set_both(False)
        self.context.transport.resized()

    def refill(self) -> None:
        commands = self.commands
        grade, where = commands.grade(), commands.where()
        self.targets[commands.whose].setChecked(True)
        lacking = commands.whose != "reel" and not where.ids
        self.message.setText(self._about() if not lacking else "select a clip first")
        marks.ink(self.message, "warning" if lacking else "quiet")
        for pane in self.panes.values():
            pane.setEnabled(not lacking)
            pane.show_grade(grade)
        self.tiles.show_used(grade)
        self.across.refill()

    def _about(self) -> str:
        """Whose grade is shown, in a few words."""
        where, reel = self.commands.where(), self.project.reel
        if where.whose == "reel":
            return "grades the whole reel"
        if len(where.ids) > 1:
            return f"grades {plural(len(where.ids), 'clip' if where.whose == 'clips' else 'file')}"
        if where.whose == "clips":
            placed = self.project.timeline.placed_clip(where.ids[0])
            return f"grades the clip {placed.footage.name}" if placed is not None else ""
        piece = by_id(reel.footage, where.ids[0])
        count = sum(c.footage == where.ids[0] for c in reel.clips)
        return f"grades {piece.name}, {plural(count, 'clip')}" if piece is not None else ""

    def _image_shown(self, image: QImage | None) -> None:
        self.tool.show_image(image)
        self.scope.show_image(image)

    # Looks

    def _frame_moved(self) -> None:
        if not self.isVisible():
            return
        timeline, frame = self.project.timeline, self.project.playhead.frame
        under = [p for p in timeline.clips_at(frame) if not p.footage.without_file] if timeline.frames else []
        pixmap: QPixmap | None = None
        if under:
            source = float(source_at_frames(under[0], np.array([float(frame)]), timeline.rate)[0])
            pixmap = self.context.filmstrips.at(under[0].footage.path, source)
        self.tiles.show_frame(pixmap)

    def _take(self, choice: LookTile) -> None:
        self.project.compare(None)
        self.commands.set_grade(f"Look: {choice.name}", choice.grade)

    def _point(self, choice: LookTile | None) -> None:
        """Show a look on the user's frame while it is pointed at."""
        self.looks.say(f"{choice.name}: {choice.does}" if choice is not None else "", True)
        tried = self.commands.with_grade_tried(choice.grade) if choice is not None else None
        self.project.compare(tried)

    def _look_menu(self, choice: LookTile | None, at: QPoint) -> None:
        if choice is None or not choice.own:
            return
        menu = QMenu(self)
        menu.addAction(in_menu(f"Take '{choice.name}' off the shelf")).triggered.connect(
            lambda: self._forget(choice.name)
        )
        pop_up(menu, at)

    def _forget(self, name: str) -> None:
        try:
            removed_look(name)
        except TempikError as error:
            self.project.messages.say(str(error), True)
        self._other_looks()

    def _other_looks(self) -> None:
        self.tiles.show_choices()

    def keep_look(self) -> None:
        """Ask for a name and keep the grade as a look, with the frame that is shown."""
        name, wanted = QInputDialog.getText(self, "Keep the grade as a look", "Name")
        if wanted and name.strip():
            self.commands.keep_look(name, self._picture())

    def _picture(self) -> bytes:
        image = self.tool.image
        if image is None:
            return b""
        image = after_of(image)
        data = QByteArray()
        buffer = QBuffer(data)
        buffer.open(QIODevice.OpenModeFlag.WriteOnly)
        small = image.scaled(184, 184, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation)
        small.save(buffer, "PNG")  # type: ignore[call-overload]
        return bytes(data.data())

    def _keep_reference(self) -> None:
        """Keep the frame that is shown, and show it beside others; again: compare with what was before."""
        self.tool.keep_reference()
        self.commands.show_split(True)
        kept = self.tool.reference is not None
        self.project.messages.say(
            "Frame kept; it stands left of the line." if kept else "The kept frame is let go.", False
        )

    def _compare(self) -> None:
        """Show before and after beside each other, or the frame as it is."""
        if not self.isVisible():
            return
        self.tool.show_split(self.commands.split)
        self.across.refill()
        self.context.mode_changed()


def _scrolled(pane: QWidget, within: QWidget) -> QScrollArea:
    # Within what holds it from the first: all of a pane is styled anew with everything that it is laid into.
    area = QScrollArea(within)
    area.setWidget(pane)
    area.setWidgetResizable(True)
    area.setFrameShape(QScrollArea.Shape.NoFrame)
    area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
    area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
    marks.mark(area, "clear")
    return area
