"""Starting the window."""

from __future__ import annotations

import os
import sys
import traceback
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication

from tempik.desktop import theme
from tempik.desktop.window import Window
from tempik.errors import TempikError


def run(project: Path | None = None, demo: bool = False) -> int:
    """Open the window and return its exit code. Raises TempikError when there is no screen."""
    if sys.platform == "linux" and not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")
    ):
        raise TempikError("There is no screen to open the window on; start it in a desktop session, or set DISPLAY.")
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    QGuiApplication.setApplicationDisplayName("Tempik")
    QGuiApplication.setDesktopFileName("tempik")
    # Threads that render give way to the interface after a millisecond rather than five.
    sys.setswitchinterval(0.001)
    theme.dress(app)
    window = Window()
    _report_faults(window)
    window.show()
    if project is not None:
        QTimer.singleShot(0, lambda: window.files.open_project(project))
    elif demo:
        QTimer.singleShot(0, window.files.open_demo)
    else:
        QTimer.singleShot(0, window.keeping.begin)
    return app.exec()


def _report_faults(window: Window) -> None:
    """A fault of ours is told in the status line and printed, and the window stays up with the work in it."""

    def report(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        traceback.print_exception(kind, error, trace)
        window.say(f"Something went wrong inside Tempik ({kind.__name__}: {error}); your work is still here.", True)

    sys.excepthook = report


def main() -> int:
    """The entry point of the desktop file."""
    try:
        arguments = sys.argv[1:]
        return run(Path(arguments[0]) if arguments else None)
    except TempikError as error:
        print(f"tempik: {error}", file=sys.stderr)
        return 1


if __name__ == "__main__":
    sys.exit(main())
