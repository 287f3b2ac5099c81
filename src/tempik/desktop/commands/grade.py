"""Commands on grades: set, passed on, matched, made even, kept as looks; and compared with what was before."""

from __future__ import annotations

from collections.abc import Callable, Collection
from pathlib import Path

from msgspec.structs import replace
from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QWidget

from tempik.desktop.commands.files import ask_open, file_to_write
from tempik.desktop.commands.registry import CommandStep, command
from tempik.desktop.session.document import Project
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.inspecting import Looking
from tempik.desktop.session.jobs import Job, Worker
from tempik.edit.clips.slots import with_clips
from tempik.edit.grading import grades, matching
from tempik.edit.grading.grades import THE_REEL, Where, Whose
from tempik.errors import TempikError
from tempik.grade.cube import written_cube
from tempik.grade.pointwise import function_of
from tempik.project.looks import kept_look
from tempik.reel import Clip, Grade, Reel, by_id
from tempik.reel.grade import NEUTRAL, PARTS, PartOf

CUBES = "LUT files (*.cube)"


class GradeCommands(QObject):
    """What keys, menus and the Grade page do to grades. `target_changed` says that something else is graded now; `looks_changed`
    that one's own looks are others; `compared` that the before and after are shown otherwise."""

    target_changed = Signal()
    looks_changed = Signal()
    compared = Signal()
    reference_wanted = Signal()

    def __init__(self, project: Project, worker: Worker, looking: Looking, window: QWidget) -> None:
        super().__init__(project)
        self.project, self.worker, self.looking, self.window = project, worker, looking, window
        self.whose: Whose = "reel"
        self.copied: Grade | None = None
        self.dragging = Gesture(project)
        self.split = False
        self.footage_id = ""

    # What is graded

    def where(self) -> Where:
        """Return what is graded: the reel, the selected clips, or the footage of the clip that is shown (of the shelf without)."""
        if self.whose == "reel":
            return THE_REEL
        if self.whose == "clips":
            return Where("clips", tuple(self.project.selection.chosen_clips))
        placed = self.project.selection.placed
        name = placed.clip.footage if placed is not None else self.footage_id
        return Where("footage", (name,) if by_id(self.project.reel.footage, name) is not None else ())

    def grade(self) -> Grade:
        """Return the grade that is worked on."""
        try:
            return grades.grade_at(self.project.reel, self.where())
        except TempikError:
            return NEUTRAL

    def set_whose(self, whose: Whose) -> None:
        """Grade something else from now on."""
        if whose != self.whose:
            self.whose = whose
            self.target_changed.emit()

    def show_fields(self, **fields: object) -> None:
        """Show fields while they are dragged."""
        where = self.where()
        self.dragging.show(lambda reel: grades.with_grade_fields(reel, where, **fields))

    def settle(self, what: str) -> None:
        """What was dragged is one step."""
        self.dragging.settle(what)

    def set_fields(self, what: str, **fields: object) -> None:
        """Set fields as one step."""
        where = self.where()
        self.project.change(what, lambda reel: grades.with_grade_fields(reel, where, **fields))

    def set_grade(self, what: str, grade: Grade | None) -> None:
        """Set the whole grade as one step."""
        where = self.where()
        self.project.change(what, lambda reel: grades.with_grade(reel, where, grade))

    def with_grade_tried(self, grade: Grade) -> Reel | None:
        """Return the reel with another grade, for looking at; None where it cannot be."""
        try:
            return grades.with_grade(self.project.base, self.where(), grade)
        except TempikError:
            return None

    # Commands

    @command("Grade", "Copy the grade", ("Ctrl+Shift+C",))
    def copy_grade(self) -> None:
        self.copied = self.grade()
        self.project.messages.say("Grade copied; paste it to the reel, to clips or to footage.", False)

    @command("Grade", "Paste the grade", ("Ctrl+Shift+P",))
    def paste_grade(self) -> None:
        self.paste_parts(tuple(PARTS))

    def paste_parts(self, parts: Collection[PartOf]) -> None:
        """Paste parts of the copied grade."""
        if self.copied is None:
            self.project.messages.say("No grade was copied yet.", True)
            return
        source, where = self.copied, self.where()
        what = "Grade pasted" if len(parts) == len(PARTS) else f"Grade: {', '.join(parts)} pasted"
        self.project.change(what, lambda reel: grades.with_parts(reel, where, source, parts))

    @command("Grade", "Take the grade off")
    def no_grade(self) -> CommandStep:
        where = self.where()
        return CommandStep("Grade taken off", lambda reel: grades.with_grade(reel, where, None))

    @command("Grade", "The selected clip's grade for all clips", (), "clips")
    def grade_all(self) -> CommandStep:
        source = self.project.selection.clip
        grade = source.grade if source is not None else None
        everywhere = Where("clips", tuple(c.id for c in self.project.reel.clips if c.title is None))
        return CommandStep("One grade for all clips", lambda reel: grades.with_grade(reel, everywhere, grade))

    @command("Grade", "Key how much of the grade shows, at the playhead", ("Alt+G",))
    def key_amount(self) -> CommandStep:
        where, frame, amount = self.where(), self.project.playhead.frame, 1.0
        return CommandStep(
            "Key of the grade", lambda reel: grades.with_amount_key(reel, where, frame, amount, within=1)
        )

    def key_amount_at(self, amount: float) -> None:
        """Set how much of the grade shows at the playhead."""
        where, frame = self.where(), self.project.playhead.frame
        edit: Callable[[Reel], Reel] = lambda reel: grades.with_amount_key(reel, where, frame, amount, within=1)  # noqa: E731
        self.project.change("Key of the grade", edit)

    @command("Grade", "Take the grade's key at the playhead away")
    def unkey_amount(self) -> CommandStep:
        where, frame = self.where(), self.project.playhead.frame
        return CommandStep("Key of the grade taken away", lambda reel: grades.without_amount_key(reel, where, frame))

    @command("Grade", "Make the light of the selected clips even", (), "clips")
    def even_series(self) -> None:
        names = self.project.selection.chosen_clips
        self._measured("Light made even", lambda reel, job: matching.with_even_series(reel, names, job.report))

    @command("Grade", "Take slow changes of light out of the clip", (), "clips")
    def even_along(self) -> None:
        name = self.project.selection.clip_id or ""
        self._measured("Light even along the clip", lambda reel, job: matching.with_even_light(reel, name, job.report))

    @command("Grade", "Leave the light along the clips as it was", (), "clips")
    def uneven(self) -> CommandStep:
        names = self.project.selection.chosen_clips
        return CommandStep("Light as it was", lambda reel: matching.without_even_light(reel, names))

    def match_to(self, target: str) -> None:
        """Make the selected clips' colours like those of another."""
        names = self.project.selection.chosen_clips
        self._measured("Colours matched", lambda reel, job: matching.with_match(reel, names, target, job.report))

    def _measured(self, what: str, edit: Callable[[Reel, Job], Reel]) -> None:
        """Measure pictures in the background, then take over the grades and keys that came of it."""
        reel = self.project.reel

        def done(made: Reel) -> None:
            changed = {c.id: c for c, old in zip(made.clips, reel.clips, strict=True) if c is not old}
            self.project.change(what, lambda now: _taken_over(now, changed))

        self.worker.start(what, lambda job: edit(reel, job), done, lambda text: self.project.messages.say(text, True))

    @command("Grade", "Read a LUT")
    def read_lut(self) -> None:
        name = ask_open(self.window, "Read a LUT", CUBES, "lut", self.project.path)
        if name:
            self.set_lut(name)

    def set_lut(self, path: str) -> None:
        """Put a LUT on what is graded; '' takes it off."""
        where = self.where()
        what = f"LUT {Path(path).name}" if path else "LUT taken off"
        self.project.change(what, lambda reel: grades.with_lut(reel, where, path))

    @command("Grade", "Write the grade as a LUT")
    def write_lut(self) -> None:
        path = file_to_write(self.window, "Write the grade as a LUT", "grade.cube", CUBES, "lut", self.project.path)
        if path is None:
            return
        try:
            written_cube(function_of((self.grade(),)), path, path.stem)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.messages.say(f"Wrote {path.name}: what the grade does to colours, without its effects.", False)

    def keep_look(self, name: str, picture: bytes) -> None:
        """Keep the grade as a look of one's own."""
        try:
            kept = kept_look(name, self.grade(), picture)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return
        self.project.messages.say(f"Kept the look '{kept.name}'.", False)
        self.looks_changed.emit()

    # Before and after

    @command("Grade", "Before and after, on either side of a line", ("Alt+B",), "clips")
    def toggle_split(self) -> None:
        self.show_split(not self.split)

    def show_split(self, on: bool) -> None:
        """Show before and after on either side of a line, or the picture alone."""
        self.split = on
        self.compared.emit()

    @command("Grade", "Keep this frame to compare with", ("Alt+K",), "clips")
    def keep_reference(self) -> None:
        self.reference_wanted.emit()

    def set_colour(self, **fields: str) -> None:
        """Say how the values of the footage are meant."""
        where = self.where()
        if where.ids:
            edit: Callable[[Reel], Reel] = lambda reel: grades.with_colour(reel, where.ids[0], **fields)  # noqa: E731
            self.project.change("How the footage's colours are meant", edit)


def _taken_over(reel: Reel, changed: dict[str, Clip]) -> Reel:
    """Return the reel of now with the grades and keys of clips that were worked out on an earlier one."""
    found = [(clip, changed[clip.id]) for clip in reel.clips if clip.id in changed]
    return with_clips(reel, [replace(clip, grade=made.grade, keys=made.keys) for clip, made in found])
