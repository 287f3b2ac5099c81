"""What threads say to the window, for as long as it is there."""

from __future__ import annotations

import threading

from PySide6.QtCore import SignalInstance


class GuardedSignal:
    """Emits signals from threads until it is closed. A thread that does not end in time outlives the window: what it says then must
    not reach an object that is being destroyed."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._closed = False

    @property
    def closed(self) -> bool:
        """Whether nobody hears what is said any more."""
        return self._closed

    def say(self, signal: SignalInstance, *values: object) -> None:
        """Emit a signal whose receivers live on the interface thread."""
        with self._lock:
            if self._closed:
                return
            try:
                signal.emit(*values)
            except RuntimeError:
                self._closed = True  # the window is gone

    def close(self) -> None:
        """Say no more. What is being said has been said when this returns."""
        with self._lock:
            self._closed = True
