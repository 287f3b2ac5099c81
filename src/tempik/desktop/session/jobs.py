"""Work that must not hold the window: jobs on threads, reporting back to the interface thread."""

from __future__ import annotations

import os
import threading
import time
from collections import deque
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, Qt, Signal

from tempik.desktop.session.guarded_signal import GuardedSignal
from tempik.desktop.session.log import log_fault
from tempik.errors import TempikError

_LONGEST_END_S = 10.0
# Workers with a thread that was not seen to end yet: whoever lets one go sooner would leave it to that thread, which must not destroy it.
_AT_WORK: set[Worker] = set()


class Stopped(Exception):
    """Raised inside a job that was cancelled."""


class Job:
    """One piece of work. It is no QObject: the thread that drops it last may be any."""

    def __init__(self, title: str, work: Callable[[Job], Any], quiet: bool, tell: Callable[[Job, _Told], None]) -> None:
        self.title = title
        self.quiet = quiet  # too small to be listed
        self.share = 0.0
        self._work = work
        self._tell = tell
        self._stop = threading.Event()
        self._go_on = threading.Event()
        self._go_on.set()

    def cancel(self) -> None:
        """Have it stop at its next report."""
        self._stop.set()

    def hold(self, held: bool) -> None:
        """Wait at the next report, or go on."""
        (self._go_on.clear if held else self._go_on.set)()

    @property
    def cancelled(self) -> bool:
        """Whether it was told to stop."""
        return self._stop.is_set()

    @property
    def stop_event(self) -> threading.Event:
        """What is set once it is told to stop."""
        return self._stop

    def report(self, share: float) -> None:
        """Called by the work: say how far it is, and stop here if it was cancelled."""
        while not self._go_on.wait(0.1):
            if self._stop.is_set():
                break
        if self._stop.is_set():
            raise Stopped
        self.share = share
        self._tell(self, _Told())

    def run(self) -> None:
        """Do the work and tell what came of it; called on a thread of the worker's."""
        try:
            self.report(0.0)
            result = self._work(self)
            if not self._stop.is_set():
                self._tell(self, _Told(done=(result,)))
        except Stopped:
            pass
        except TempikError as error:
            self._tell(self, _Told(failed=str(error)))
        except Exception as error:  # a fault of ours must reach the person, not vanish with the thread
            log_fault(self.title, error)
            text = f"{self.title} failed ({type(error).__name__}: {error}); Help → Show log has what to report."
            self._tell(self, _Told(failed=text))
        finally:
            self._tell(self, _Told(ended=True))


class _Told:
    """What a job has to say: its result (in a tuple, as it may be None), its sentence, its end, or only how far it is."""

    def __init__(self, done: tuple[()] | tuple[Any] = (), failed: str = "", ended: bool = False) -> None:
        self.done, self.failed, self.ended = done, failed, ended


class _Heard:
    """Who is called when a job speaks."""

    def __init__(
        self, done: Callable[[Any], None] | None, failed: Callable[[str], None] | None, ended: Callable[[], None] | None
    ) -> None:
        self.done, self.failed, self.ended = done, failed, ended


class Worker(QObject):
    """Runs jobs, some at a time, and keeps those that run or wait. `nice` is how far its threads, and those that they start, give way to
    all others: 0 to 19, as the system counts.

    Threads of our own that end with the work: a pool of Qt's would drop what a job holds on its own thread, Qt objects
    with open connections among them, while the interface thread still delivers to them."""

    changed = Signal()
    _spoken = Signal()

    def __init__(self, parent: QObject | None = None, at_once: int = 2, nice: int = 0) -> None:
        super().__init__(parent)
        self.jobs: list[Job] = []
        self._at_once = at_once
        self._nice = nice
        self._held: set[str] = set()
        self._closed = False
        self._lock = threading.Lock()
        self._signal = GuardedSignal()
        self._waiting: deque[Job] = deque()
        self._threads: list[threading.Thread] = []
        self._ending: deque[threading.Thread] = deque()
        self._told: deque[tuple[Job, _Told]] = deque()
        self._heard: dict[Job, _Heard] = {}
        self._spoken.connect(self._deliver, Qt.ConnectionType.QueuedConnection)

    def hold(self, held: bool, why: str = "asked") -> None:
        """Let jobs wait at their next report, or go on once there is no other reason to wait."""
        (self._held.add if held else self._held.discard)(why)
        for job in self.jobs:
            job.hold(bool(self._held))

    @property
    def listed(self) -> list[Job]:
        """The jobs that a person is told of."""
        return [j for j in self.jobs if not j.quiet]

    def start(
        self,
        title: str,
        work: Callable[[Job], Any],
        done: Callable[[Any], None] | None = None,
        failed: Callable[[str], None] | None = None,
        quiet: bool = False,
        ended: Callable[[], None] | None = None,
    ) -> Job:
        """Run `work(job)` on a thread; `done` gets its result and `failed` its sentence, and `ended` is called in any case,
        on the interface thread, after this has returned. A quiet job is not listed."""
        job = Job(title, work, quiet, self._tell)
        if self._closed:
            job.cancel()
            return job
        self._heard[job] = _Heard(done, failed, ended)
        self.jobs.append(job)
        if self._held:
            job.hold(True)
        with self._lock:
            self._waiting.append(job)
            if len(self._threads) < self._at_once:
                thread = threading.Thread(target=self._work, name=f"job: {title}", daemon=True)
                self._threads.append(thread)
                _AT_WORK.add(self)
                thread.start()
        self.changed.emit()
        return job

    def cancel(self, job: Job) -> None:
        """Cancel one job. One that has not begun is gone at once."""
        job.cancel()
        with self._lock:
            waiting = job in self._waiting
            if waiting:
                self._waiting.remove(job)
        if waiting:
            self._tell(job, _Told(ended=True))
        self.changed.emit()

    def stop_all(self) -> None:
        """Cancel everything, wait for it, and hear no more of it than that it has ended."""
        with self._lock:
            self._waiting.clear()
            threads = list(self._threads)
        for job in self.jobs:
            job.cancel()
        until = time.monotonic() + _LONGEST_END_S
        for thread in threads:
            thread.join(max(0.0, until - time.monotonic()))
        self._see_ends()
        heard = list(self._heard.values())
        self.jobs.clear()
        self._heard.clear()
        for each in heard:
            if each.ended is not None:
                each.ended()

    def close(self) -> None:
        """Stop all, for good: what is started from here on never runs."""
        self._closed = True
        self.stop_all()
        self._signal.close()

    def _work(self) -> None:
        if self._nice:
            try:
                # Linux keeps this for each thread; those that decode and encode are born with it.
                own = threading.get_native_id()
                os.setpriority(os.PRIO_PROCESS, own, os.getpriority(os.PRIO_PROCESS, own) + self._nice)
            except OSError:
                pass  # as quick as all others, then
        while True:
            with self._lock:
                if not self._waiting:
                    self._threads.remove(threading.current_thread())
                    self._ending.append(threading.current_thread())
                    break
                job = self._waiting.popleft()
            job.run()
        self._signal.say(self._spoken)

    def _tell(self, job: Job, told: _Told) -> None:
        """Called on a job's thread."""
        self._told.append((job, told))
        self._signal.say(self._spoken)

    def _deliver(self) -> None:
        while self._told:
            job, told = self._told.popleft()
            heard = self._heard.get(job)
            if heard is None:
                continue
            if told.ended:
                del self._heard[job]
                self.jobs.remove(job)
            self.changed.emit()
            if told.done and heard.done is not None:
                heard.done(told.done[0])
            if told.failed and heard.failed is not None:
                heard.failed(told.failed)
            if told.ended and heard.ended is not None:
                heard.ended()
        self._see_ends()

    def _see_ends(self) -> None:
        """Wait for threads that have nothing more to do: from then on nobody but this thread has the worker."""
        while self._ending:
            self._ending.popleft().join()
        with self._lock:
            if not self._threads and not self._ending:
                _AT_WORK.discard(self)
