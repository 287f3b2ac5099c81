"""Background work on footage: proxies made and files studied, giving way to what a person does."""

from __future__ import annotations

from typing import NamedTuple

from PySide6.QtCore import QObject, Signal

from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.jobs import Job, Stopped, Worker
from tempik.disk.reading import is_regular
from tempik.errors import TempikError
from tempik.media import FootageStudy
from tempik.media.cache import cache_size, clear_cache
from tempik.media.inspecting import Inspection, look_over, looked_before
from tempik.media.proxy import proxy_path, sound_proxy, worth_a_proxy
from tempik.reel import Footage
from tempik.render.pictures import shared_index


class ProxyStore(QObject):
    """Which proxy stands for which file, and what a look over each file found.

    Each file is decoded once for both, and its filmstrip comes with it; that waits while the reel plays. What was
    made is kept by contents, so after a restart it is there, and what was not finished is begun again.
    """

    made = Signal(str)  # a proxy of this file is there
    studied = Signal(str)  # cues and cadence of this file are known
    message = Signal(str, bool)

    def __init__(self, worker: Worker, looker: Worker, filmstrips: Filmstrips, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self._looker = looker  # for what is quick
        self._strips = filmstrips
        self._proxies: dict[str, str] = {}
        self._wanted: set[str] = set()
        self._studies: dict[str, FootageStudy] = {}
        self._again: set[str] = set()  # files that are looked over when a person asks, not by themselves
        self.on = True

    def proxy_for(self, path: str) -> str | None:
        """Return the proxy to look at in place of a file, or None. Safe to call from any thread."""
        return self._proxies.get(path) if self.on else None

    def study_of(self, path: str) -> FootageStudy | None:
        """Return what is known of a file, or None while it is being looked over."""
        return self._studies.get(path)

    def looking(self, path: str) -> bool:
        """Tell whether a file is being looked over, or waits for it. Safe to call from any thread."""
        return path in self._wanted and path not in self._studies and path not in self._again

    def set_on(self, on: bool) -> None:
        """Look at proxies, or at the files themselves."""
        self.on = on

    def want(self, piece: Footage) -> None:
        """Use what a file's last look found and its proxy, or have it looked over."""
        path = piece.path
        if piece.kind != "video" or path in self._wanted:
            return
        self._wanted.add(path)

        def look(job: Job) -> _Known:
            """Return what is known of the file already; its contents are read for this."""
            if not is_regular(path):
                return _Known(None, "", False)
            found = proxy_path(path)
            worth = worth_a_proxy(piece.width, piece.height, shared_index(path))
            there = worth and sound_proxy(path, found, shared_index)
            return _Known(looked_before(path, piece.rotation_deg), str(found) if there else "", worth)

        def looked(known: _Known) -> None:
            if known.proxy:
                self._use(path, known.proxy)
            if known.looked is not None:
                self._knows(piece, known.looked)
            if is_regular(path) and (known.looked is None or (known.worth and not known.proxy)):
                self._look_over(piece, known.worth and not known.proxy)
            elif known.looked is None:
                self._again.add(path)

        def failed(text: str) -> None:
            self._again.add(path)
            self.message.emit(text, True)

        self._looker.start(f"Looking whether {piece.name} is known", look, looked, failed, quiet=True)

    def _use(self, path: str, proxy: str) -> None:
        self._proxies[path] = proxy
        self.made.emit(path)

    def _knows(self, piece: Footage, found: Inspection) -> None:
        self._strips.take(piece.path, found.filmstrip)
        self._studies[piece.path] = found.study
        self.studied.emit(piece.path)

    def _look_over(self, piece: Footage, proxy: bool) -> None:
        path = piece.path

        def work(job: Job) -> Inspection:
            if not is_regular(path):
                raise Stopped  # of missing files all is said elsewhere
            try:
                return look_over(path, piece.rotation_deg, proxy, job.report)
            except TempikError as error:
                if not proxy:
                    raise
                self.message.emit(str(error), True)  # of the proxy, perhaps: the rest is looked at without
                return look_over(path, piece.rotation_deg, False, job.report)

        def done(found: Inspection) -> None:
            if proxy and is_regular(proxy_path(path)):
                self._use(path, str(proxy_path(path)))
            self._knows(piece, found)

        def ended() -> None:
            if path not in self._studies:
                self._again.add(path)

        # Begun by itself once a session: what was cancelled or could not be done is begun again when a person asks.
        self._worker.start(
            f"Looking over {piece.name}", work, done, lambda text: self.message.emit(text, True), ended=ended
        )

    def look_through(self, piece: Footage) -> None:
        """Have a file looked over whose look was cancelled or failed; one that was not asked for yet is."""
        if piece.kind != "video":
            return
        if piece.path in self._again:
            self._again.discard(piece.path)
            self._wanted.discard(piece.path)
        self.want(piece)

    def clear(self) -> None:
        """Remove all that can be made again from the disk. It is made again in this session where something needs it, such as a draft."""
        self._worker.stop_all()
        self._proxies.clear()
        self._studies.clear()
        self._again |= self._wanted  # what is needed after all, such as by a draft, is looked over again
        freed = clear_cache()
        self.message.emit(
            f"{freed / 1e6:.0f} MB of proxies and analyses removed, {cache_size() / 1e6:.0f} MB kept (the demo).", False
        )


class _Known(NamedTuple):
    """What is known of a file: what the last look found, its proxy ('' for none), and whether it is worth one."""

    looked: Inspection | None
    proxy: str
    worth: bool
