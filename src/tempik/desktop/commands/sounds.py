"""Commands on sounds: laying them on points, painting lanes, the clips of sound tracks, the channels of the mix."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from PySide6.QtCore import QObject
from PySide6.QtWidgets import QWidget

from tempik.check.landing import nearest_point
from tempik.desktop.commands.files import ask_open_many, ask_save
from tempik.desktop.commands.registry import command
from tempik.desktop.playback.reel_sound import ReelSound
from tempik.desktop.playback.sampler import SoundSampler
from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.edit import ruled
from tempik.edit.accents.painting import step_near, with_lane_shifted, with_random, with_toggled, without_painting
from tempik.edit.sounds import clips, files, lanes, mixing
from tempik.reel import Edge, Reel, Rule, SoundClip, SoundFile, SoundLane
from tempik.render.sound_file import write_sound
from tempik.sounds.shelf import SHELF
from tempik.time import time_of
from tempik.timeline.sound_triggers import evaluated_sound_lanes, sound_title

FILES = "Sounds (*.wav *.flac *.ogg *.mp3 *.m4a *.aac *.opus *.aif *.aiff *.mp4 *.mov *.mkv)"


class SoundCommands(QObject):
    """What keys and menus do to sounds and to the mix."""

    def __init__(self, project: Project, worker: Worker, reel_sound: ReelSound, parent: QWidget) -> None:
        super().__init__(parent)
        self.project, self.worker, self.reel_sound, self._over = project, worker, reel_sound, parent
        self.sampler = SoundSampler(reel_sound.sound_bank, worker, self)

    # Lanes

    def add_lane(self, sound: str, rule: Rule = lanes.CUTS) -> None:
        """Add a lane of a sound; it becomes the chosen one."""
        title = sound_title(self.project.reel, sound)
        if self.project.change(f"{title} added", lambda reel: lanes.with_sound_lane(reel, [sound], rule)):
            self.project.selection.select_channel(self.project.reel.sound_lanes[-1].id)

    def use_for_lane(self, sound: str, also: bool = False) -> None:
        """Have the chosen lane trigger another sound, or one more by turns."""
        lane = self._lane()
        if lane is not None:
            names = (*lane.sounds, sound) if also else (sound,)
            title = sound_title(self.project.reel, sound)
            self.project.change(f"Lane triggers {title}", lambda reel: lanes.with_sounds(reel, lane.id, names))

    def _lane(self) -> SoundLane | None:
        """Return the chosen sound lane, or None, having said so."""
        lane = self.project.selection.sound_lane
        if lane is None:
            self.project.messages.say("Choose a sound lane first; a click on a sound of the Sound page adds one.", True)
        return lane

    @command("Sound", "Toggle the chosen sound lane on the nearest point", ("Alt+'",), "song")
    def toggle_trigger_here(self) -> None:
        """Turn the chosen sound lane on or off at the point nearest to the playhead."""
        lane = self._lane()
        found = next(
            (s for s in evaluated_sound_lanes(self.project.timeline) if lane is not None and s.lane.id == lane.id), None
        )
        if lane is None or found is None:
            return
        step = step_near(found, self.project.playhead.frame)
        if step is None:
            self.project.messages.say("This lane has no point to paint; place one with P.", True)
            return
        self.project.change("Trigger toggled", lambda reel: with_toggled(reel, lane.id, step.id))

    @command("Sound", "Shift the sound lane by a point", (), "song")
    def shift_triggers(self) -> None:
        self._do("Sound lane shifted by a point", with_lane_shifted)

    @command("Sound", "Draw the sound lane's variations anew", (), "song")
    def redraw_triggers(self) -> None:
        self._do(
            "Another draw", lambda reel, lane: ruled.with_seed(reel, lane, lanes.sound_lane_of(reel, lane).seed + 1)
        )

    @command("Sound", "Paint the sound lane by lot (again: another draw)", (), "song")
    def randomise_triggers(self) -> None:
        self._do("Sounds by lot", lambda reel, lane: with_random(reel, lane, lanes.sound_lane_of(reel, lane).seed + 1))

    @command("Sound", "Clear the sound lane's painted steps", (), "song")
    def unpaint_triggers(self) -> None:
        self._do("Painted triggers cleared", without_painting)

    @command("Sound", "Remove the sound lane", (), "song")
    def remove_sound_lane(self) -> None:
        self._do("Sound lane removed", lanes.without_sound_lane)

    def _do(self, what: str, edit: Callable[[Reel, str], Reel]) -> None:
        lane = self._lane()
        if lane is not None:
            self.project.change(what, lambda reel: edit(reel, lane.id))

    # Channels

    @command("Sound", "Mute the chosen channel", (), "")
    def mute_channel(self) -> None:
        channel = self.project.selection.channel
        on = not mixing.channel_values(self.project.reel, channel).muted
        self.project.change("Muted" if on else "Heard", lambda reel: mixing.with_channel(reel, channel, muted=on))

    @command("Sound", "Solo the chosen channel", (), "")
    def solo_channel(self) -> None:
        channel = self.project.selection.channel
        on = not mixing.channel_values(self.project.reel, channel).solo
        self.project.change(
            "Solo" if on else "No longer solo", lambda reel: mixing.with_channel(reel, channel, solo=on)
        )

    @command("Sound", "Hear the sounds alone, without song and clips", ("Alt+\\",), "")
    def hear_design(self) -> None:
        on = not self.reel_sound.design_alone
        self.reel_sound.set_design_alone(on)
        self.project.messages.say("The sounds alone are heard." if on else "Everything is heard.", False)

    # Sound tracks and their clips

    @command("Sound", "Add a sound track", (), "")
    def add_sound_track(self) -> None:
        if self.project.change("Sound track added", clips.with_sound_track):
            self.project.selection.select_channel(self.project.reel.sound_tracks[-1].id)

    def lay_here(self, sound: str) -> None:
        """Lay a sound down, its hit at the playhead, or on the point that the playhead stands on."""
        timeline, frame = self.project.timeline, self.project.playhead.frame
        point = timeline.point_at(frame)
        at = Edge(time_of(frame, timeline.rate)) if point is None else Edge(timeline.reel_s(point), point.id)
        title = sound_title(self.project.reel, sound)
        if self.project.change(f"{title} laid", lambda reel: clips.with_sound_clip(reel, sound, at)):
            self.project.selection.select_sound_clip(self.project.reel.sound_clips[-1].id)

    def _clip(self) -> SoundClip | None:
        clip = self.project.selection.sound_clip
        if clip is None:
            self.project.messages.say("Choose a sound clip on a sound track first.", True)
        return clip

    @command("Sound", "Put the sound's hit on the nearest point", ("Ctrl+\\",), "song")
    def land_clip(self) -> None:
        clip, timeline = self._clip(), self.project.timeline
        if clip is None:
            return
        point = nearest_point(timeline, timeline.edge_s(clip.at))
        if point is None:
            self.project.messages.say("There is no point to put it on; place one with P.", True)
            return
        at = Edge(timeline.reel_s(point), point.id)
        self.project.change(f"Sound on {point.label}", lambda reel: clips.with_clip_moved(reel, clip.id, at))

    # Files

    @command("Sound", "Add sounds of my own …", (), "")
    def choose_sounds(self) -> None:
        self.bring(ask_open_many(self._over, "Sounds", FILES, "sounds", self.project.path))

    def bring(self, paths: list[str]) -> None:
        """Put files on the shelf of the reel, read in the background."""
        for path in paths:
            self._bring_one(path)

    def _bring_one(self, path: str) -> None:
        def work(job: Job) -> SoundFile:
            return files.heard_file(path)

        def done(heard: SoundFile) -> None:
            name = Path(path).name
            self.project.change(f"{name} on the shelf", lambda reel: files.with_sound_file(reel, heard)[0])

        say = self.project.messages.say
        self.worker.start(f"Reading {Path(path).name}", work, done, lambda text: say(text, True))

    @command("Sound", "Write the reel's sound alone …", (), "song")
    def write_alone(self) -> None:
        path = ask_save(self._over, "The reel's sound", "", "Sound (*.wav *.flac)", "sounds", self.project.path)
        if path:
            target, timeline, say = Path(path), self.project.timeline, self.project.messages.say
            if not target.suffix:
                target = target.with_suffix(".wav")
            self.worker.start(
                f"Writing {target.name}", lambda job: write_sound(timeline, target),
                lambda _: say(f"{target} is written.", False), lambda text: say(text, True),
            )  # fmt: skip

    # Values

    def change_clip(self, what: str, **values: object) -> None:
        """Set values of the chosen sound clip."""
        clip = self._clip()
        if clip is not None:
            self.project.change(what, lambda reel: clips.with_clip_values(reel, clip.id, **values))

    def shelf_names(self, wanted: str) -> list[str]:
        """Return the sounds that some words describe, the user's own first: by name, tag and what they are."""
        reel = self.project.reel
        parts = wanted.lower().split()
        own = [s.id for s in reel.sounds if all(p in f"{s.name} {s.tag}".lower() for p in parts)]
        kinds = [k for k in SHELF.values() if all(p in f"{k.title} {' '.join(k.tags)} {k.does}".lower() for p in parts)]
        return own + [k.name for k in kinds]


def split_sound_clip(project: Project, clip: SoundClip) -> None:
    """Split a sound clip at the playhead."""
    at_s = time_of(project.playhead.frame, project.timeline.rate)
    project.change("Sound split", lambda reel: clips.with_clip_split(reel, clip.id, at_s))


def remove_sound_clip(project: Project, clip: SoundClip) -> None:
    """Take a sound clip out."""
    project.change("Sound removed", lambda reel: clips.without_sound_clip(reel, clip.id))
