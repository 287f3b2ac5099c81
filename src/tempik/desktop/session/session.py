"""A session of work on one project: everything of it that needs no window, composed and wired to each other."""

from __future__ import annotations

from PySide6.QtCore import QObject

from tempik.desktop.session.background import ProxyStore
from tempik.desktop.session.delivery import Delivery
from tempik.desktop.session.document import Project
from tempik.desktop.session.exports import Exports
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.importer import Importer
from tempik.desktop.session.inspecting import Looking
from tempik.desktop.session.jobs import Worker
from tempik.desktop.session.media_watch import MediaWatch
from tempik.desktop.session.recovery import Recovery
from tempik.desktop.session.song import Song
from tempik.desktop.session.sound_shapes import SoundShapes
from tempik.reel import Clip


class Session(QObject):
    """The open project with what works for it: importing, recovery, drafts, exports, the files' filmstrips and proxies. It lives without
    a window; one shows it."""

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._clips_shown: tuple[Clip, ...] = ()
        self._closed = False
        self.project = Project(self)
        self.worker = Worker(self)
        self.background = Worker(self, nice=5)  # two at a time: while one file is decoded, another is studied
        self.looker = Worker(self, at_once=1)
        self.watch = MediaWatch(self.project, self.looker)
        self.looking = Looking(self)
        self.filmstrips = Filmstrips(self.worker, self)
        self.proxy_store = ProxyStore(self.background, self.looker, self.filmstrips, self)
        self.song = Song(self.worker, self)
        self.shapes = SoundShapes(self.worker, self)
        self.importer = Importer(self.project, self.worker, self.watch)
        self.recovery = Recovery(self.project, self.importer)
        self.delivery = Delivery(self.project, self.worker, self.proxy_store.looking)
        self.exports = Exports(self.project, self.worker)
        self.project.changed.connect(self.follow)
        self.project.playhead.moved.connect(self.looking.clear)
        self.watch.being_made.connect(lambda made: self.background.hold(made, "demo"))
        self.watch.complete.connect(lambda: self.project.messages.say("All files of the project are there again."))
        self.proxy_store.message.connect(self.project.messages.say)

    def follow(self) -> None:
        """Have what the reel is made of read: its song first, without which there is nothing to see or hear of the rhythm."""
        reel = self.project.reel
        if reel.clips is not self._clips_shown:
            self._clips_shown = reel.clips
            self.looking.clear()
        self.recovery.changed()
        self.song.load(reel.soundtrack)
        for piece in reel.footage:
            self.filmstrips.want(piece)
            self.proxy_store.want(piece)

    def files_back(self, paths: list[str]) -> None:
        """Read what could not be read of files while they were not there: a disk was put in, or they have been made."""
        reel = self.project.reel
        if reel.soundtrack is not None and reel.soundtrack.path in paths:
            self.song.retry(reel.soundtrack)
        self.shapes.retry()
        self.filmstrips.retry()
        for piece in reel.footage:
            if piece.path in paths:
                self.filmstrips.want(piece)
                self.proxy_store.look_through(piece)

    def close(self) -> None:
        """Stop every thread, and let go of the project unless work that was left behind waits for an answer."""
        if self._closed:
            return
        self._closed = True
        for worker in (self.looker, self.background, self.worker):
            worker.close()
        self.exports.close()
        if self.recovery.left is None:
            self.project.close()
