"""Commands on accent lanes: adding, bundling, copying, painting by pattern, amounts, tracked focus."""

from __future__ import annotations

import random
from collections.abc import Callable

from PySide6.QtCore import QObject, Signal
from PySide6.QtWidgets import QMenu, QWidget

from tempik.accents import CATALOGUE
from tempik.check.landing import nearest_point
from tempik.desktop.commands.bundles import BundleCommands
from tempik.desktop.commands.drafting import add_lane_entries
from tempik.desktop.commands.registry import command
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.widgets.count_panel import CountPanel
from tempik.edit import ruled
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.accents.painting import (
    step_near,
    with_bar_copied,
    with_lane_shifted,
    with_random,
    with_toggled,
    without_painting,
)
from tempik.edit.footage import tracking
from tempik.errors import TempikError
from tempik.reel import MotionTrack, Reel, by_id
from tempik.time import time_of

STEP = 0.1


class AccentCommands(QObject):
    """What keys and menus do to accent lanes."""

    placing_focus = Signal(bool)  # the next click in the preview puts a focus

    def __init__(self, project: Project, worker: Worker, count: CountPanel, bundles: BundleCommands) -> None:
        super().__init__(project)
        self.project, self.worker, self.count, self.bundles = project, worker, count, bundles

    def _lane(self) -> str | None:
        """Return the chosen lane's id, or None, having said so."""
        if self.project.selection.lane is None:
            self.project.messages.say("There is no accent lane yet; choose an accent on the Accents page.", True)
            return None
        return self.project.selection.lane.lane.id

    def add_lane(self, accent: str, every: int = 4) -> None:
        """Add a lane that fires on every n-th point; it becomes the chosen one."""
        if self.project.change(
            f"{CATALOGUE[accent].title} added", lambda reel: accent_lanes.with_lane(reel, accent, every)
        ):
            self.project.selection.select_lane(self.project.reel.accent_lanes[-1].id)

    def use_for_lane(self, accent: str) -> None:
        """Have the chosen lane fire another accent."""
        lane = self._lane()
        if lane is not None:
            title = CATALOGUE[accent].title
            self.project.change(f"Lane fires {title}", lambda reel: accent_lanes.with_other_accent(reel, lane, accent))

    @command("Accents", "Toggle a flash on the nearest point", ("X",), "song")
    def toggle_flash(self) -> None:
        """Toggle the first flash lane at the nearest point; a reel without one gets a lane painted by hand."""
        timeline = self.project.timeline
        point = nearest_point(timeline, time_of(self.project.playhead.frame, timeline.rate))
        if point is None:
            self.project.messages.say("There is no point to put a flash on; place one with P.", True)
            return

        def toggle(reel: Reel) -> Reel:
            lane = next((r for r in reel.accent_lanes if r.accent == "flash"), None)
            if lane is None:
                reel = accent_lanes.with_lane(reel, "flash", 0)
                lane = reel.accent_lanes[-1]
            return with_toggled(reel, lane.id, point.id)

        self.project.change(f"Flash toggled on {point.label}", toggle)

    @command("Accents", "Toggle the chosen lane on the nearest point", ("'",), "song")
    def toggle_step_here(self) -> None:
        """Turn the chosen lane on or off at the point nearest to the playhead."""
        lane, found = self._lane(), self.project.selection.lane
        if lane is None or found is None:
            return
        step = step_near(found, self.project.playhead.frame)
        if step is None:
            self.project.messages.say("This lane has no point to paint; place one with P.", True)
            return
        title = found.accent.title if found.accent is not None else found.lane.accent
        self.project.change(f"{title} toggled", lambda reel: with_toggled(reel, lane, step.id))

    # Amounts

    @command("Accents", "All accents a tenth weaker", ("2",), "song")
    def calm_all(self) -> None:
        self._all_by(-STEP)

    @command("Accents", "All accents a tenth stronger", ("3",), "song")
    def stir_all(self) -> None:
        self._all_by(STEP)

    def _all_by(self, step: float) -> None:
        amount = round(self.project.reel.amount + step, 2)
        self.project.change(
            f"All accents {min(max(amount, 0), 2) * 100:.0f} %", lambda r: accent_lanes.with_all_amounts(r, amount)
        )

    @command("Accents", "Amount of all accents …", ("4",), "song")
    def ask_all(self) -> None:
        """Ask how strong all accents together are."""
        now = round(self.project.reel.amount * 100)
        self.count.ask(
            "All accents",
            "%",
            now,
            lambda percent, _: self.project.change(
                f"All accents {percent} %", lambda reel: accent_lanes.with_all_amounts(reel, percent / 100)
            ),
            least=0,
            most=200,
        )

    # The chosen lane

    def _do(self, what: str, edit: Callable[[Reel, str], Reel]) -> None:
        lane = self._lane()
        if lane is not None:
            self.project.change(what, lambda reel: edit(reel, lane))

    @command("Accents", "Mute the chosen lane", ("Shift+X",), "song")
    def mute_lane(self) -> None:
        found = self.project.selection.lane
        on = found is not None and not found.lane.muted
        self._do("Lane muted" if on else "Lane unmuted", lambda reel, lane: ruled.with_muted(reel, lane, on))

    @command("Accents", "Solo the chosen lane", ("Shift+Z",), "song")
    def solo_lane(self) -> None:
        found = self.project.selection.lane
        on = found is not None and not found.lane.solo
        self._do("Lane solo" if on else "Lane no longer solo", lambda reel, lane: ruled.with_solo(reel, lane, on))

    @command("Accents", "Move the lane up", (), "song")
    def lane_earlier(self) -> None:
        self._do("Lane moved up", lambda reel, lane: accent_lanes.with_lane_moved(reel, lane, -1))

    @command("Accents", "Move the lane down", (), "song")
    def lane_later(self) -> None:
        self._do("Lane moved down", lambda reel, lane: accent_lanes.with_lane_moved(reel, lane, 1))

    @command("Accents", "Shift the lane by a point", ("Shift+N",), "song")
    def shift_lane(self) -> None:
        self._do("Lane shifted by a point", with_lane_shifted)

    @command("Accents", "Shift the lane back by a point", (), "song")
    def shift_lane_back(self) -> None:
        self._do("Lane shifted back by a point", lambda reel, lane: with_lane_shifted(reel, lane, -1))

    @command("Accents", "Repeat this bar's pattern in the lane's later bars", ("Shift+P",), "song")
    def copy_bar(self) -> None:
        """Repeat the pattern of the bar at the playhead in all later bars."""
        timeline = self.project.timeline
        beat = timeline.beat_at(self.project.playhead.frame)
        if beat is None:
            self.project.messages.say("There is no bar at the playhead to copy.", True)
            return
        bar = beat.bar
        self._do(f"Bar {bar} repeated", lambda reel, lane: with_bar_copied(reel, lane, bar))

    @command("Accents", "Randomise the lane (again: another draw)", ("Shift+G",), "song")
    def randomise_lane(self) -> None:
        """Paint the lane at random; again for another draw. The seed is kept, so that it stays as it is."""
        seed = random.randrange(10_000)
        self._do(f"Randomised, seed {seed}", lambda reel, lane: with_random(reel, lane, seed))

    @command("Accents", "Clear the lane's painted steps", (), "song")
    def reset_lane(self) -> None:
        self._do("Painted steps cleared", without_painting)

    @command("Accents", "Remove the accent lane", (), "song")
    def remove_lane(self) -> None:
        self._do("Accent lane removed", accent_lanes.without_lane)

    # Focus

    @command("Accents", "Place the lane's focus in the preview", ("Shift+U",), "song")
    def place_focus(self) -> None:
        """The next click in the preview puts the chosen lane's focus there."""
        found = self.project.selection.lane
        if found is None or found.accent is None or not found.accent.placed:
            self.project.messages.say("Choose a lane whose accent has a focus first, such as a punch-in.", True)
            return
        self.placing_focus.emit(True)
        self.project.messages.say("Click in the preview where the focus is; a right click leaves it.", False)

    def focus_at(self, x: float, y: float) -> None:
        """Put the chosen lane's focus at a place of the frame, shares from its left and top."""
        self.placing_focus.emit(False)
        self._do("Focus placed", lambda reel, lane: accent_lanes.with_focus(reel, lane, x, y))

    @command("Accents", "Follow what is under the focus", ("Shift+T",), "song")
    def follow_focus(self) -> None:
        """Follow what is under the focus through the footage of the clip at the playhead. Raises TempikError where the lane is gone
        meanwhile."""
        found, timeline, frame = self.project.selection.lane, self.project.timeline, self.project.playhead.frame
        placed = timeline.clip_at(frame)
        if found is None or found.accent is None or not found.accent.placed or placed is None:
            self.project.messages.say("Choose a lane whose accent has a focus, and put the playhead on a clip.", True)
            return
        lane, footage = found.lane.id, placed.footage
        place = timeline.focus_at(found, frame)
        try:
            start = tracking.footage_place(timeline, placed, frame, place)
        except TempikError as error:
            self.project.messages.say(str(error), True)
            return

        def work(job: Job) -> MotionTrack:
            return tracking.tracked(footage, *start, job.report, job.stop_event)

        def done(track: MotionTrack) -> None:
            def keep(reel: Reel) -> Reel:
                if by_id(reel.accent_lanes, lane) is None:
                    raise TempikError("The lane that should follow the patch is gone.")
                reel, name = tracking.with_track(reel, footage.id, track)
                return accent_lanes.with_follow(reel, lane, name)

            self.project.change(f"Focus follows a patch of {footage.name}", keep)

        self.worker.start(
            f"Following a patch of {footage.name}", work, done, lambda t: self.project.messages.say(t, True)
        )

    # Menus

    def fill_accent_menu(self, menu: QMenu) -> None:
        """Every accent, by family."""
        families: dict[str, QMenu] = {}
        for name, accent in CATALOGUE.items():
            part = families.get(accent.family) or menu.addMenu(accent.family.capitalize())
            families[accent.family] = part
            action = part.addAction(accent.title)
            action.setToolTip(accent.does)
            action.triggered.connect(lambda _=False, n=name: self.add_lane(n))

    def lane_menu(self, lane: str, parent: QWidget) -> QMenu:
        """Return the menu of an accent lane."""
        self.project.selection.select_lane(lane)
        found = self.project.selection.lane
        menu = QMenu(parent)
        if found is None:
            return menu
        record = found.lane
        for text, act, on in (
            ("muted", self.mute_lane, record.muted),
            ("solo", self.solo_lane, record.solo),
        ):
            action = menu.addAction(text)
            action.setCheckable(True)
            action.setChecked(on)
            action.triggered.connect(act)
        add_lane_entries(menu, self.project, record)
        amounts = menu.addMenu(f"amount: {record.amount * 100:.0f} %")
        for percent in (25, 50, 67, 75, 100, 150, 200):
            amounts.addAction(f"{percent} %").triggered.connect(
                lambda _=False, a=percent: self.project.change(
                    f"Amount {a} %", lambda reel: accent_lanes.with_amount(reel, lane, a / 100)
                )
            )
        menu.addSeparator()
        for text, act in (
            ("Repeat this bar's pattern", self.copy_bar),
            ("Shift by a point", self.shift_lane),
            ("Shift back by a point", self.shift_lane_back),
            ("Randomise", self.randomise_lane),
            ("Clear painted steps", self.reset_lane),
        ):
            menu.addAction(text).triggered.connect(act)
        menu.addSeparator()
        for text, act in (
            ("Move up", self.lane_earlier),
            ("Move down", self.lane_later),
            ("Copy lane", self.bundles.copy_lane),
            ("Copy all lanes", self.bundles.copy_all_lanes),
            ("Paste lanes", self.bundles.paste_lanes),
        ):
            menu.addAction(text).triggered.connect(act)
        self.fill_accent_menu(menu.addMenu("Add accent"))
        self.bundles.fill_bundle_menu(menu.addMenu("Bundles"))
        menu.addSeparator()
        menu.addAction("Remove lane").triggered.connect(self.remove_lane)
        return menu
