"""Work that must not hold the window: jobs on threads, reporting back to the interface thread."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PySide6.QtCore import QObject, QThreadPool, Signal, SignalInstance

from tempik.desktop.session.log import log_fault
from tempik.errors import TempikError


class Stopped(Exception):
    """Raised inside a job that was cancelled."""


class Job(QObject):
    """One piece of work. Signals arrive on the interface thread."""

    progressed = Signal(float)
    done = Signal(object)
    failed = Signal(str)
    ended = Signal()

    def __init__(self, title: str, work: Callable[[Job], Any], quiet: bool = False) -> None:
        super().__init__()
        self.title = title
        self.quiet = quiet  # too small to be listed
        self.share = 0.0
        self._work = work
        self._stop = threading.Event()
        self._go_on = threading.Event()
        self._go_on.set()

    def cancel(self) -> None:
        self._stop.set()

    def hold(self, held: bool) -> None:
        """Wait at the next report, or go on."""
        (self._go_on.clear if held else self._go_on.set)()

    @property
    def cancelled(self) -> bool:
        return self._stop.is_set()

    @property
    def stop_event(self) -> threading.Event:
        return self._stop

    def report(self, share: float) -> None:
        """Called by the work: say how far it is, and stop here if it was cancelled."""
        while not self._go_on.wait(0.1):
            if self._stop.is_set():
                break
        if self._stop.is_set():
            raise Stopped
        self.share = share
        self._send(self.progressed, share)

    def run(self) -> None:
        try:
            self.report(0.0)
            result = self._work(self)
            if not self._stop.is_set():
                self._send(self.done, result)
        except Stopped:
            pass
        except TempikError as error:
            self._send(self.failed, str(error))
        except Exception as error:  # a fault of ours must reach the person, not vanish with the thread
            log_fault(self.title, error)
            self._send(
                self.failed,
                f"{self.title} failed ({type(error).__name__}: {error}); Help → Show log has what to report.",
            )
        finally:
            self._send(self.ended)

    @staticmethod
    def _send(signal: SignalInstance, *values: object) -> None:
        try:
            signal.emit(*values)
        except RuntimeError:
            pass  # the window was closed meanwhile


class Worker(QObject):
    """Runs jobs, some at a time, and keeps those that run or wait."""

    changed = Signal()

    def __init__(self, parent: QObject | None = None, at_once: int = 2) -> None:
        super().__init__(parent)
        self._pool = QThreadPool(self)
        self._pool.setMaxThreadCount(at_once)
        self.jobs: list[Job] = []
        self._held = False

    def hold(self, held: bool) -> None:
        """Let jobs wait at their next report, or go on."""
        self._held = held
        for job in self.jobs:
            job.hold(held)

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
        job = Job(title, work, quiet)
        if done is not None:
            job.done.connect(done)
        if failed is not None:
            job.failed.connect(failed)
        job.progressed.connect(lambda _: self.changed.emit())
        job.ended.connect(lambda: self._forget(job))
        if ended is not None:  # the job may be over before its starter could listen
            job.ended.connect(ended)
        self.jobs.append(job)
        if self._held:
            job.hold(True)
        self._pool.start(job.run)
        self.changed.emit()
        return job

    def cancel(self, job: Job) -> None:
        """Cancel one job. One that has not begun is gone at once."""
        job.cancel()
        self.changed.emit()

    def stop_all(self) -> None:
        """Cancel everything and wait for it."""
        for job in list(self.jobs):
            job.cancel()
        self._pool.clear()
        self._pool.waitForDone(10_000)
        self.jobs.clear()

    def _forget(self, job: Job) -> None:
        if job in self.jobs:
            self.jobs.remove(job)
        self.changed.emit()
