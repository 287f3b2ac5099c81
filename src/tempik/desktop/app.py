"""Starting the window."""

from __future__ import annotations

import os
import sys
import threading
from collections.abc import Sequence
from pathlib import Path
from types import TracebackType

from PySide6.QtCore import Qt, QTimer
from PySide6.QtGui import QGuiApplication
from PySide6.QtWidgets import QApplication

from tempik.desktop.session.heap import Garbage, Heap
from tempik.desktop.session.log import log_crashes, log_fault
from tempik.desktop.shell.ahead import PagesAhead
from tempik.desktop.shell.keyboard import KeyboardPresses
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.disk.reading import refuse_no_text
from tempik.errors import TempikError
from tempik.programs import leave_folder
from tempik.project.file import SUFFIX

TOUR_AFTER_MS = 1200  # once the first reel is seen


def run(paths: Sequence[Path] = (), demo: bool = False) -> int:
    """Open the window and return its exit code: on a project, or on a song, footage or a folder, which begin a reel as if they had
    been dropped. Raises TempikError when there is no screen, for more than one project, and for a file that is not there."""
    if sys.platform == "linux" and not (
        os.environ.get("DISPLAY") or os.environ.get("WAYLAND_DISPLAY") or os.environ.get("QT_QPA_PLATFORM")
    ):
        raise TempikError("There is no screen to open the window on; start it in a desktop session, or set DISPLAY.")
    given = [path.absolute() for path in paths]
    for path in given:
        refuse_no_text(path)
        if not path.exists():
            raise TempikError(f"{path} is not there; give a {SUFFIX} file, or a song and footage to begin a reel with.")
    project = next((path for path in given if path.suffix == SUFFIX), None)
    if project is not None and len(given) > 1:
        raise TempikError("A project is opened by itself; leave the other files out, and drop them on its window.")
    leave_folder()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    assert isinstance(app, QApplication)
    QGuiApplication.setApplicationDisplayName("Tempik")
    QGuiApplication.setDesktopFileName("tempik")
    log_crashes()
    theme.dress(app)
    KeyboardPresses(app)
    window = Window()
    put_interface_first(window)
    _report_faults(window)
    window.show()
    QTimer.singleShot(0, window.exports.read)
    window.importer.opened.connect(lambda: QTimer.singleShot(TOUR_AFTER_MS, window.first.begin))
    if project is not None:
        QTimer.singleShot(0, lambda: window.importer.open_project(project))
    elif given:
        QTimer.singleShot(0, lambda: window.importer.bring([str(path) for path in given]))
    elif demo:
        QTimer.singleShot(0, window.importer.open_demo)
    else:
        QTimer.singleShot(0, window.recovery.begin)
    return app.exec()


def put_interface_first(window: Window) -> None:
    """Have threads that render give way to the interface after a millisecond rather than five, keep memory in bounds, and have
    pages made ahead."""
    sys.setswitchinterval(0.001)

    def at_rest() -> bool:
        return not window.player.playing and QGuiApplication.mouseButtons() == Qt.MouseButton.NoButton

    Heap(at_rest, window)
    PagesAhead(window, window.page_panel, lambda: at_rest() and not window.worker.jobs and not _asking())
    Garbage(at_rest, window)


def _asking() -> bool:
    """Tell whether a dialog or a menu is open."""
    return QApplication.activeModalWidget() is not None or QApplication.activePopupWidget() is not None


def _report_faults(window: Window) -> None:
    """A fault of ours in any thread is told in the status line and written to the log, and the window stays up."""

    def told(kind: type[BaseException], error: BaseException) -> None:
        text = f"Something went wrong inside Tempik ({kind.__name__}: {error}); your work is still here."
        window.project.messages.say(f"{text} Help → Show log has what to report.", True)

    def report(kind: type[BaseException], error: BaseException, trace: TracebackType | None) -> None:
        log_fault("window", error)
        told(kind, error)

    def report_thread(fault: threading.ExceptHookArgs) -> None:
        if fault.exc_value is not None:
            log_fault(fault.thread.name if fault.thread is not None else "thread", fault.exc_value)
            told(fault.exc_type, fault.exc_value)

    sys.excepthook = report
    threading.excepthook = report_thread


def main() -> int:
    """The entry point of the desktop file."""
    try:
        arguments = sys.argv[1:]
        return run([Path(a) for a in arguments])
    except TempikError as error:
        print(f"tempik: {error}", file=sys.stderr)
        return 1


if __name__ == "__main__":
    sys.exit(main())
