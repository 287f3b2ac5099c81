"""The preview alone: on the whole screen, or in a window of its own for a second screen."""

from __future__ import annotations

from collections.abc import Iterable

from PySide6.QtCore import QEvent, Qt
from PySide6.QtGui import QAction, QCloseEvent, QKeyEvent
from PySide6.QtWidgets import QVBoxLayout, QWidget

from tempik.desktop.playback.transport import Transport
from tempik.desktop.preview.view import Preview
from tempik.desktop.session.document import Project
from tempik.desktop.session.inspecting import Looking


class PreviewWindow(QWidget):
    """Shows what the preview shows. Every key of the main window works in it; Escape closes it."""

    def __init__(self, project: Project, looking: Looking, transport: Transport, actions: Iterable[QAction]) -> None:
        super().__init__(None, Qt.WindowType.Window)
        self.setWindowTitle("Preview – Tempik")
        self.resize(450, 800)
        self.view = Preview(project, looking)
        self.view.setMinimumSize(120, 160)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.view)
        self._transport = transport
        transport.size.add_view(self.view.height_px)
        transport.image_shown.connect(self.view.show_image)
        transport.told.connect(self.view.show_message)
        self.view.resized.connect(transport.resized)
        self.addActions(list(actions))

    def open(self, whole_screen: bool) -> None:
        """Show the picture on the whole screen, or in a window; asked for again it closes."""
        if self.isVisible() and self.isFullScreen() == whole_screen:
            self.close()
        elif whole_screen:
            self.showFullScreen()
        else:
            self.showNormal()
        self.activateWindow()
        self._transport.resized()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def event(self, event: QEvent) -> bool:
        # Escape closes this window rather than doing what it does in the main one.
        if (
            event.type() == QEvent.Type.ShortcutOverride
            and isinstance(event, QKeyEvent)
            and event.key() == Qt.Key.Key_Escape
        ):
            event.accept()
            return True
        return super().event(event)

    def closeEvent(self, event: QCloseEvent) -> None:
        super().closeEvent(event)
        self._transport.resized()
