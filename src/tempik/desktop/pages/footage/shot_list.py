"""The shot list: the shots that are planned, and the footage there is for each."""

from __future__ import annotations

from PySide6.QtWidgets import (
    QDialog,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from tempik.desktop.session.document import Project
from tempik.desktop.widgets import marks
from tempik.desktop.widgets.plain import Label
from tempik.edit.footage import facts


class ShotList(QDialog):
    """The planned shots, a line each; what footage there is for each is listed below."""

    def __init__(self, project: Project, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Shot list")
        self.setMinimumSize(460, 380)
        self.project = project
        self.lines = QPlainTextEdit("\n".join(s.text for s in project.reel.shots))
        self.lines.setPlaceholderText(
            "One planned shot a line, such as:\nhammer comes down, close\nsteam from the trough"
        )
        self.have = Label()
        self.have.setWordWrap(True)
        marks.ink(self.have, "quiet")
        done = QPushButton("Keep")
        done.setProperty("main", True)
        done.clicked.connect(self.keep)
        column = QVBoxLayout(self)
        column.addWidget(Label("The shots you mean to have. Attach footage to them on the Footage page."))
        column.addWidget(self.lines, 1)
        column.addWidget(self.have)
        column.addWidget(done)
        self._show_have()

    def _show_have(self) -> None:
        reel = self.project.reel
        message = []
        for shot in reel.shots:
            names = [f.name for f in reel.footage if f.shot == shot.id]
            message.append(f"{shot.text}: {', '.join(names) if names else 'nothing yet'}")
        self.have.setText("\n".join(message))

    def keep(self) -> None:
        """Write the lines to the reel's shot list, as one step."""
        texts = self.lines.toPlainText().splitlines()
        self.project.change("Shot list written", lambda reel: facts.with_shots(reel, texts))
        self.accept()
