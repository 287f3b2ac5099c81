"""The clips whose framing follows a subject, as pictures to look over: a click goes to one, to be set by hand."""

from __future__ import annotations

from PySide6.QtCore import QSize, Qt, Signal
from PySide6.QtGui import QIcon, QImage, QPixmap
from PySide6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from tempik.desktop.session.document import Project
from tempik.desktop.widgets.images import image_of
from tempik.desktop.widgets.painting import painter_on
from tempik.desktop.widgets.plain import Label
from tempik.edit.clips import follow
from tempik.errors import TempikError
from tempik.media.picture import to_rgb
from tempik.render import PictureSource, plan
from tempik.timeline.placed_clip import PlacedClip

WIDE = 108
MOST = 80
# Where in its slot a clip is looked at: soon after its beginning, in the middle, and before its end.
SHARES = (0.1, 0.5, 0.9)


class FollowList(QDialog):
    """Three pictures a clip, as they are framed now; `chosen` names the clip and the frame that was clicked."""

    chosen = Signal(str, int)

    def __init__(self, project: Project, clips: list[str], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Subjects followed")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.project = project
        self.list = QListWidget()
        self.list.setViewMode(QListWidget.ViewMode.IconMode)
        self.list.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.list.setMovement(QListWidget.Movement.Static)
        self.list.setSpacing(8)
        self.list.itemClicked.connect(self._clicked)
        self.list.itemActivated.connect(self._clicked)
        note = Label("Look them over: a click goes there. Pick the subject anew where it is the wrong one, or is lost.")
        note.setWordWrap(True)
        column = QVBoxLayout(self)
        column.addWidget(note)
        column.addWidget(self.list, 1)
        self.resize(760, 460)
        self._fill(clips)

    def _fill(self, clips: list[str]) -> None:
        timeline = self.project.timeline
        height_px = round(WIDE * timeline.height_ratio / 2) * 2
        self.list.setIconSize(QSize(len(SHARES) * WIDE, height_px))
        with PictureSource(cache_bytes=64 << 20) as source:
            for name in clips[:MOST]:
                placed = timeline.placed_clip(name)
                if placed is None:
                    continue
                item = QListWidgetItem(QIcon(self._pictures(source, placed, height_px)), self._words(placed))
                item.setData(Qt.ItemDataRole.UserRole, name)
                self.list.addItem(item)

    def _pictures(self, source: PictureSource, placed: PlacedClip, height_px: int) -> QPixmap:
        sheet = QImage(len(SHARES) * WIDE, height_px, QImage.Format.Format_RGB888)
        sheet.fill(Qt.GlobalColor.black)
        with painter_on(sheet) as p:
            for number, share in enumerate(SHARES):
                frame = placed.first + int(share * (placed.frames - 1))
                try:
                    made = plan(self.project.timeline, frame, WIDE, height_px, accents=False, clip=placed)
                    rgb = to_rgb(source.render(made))
                except TempikError:
                    continue
                p.drawImage(number * WIDE, 0, image_of(rgb))
        return QPixmap.fromImage(sheet)

    def _words(self, placed: PlacedClip) -> str:
        lost = follow.lost_frames(self.project.timeline, placed)
        text = f"{placed.footage.name} · frame {placed.first}"
        return f"{text}\nlost from frame {lost[0][0]}" if lost else text

    def _clicked(self, item: QListWidgetItem) -> None:
        name = str(item.data(Qt.ItemDataRole.UserRole))
        placed = self.project.timeline.placed_clip(name)
        if placed is not None:
            lost = follow.lost_frames(self.project.timeline, placed)
            self.chosen.emit(name, lost[0][0] if lost else placed.first + placed.frames // 2)
