"""How the framing of the selected clips follows a subject: where it is kept, how calm, where it is lost; and what was followed in all clips."""

from __future__ import annotations

from itertools import pairwise

from PySide6.QtCore import QPointF, QRectF, QSize, Qt, Signal
from PySide6.QtGui import QColor, QIcon, QImage, QPainter, QPen, QPixmap
from PySide6.QtWidgets import QDialog, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from tempik.desktop.pages.page import PageContext
from tempik.desktop.session.document import Project
from tempik.desktop.widgets import marks, theme
from tempik.desktop.widgets.drawing import image_of
from tempik.desktop.widgets.form import SettingsForm, button, line
from tempik.desktop.widgets.painting import painter_on
from tempik.desktop.widgets.plain import Label
from tempik.edit.clips import follow
from tempik.errors import TempikError
from tempik.media.picture import to_rgb
from tempik.reel import Framing
from tempik.reel.clip_settings import FOLLOW_SETTINGS
from tempik.render import PictureSource, plan
from tempik.timeline.extents import way_in_frame
from tempik.timeline.framing import window_matrix
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


class FollowFields(QWidget):
    """Shows one clip, changes all that are selected."""

    def __init__(self, context: PageContext) -> None:
        super().__init__()
        self.context, self.project = context, context.project
        layers = context.layers
        where = "Click the subject in the preview (Ctrl+F); where it is lost, it goes on from there"
        self.pick = button("Pick", where, layers.pick_subject, "low")
        self.guess = button("What moves", "Follow what moves in the clip", layers.guess_subject, "low")
        wide = "Follow what moves in every clip that is wider than the frame"
        self.all = button("All wide clips", wide, layers.follow_all, "low")
        self.off = button("Off", "The framing stands as it is set", layers.follow_nothing, "low")
        self.lost = button("", "Go to where the subject is lost", self._to_loss, "low")
        marks.ink(self.lost, "warning")
        layers.followed_all.connect(self._look_over)
        self.form = SettingsForm(FOLLOW_SETTINGS)
        self.form.edited.connect(self._edited)
        buttons = (self.pick, self.guess, self.all, self.off)
        line("follow", *buttons, *self.form.titled(), self.lost, None, over=self, spacing=5)

    def refill(self) -> None:
        """Show what is."""
        clip, placed = self.project.selection.clip, self.project.selection.placed
        record = clip.follow if clip is not None else None
        self.form.enable(record is not None)
        if record is not None:
            self.form.show_record(record)
        self.off.setEnabled(record is not None)
        lost = follow.lost_frames(self.project.timeline, placed) if placed is not None and record is not None else []
        self.lost.setVisible(bool(lost))
        if lost:
            self.lost.setText(f"lost at frame {lost[0][0]}" + (f" and {len(lost) - 1} more" if len(lost) > 1 else ""))

    def _edited(self, name: str, value: float) -> None:
        names = self.project.selection.chosen_clips
        self.project.change(
            "Subject kept elsewhere" if name != "calm" else "Way of the subject calmed",
            lambda reel: follow.with_follow_fields(reel, names, **{name: round(value, 4)}),
        )

    def _look_over(self, clips: list[str]) -> None:
        """Show what was followed in every clip, to be looked over."""
        self.sheet = FollowList(self.project, clips, self.window())
        self.sheet.chosen.connect(self._go)
        self.sheet.show()

    def _go(self, clip: str, frame: int) -> None:
        self.project.selection.select_clip(clip)
        self.project.playhead.go(frame)

    def _to_loss(self) -> None:
        placed = self.project.selection.placed
        if placed is not None:
            self.context.layers.say_lost(placed.clip.id)

    def paint(self, p: QPainter, box: QRectF) -> None:
        """The way of the subject over the picture, and where it is kept in the frame."""
        clip, placed = self.project.selection.clip, self.project.selection.placed
        if clip is None or clip.follow is None or placed is None:
            return
        if not placed.first <= self.project.playhead.frame < placed.end:
            return
        timeline = self.project.timeline
        framing, height = timeline.framing_at(placed, self.project.playhead.frame), timeline.height_ratio
        x, y, _ = window_matrix(framing if framing.window is not None else Framing(), 1.0, height) @ [
            clip.follow.x, clip.follow.y, 1.0,
        ]  # fmt: skip
        at = QPointF(box.left() + x * box.width(), box.top() + y / height * box.height())
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        self._paint_way(p, box, placed)
        for pen in (QPen(QColor(0, 0, 0, 170), 3.4), QPen(QColor(theme.CUE), 1.6)):
            p.setPen(pen)
            p.drawEllipse(at, 14, 14)
            for dx, dy in ((1, 0), (-1, 0), (0, 1), (0, -1)):
                p.drawLine(at + QPointF(dx * 10, dy * 10), at + QPointF(dx * 18, dy * 18))

    def _paint_way(self, p: QPainter, box: QRectF, placed: PlacedClip) -> None:
        """Frame by frame, dotted where it was lost, with a dot at what is shown."""
        frame = self.project.playhead.frame
        way = way_in_frame(self.project.timeline, placed, frame)
        if not len(way):
            return
        spots = [QPointF(box.left() + x * box.width(), box.top() + y * box.height()) for x, y, _ in way.tolist()]
        found = way[:, 2] > 0
        p.save()
        p.setClipRect(box)
        for ink, wide in ((QColor(0, 0, 0, 150), 3.2), (QColor(theme.CUE), 1.4)):
            for number, (a, b) in enumerate(pairwise(spots)):
                kept = bool(found[number] and found[number + 1])
                p.setPen(QPen(ink, wide, Qt.PenStyle.SolidLine if kept else Qt.PenStyle.DotLine))
                p.drawLine(a, b)
        p.setPen(QPen(QColor(theme.GROUND), 1))
        p.setBrush(QColor(theme.CUE))
        p.drawEllipse(spots[frame - placed.first], 4, 4)
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.restore()
