"""Clips' own sound for listening while editing: made in the background, kept until a clip changes."""

from __future__ import annotations

from collections import OrderedDict

from PySide6.QtCore import QObject, QTimer, Signal

from tempik.desktop.session.document import Project
from tempik.desktop.session.jobs import Job, Worker
from tempik.render.clip_sound import ClipAudio
from tempik.render.footage_sounds import FootageSounds, heard_clips, transitions_of
from tempik.timeline.placed_clip import PlacedClip
from tempik.timeline.timeline import Timeline

KEPT = 400
# A drag changes a clip many times a second; its sound is made when it rests.
REST_MS = 200
Key = tuple[int, int, int, int, float, tuple[tuple[int, int], ...]]


class ClipSounds(QObject):
    """Gives the sound of placed clips that is ready. `changed` says that more is."""

    changed = Signal()

    def __init__(self, project: Project, worker: Worker) -> None:
        super().__init__(project)
        self.project, self._worker = project, worker
        self._kept: OrderedDict[Key, tuple[PlacedClip, ClipAudio | None]] = OrderedDict()
        self._files = FootageSounds(project.timeline)
        self._job: Job | None = None
        self._rest = QTimer(self)
        self._rest.setSingleShot(True)
        self._rest.setInterval(REST_MS)
        self._rest.timeout.connect(self._make)
        project.changed.connect(self._rest.start)

    def _key(self, placed: PlacedClip) -> Key:
        reel = self.project.reel
        # The map of a clip is made once for each state of it, and kept with the result.
        transitions = tuple(
            (s.begin, s.end) if s is not None else (-1, -1) for s in transitions_of(self.project.timeline, placed)
        )
        return id(placed.map), id(placed.clip.sound), id(placed.footage), placed.first, reel.crossfade_ms, transitions

    def track(self, placed: PlacedClip) -> ClipAudio | None:
        """Return a clip's sound where it is ready."""
        found = self._kept.get(self._key(placed))
        return found[1] if found is not None else None

    @property
    def ready(self) -> bool:
        """Whether every clip that is heard has its sound."""
        return not self._rest.isActive() and not self._missing()

    def retry(self, paths: list[str]) -> None:
        """Read files that are there again, of which nothing could be heard."""
        self._files = FootageSounds(self.project.timeline)
        for key, (placed, track) in list(self._kept.items()):
            if placed.footage.nest is not None or (track is None and placed.footage.path in paths):
                del self._kept[key]
        self._rest.start()

    def _missing(self) -> list[PlacedClip]:
        return [p for p in heard_clips(self.project.timeline) if self._key(p) not in self._kept]

    def _make(self) -> None:
        missing = self._missing()
        if not missing or self._job is not None:
            return
        timeline = self.project.timeline
        keys = [self._key(p) for p in missing]
        self._job = self._worker.start(
            "Sound of the clips",
            lambda job: self._work(job, timeline, missing),
            lambda tracks: self._take(keys, missing, tracks),
            ended=self._ended,
        )

    def _work(self, job: Job, timeline: Timeline, placed: list[PlacedClip]) -> list[ClipAudio | None]:
        self._files.use(timeline)
        out = []
        for number, clip in enumerate(placed):
            job.report(number / len(placed))
            out.append(self._files.track(clip))
        return out

    def _take(self, keys: list[Key], placed: list[PlacedClip], tracks: list[ClipAudio | None]) -> None:
        for key, clip, track in zip(keys, placed, tracks, strict=True):
            self._kept[key] = (clip, track)
        while len(self._kept) > KEPT:
            self._kept.popitem(last=False)
        self.changed.emit()

    def _ended(self) -> None:
        self._job = None
        if self._missing():
            self._rest.start()
