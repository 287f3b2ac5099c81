"""The process that writes an export: begun, heard, paused, stopped, or left to go on by itself."""

from __future__ import annotations

import json
import os
import signal
import subprocess

from PySide6.QtCore import QObject, QSocketNotifier, QTimer, Signal

from tempik.programs import begun, ours

LONGEST_END_MS, END_LOOK_MS = 8000, 20
ALONE = b"alone\n"  # what tells it that the window goes and it is to go on
_LEFT: list[subprocess.Popen[bytes]] = []  # what goes on alone: never waited for


class ExportProcess(QObject):
    """Writes one item of the queue. `progressed` tells the share that is done, `ended` that the process has gone."""

    progressed = Signal(float)
    ended = Signal()

    def __init__(self, item: str, parent: QObject) -> None:
        """Raises OSError where it cannot be started."""
        super().__init__(parent)
        self.stopping = False
        command = ours("tempik.cli", "queue", "run", item, "--with-parent", "--progress", "json")
        self._process = begun(command, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL)
        assert self._process.stdout is not None
        self._message = self._process.stdout.fileno()
        self._pushed = ""  # the end of what it has said
        os.set_blocking(self._message, False)
        self._ear = QSocketNotifier(self._message, QSocketNotifier.Type.Read, self)
        self._ear.activated.connect(self._heard)

    def _heard(self) -> None:
        try:
            data = os.read(self._message, 1 << 16)
        except BlockingIOError:
            return
        except OSError:
            data = b""
        if not data:  # its end of the pipe is closed: it has ended, or is about to
            self._ear.setEnabled(False)
            self._await_end()
            return
        *lines, self._pushed = (self._pushed + data.decode(errors="replace")).split("\n")
        for line in lines:
            try:
                message = json.loads(line)
                self.progressed.emit(message["done"] / max(message["total"], 1))
            except (ValueError, KeyError, TypeError):
                continue

    def _await_end(self) -> None:
        if self._process.poll() is None:
            QTimer.singleShot(END_LOOK_MS, self, self._await_end)
        else:
            self._let_go()
            self.ended.emit()

    def _let_go(self) -> None:
        self._ear.setEnabled(False)
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    pass  # what it still held is for nobody

    def hold(self, held: bool) -> None:
        """Pause it in the middle of a file, or let it go on."""
        self._process.send_signal(signal.SIGSTOP if held else signal.SIGCONT)

    def stop(self) -> None:
        """Ask it to end; it is killed where it does not."""
        self.stopping = True
        self._process.send_signal(signal.SIGCONT)
        self._process.terminate()
        QTimer.singleShot(LONGEST_END_MS, self, self.kill)

    def kill(self) -> None:
        """End it at once."""
        self._process.kill()

    def stop_now(self) -> None:
        """End it, and return when it has."""
        self.stop()
        try:
            self._process.wait(LONGEST_END_MS / 1000)
        except subprocess.TimeoutExpired:
            self._process.kill()
            self._process.wait()
        self._let_go()

    def leave_alone(self) -> bool:
        """Let it go on, and write what waits too, when the window has gone; False where it has ended meanwhile."""
        assert self._process.stdin is not None
        try:
            self._process.stdin.write(ALONE)
            self._process.stdin.flush()
        except OSError:
            return False
        self._let_go()
        _LEFT.append(self._process)
        return True
