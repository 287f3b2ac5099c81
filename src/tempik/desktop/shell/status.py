"""The line below the work: one sentence, an offer with its two answers, and the jobs that run."""

from __future__ import annotations

import time
from collections.abc import Sequence
from pathlib import Path

from PySide6.QtCore import QPoint, Qt, Signal
from PySide6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.session.jobs import Job, Worker
from tempik.desktop.session.messages import Messages
from tempik.desktop.shell.remedies import Remedy, remedy_of
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.form import tool
from tempik.desktop.widgets.plain import Label, as_tip

ERROR_STAYS_S = 6.0
SAME_ACT_S = 0.5
MOST_JOBS = 14  # that are listed; the others are counted


class StatusBar(QWidget):
    """Shows what the session says and does. A message is shown once; an error stays readable for a while, news that comes soon
    after stands behind it, and it goes with the next thing that succeeds."""

    answered = Signal(bool)
    mended = Signal(str)  # the command that mends what an error says is wanted

    def __init__(self, messages: Messages, workers: Sequence[Worker]) -> None:
        super().__init__()
        self._messages, self._workers = messages, workers
        self._error, self._error_at = "", 0.0
        self._asked = ""  # what the two answers are to; it stays while they do
        self.setFixedHeight(max(30, self.fontMetrics().height() + 12))
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 0, 14, 6)
        self.status = Label()
        self.status.setTextFormat(Qt.TextFormat.PlainText)
        self.status.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.status.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
        self.remedy = _small("")
        self.remedy.hide()
        self.remedy.clicked.connect(self._mend)
        self._remedy: Remedy | None = None
        self.find_missing = _small("Find …")
        self.find_missing.hide()
        self.take_up, self.let_go = _small("Take it up"), _small("Let it go")
        self.take_up.clicked.connect(lambda: self.answered.emit(True))
        self.let_go.clicked.connect(lambda: self.answered.emit(False))
        self.job_name = Label()
        self.job_name.setTextFormat(Qt.TextFormat.PlainText)
        marks.ink(self.job_name, "quiet")
        self.progress = _bar()
        self.progress.setFixedWidth(180)
        self.cancel = tool("remove", "Cancel this job")
        self.cancel.setIconSize(self.cancel.iconSize() * 0.8)
        marks.room(self.cancel, "none")
        self.cancel.clicked.connect(self._cancel_first)
        self.all_jobs = _small("all jobs")
        self.all_jobs.setToolTip("Every job that runs or waits, each with its own cancel")
        self.all_jobs.clicked.connect(self.show_jobs)
        self.panel = JobsPanel(self)
        row.addWidget(self.status, 1)
        for widget in (
            *(
                self.remedy,
                self.find_missing,
                self.take_up,
                self.let_go,
                self.job_name,
                self.progress,
                self.cancel,
                self.all_jobs,
            ),
        ):
            row.addWidget(widget)
        self.offer("")
        messages.posted.connect(self.say)
        messages.succeeded.connect(self._over)
        for worker in workers:
            worker.changed.connect(self._jobs_changed)
        self._jobs_changed()

    def say(self, text: str, error: bool = False) -> None:
        """Show one sentence."""
        now = time.monotonic()
        if not error and self._error and now - self._error_at < ERROR_STAYS_S:
            if text != self._error:
                text = f"{self._error}   ·   {text}"
            error = True
        elif error:
            self._error, self._error_at = text, now
        else:
            self._error = ""
        self._show(text)
        marks.ink(self.status, "warning" if error else "quiet")
        self._remedy = remedy_of(self._error) if error else None
        self.remedy.setVisible(self._remedy is not None)
        if self._remedy is not None:
            self.remedy.setText(self._remedy.text)

    def _show(self, text: str) -> None:
        if self._asked and not text.startswith(self._asked):
            text = f"{self._asked}   ·   {text}" if text else self._asked
        self.status.setText(_from_home(text))
        self.status.setToolTip(as_tip(text))

    def _mend(self) -> None:
        if self._remedy is not None:
            wanted = self._remedy.command
            self._error = ""
            self.say("")
            self.mended.emit(wanted)

    def _over(self) -> None:
        if time.monotonic() - self._error_at > SAME_ACT_S:  # what went wrong in the same act stays beside it
            self._error = ""

    def offer(self, asked: str) -> None:
        """Ask something, and show the two answers to it: the question stays while they do. An empty one takes both away."""
        self.take_up.setVisible(bool(asked))
        self.let_go.setVisible(bool(asked))
        self._asked = asked
        if asked:
            self._show(asked)

    def jobs(self) -> list[Job]:
        """Return the jobs that are told of."""
        return [job for worker in self._workers for job in worker.listed if not job.cancelled]

    def _jobs_changed(self) -> None:
        jobs = self.jobs()
        for widget in (self.job_name, self.progress, self.cancel):
            widget.setVisible(bool(jobs))
        self.all_jobs.setVisible(len(jobs) > 1)
        if jobs:
            self.job_name.setText(jobs[0].title)
            self.progress.setValue(round(jobs[0].share * 1000))
            self.all_jobs.setText(f"{len(jobs)} jobs")
        if self.panel.isVisible():
            self.panel.fill(jobs)

    def _cancel_first(self) -> None:
        for job in self.jobs()[:1]:
            self.cancel_job(job)

    def cancel_job(self, job: Job) -> None:
        """Cancel one job and say so."""
        for worker in self._workers:
            if job in worker.jobs:
                worker.cancel(job)
                self._messages.say(f"{job.title}: cancelled.")

    def show_jobs(self) -> None:
        """List all jobs above the line."""
        self.panel.fill(self.jobs())
        self.panel.adjustSize()
        corner = self.mapToGlobal(QPoint(self.width() - self.panel.width() - 14, -self.panel.height()))
        self.panel.move(corner)
        self.panel.show()


class JobsPanel(QFrame):
    """Every job with its progress and its own cancel."""

    def __init__(self, bar: StatusBar) -> None:
        super().__init__(bar, Qt.WindowType.Popup)
        self._bar = bar
        self._rows: dict[int, tuple[Label, QProgressBar, QPushButton]] = {}
        self.setObjectName("jobs")
        marks.mark(self, "panel")
        self.setAccessibleName("Jobs")
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 10)
        self._grid = QGridLayout()
        self._more = Label()
        marks.ink(self._more, "quiet")
        column.addLayout(self._grid)
        column.addWidget(self._more)

    def fill(self, jobs: Sequence[Job]) -> None:
        """Show jobs as they are, the first of many; rows that are there keep their place."""
        self._more.setText(f"and {len(jobs) - MOST_JOBS} more that wait" if len(jobs) > MOST_JOBS else "")
        self._more.setVisible(len(jobs) > MOST_JOBS)
        jobs = jobs[:MOST_JOBS]
        wanted = {id(job) for job in jobs}
        for key in [k for k in self._rows if k not in wanted]:
            for widget in self._rows.pop(key):
                self._grid.removeWidget(widget)
                widget.deleteLater()
        for job in jobs:
            if id(job) not in self._rows:
                self._rows[id(job)] = self._row(job)
            self._rows[id(job)][1].setValue(round(job.share * 1000))
        if not jobs:
            self.hide()
        self.adjustSize()

    def _row(self, job: Job) -> tuple[Label, QProgressBar, QPushButton]:
        name, bar, cancel = Label(job.title), _bar(), _small("Cancel")
        name.setTextFormat(Qt.TextFormat.PlainText)
        bar.setMinimumWidth(160)
        cancel.setAccessibleName(f"Cancel {job.title}")
        cancel.clicked.connect(lambda: self._bar.cancel_job(job))
        at = self._grid.rowCount()
        for column, widget in enumerate((name, bar, cancel)):
            self._grid.addWidget(widget, at, column)
        return name, bar, cancel


def _bar() -> QProgressBar:
    bar = QProgressBar()
    bar.setTextVisible(False)
    bar.setRange(0, 1000)
    bar.setAccessibleName("Progress")
    return bar


def _small(text: str) -> QPushButton:
    button = QPushButton(text)
    marks.room(button, "small")
    return button


def _from_home(text: str) -> str:
    """Return a sentence with paths as one knows them: from one's own folder on."""
    home = str(Path.home())
    return text.replace(f"{home}/", "~/") if len(home) > 1 else text
