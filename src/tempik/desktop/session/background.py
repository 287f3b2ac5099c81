"""Background work on footage: proxies made and files studied one after the other, given way to what a person does."""

from __future__ import annotations

from PySide6.QtCore import QObject, Signal

from tempik.desktop.session.jobs import Job, Stopped, Worker
from tempik.disk.reading import is_regular
from tempik.media import Study, study
from tempik.media.cache import cache_size, clear_cache
from tempik.media.proxy import make_proxy, proxy_path, sound_proxy, worth_a_proxy
from tempik.reel import Footage
from tempik.render.pictures import shared_index


class Proxies(QObject):
    """Which proxy stands for which file, and what a look through each file found.

    The queue works one file at a time and waits while the reel plays. What was made is kept by contents, so after a
    restart it is there, and what was not finished is begun again.
    """

    made = Signal(str)  # a proxy of this file is there
    studied = Signal(str)  # cues and cadence of this file are known
    said = Signal(str, bool)

    def __init__(self, worker: Worker, looker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._looker = looker  # for what is quick
        self._proxies: dict[str, str] = {}
        self._wanted: set[str] = set()
        self._studies: dict[str, Study | None] = {}
        self.on = True

    def proxy_for(self, path: str) -> str | None:
        """Return the proxy to look at in place of a file, or None. Safe to call from any thread."""
        return self._proxies.get(path) if self.on else None

    def study_of(self, path: str) -> Study | None:
        """Return what is known of a file, or None while it is being looked through."""
        return self._studies.get(path)

    def set_on(self, on: bool) -> None:
        """Look at proxies, or at the files themselves."""
        self.on = on

    def want(self, piece: Footage) -> None:
        """Use the proxy of a file that was made earlier, or have one made where it is worth one."""
        path = piece.path
        if piece.kind != "video" or path in self._wanted:
            return
        self._wanted.add(path)

        def look(job: Job) -> str:
            """Return the proxy that is there, '' for none; the file's contents are read for this."""
            if not is_regular(path):
                return ""
            found = proxy_path(path)
            return str(found) if sound_proxy(path, found, shared_index) else ""

        def looked(found: str) -> None:
            if found:
                self._use(path, found)
            else:
                self._make(piece)

        self._looker.start(f"Looking for a proxy of {piece.name}", look, looked, quiet=True)

    def _use(self, path: str, proxy: str) -> None:
        self._proxies[path] = proxy
        self.made.emit(path)

    def _make(self, piece: Footage) -> None:
        path = piece.path

        def work(job: Job) -> str:
            if not is_regular(path) or not worth_a_proxy(piece.width, piece.height, shared_index(path)):
                return ""
            return str(make_proxy(path, job.report))

        def done(made: str) -> None:
            if made:
                self._use(path, made)

        # Asked for once a session: what was cancelled or could not be made is begun again after a restart.
        self._worker.start(f"Proxy of {piece.name}", work, done, lambda text: self.said.emit(text, True))

    def look_through(self, piece: Footage) -> None:
        """Have a file looked through for cues and repeated frames."""
        path = piece.path
        if piece.kind != "video" or path in self._studies:
            return
        self._studies[path] = None

        def done(found: Study) -> None:
            self._studies[path] = found
            self.studied.emit(path)

        def failed(text: str) -> None:
            self.said.emit(text, True)

        def work(job: Job) -> Study:
            if not is_regular(path):
                raise Stopped  # of missing files all is said elsewhere
            return study(path, job.report)

        def ended() -> None:
            if self._studies.get(path) is None:
                self._studies.pop(path, None)

        self._worker.start(f"Looking through {piece.name}", work, done, failed, ended=ended)

    def clear(self) -> None:
        """Remove all that can be made again from the disk. It is not made again in this session."""
        self._worker.stop_all()
        self._proxies.clear()
        self._studies.clear()
        freed = clear_cache()
        self.said.emit(
            f"{freed / 1e6:.0f} MB of proxies and analyses removed, {cache_size() / 1e6:.0f} MB kept (the demo).", False
        )
