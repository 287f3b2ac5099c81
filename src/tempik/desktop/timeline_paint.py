"""Painting the timeline: ruler, points on the waveform, the picture row, accent rows."""

from __future__ import annotations

import math
from bisect import bisect_left, bisect_right
from collections import OrderedDict
from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPixmap, QPolygonF, QTransform

from tempik.accents import Fired, Form, Pulse, level, span_frames
from tempik.desktop import theme
from tempik.desktop.song_paint import DIM_BANDS, paint_sign, wave_picture
from tempik.desktop.strips import Song, Strips
from tempik.desktop.theme import colour, figures, words
from tempik.desktop.view import (
    GUTTER,
    POINTS_H,
    ROWS_TOP,
    RULER_H,
    Layout,
    View,
    points_top,
)
from tempik.edit.timeline import Placed, Timeline, clean_floor, repeats_most, source_at_frames
from tempik.reel import Point, Reel
from tempik.retime import speed_range
from tempik.time import time_of

# Clip grounds, one a piece of footage in turn: all dark and close, so that they part clips without shouting.
CLIP_TINTS = ("#4a3220", "#54291e", "#25333d", "#4d3b17", "#3a322c", "#3d2b3a", "#2b3a2c", "#473626")
HEAD_H = 19
TRACE_H = 26
# A clip narrower than this is painted without words and trace.
SLIVER_PX = 9
# A pulse with less room to the next than this is painted as a line of its strength.
NARROW_PX = 6
FRAMES_SHOW_PX = 7  # a frame this wide can be told from its neighbours


def paint_ground(p: QPainter, timeline: Timeline, view: View, layout: Layout, height: int) -> None:
    p.fillRect(0, 0, view.width, height, QColor(theme.SUNK))
    p.fillRect(0, 0, view.width, RULER_H, QColor(theme.RAISED))
    rows = [(points_top(), POINTS_H)]
    rows += [(layout.picture_top(n), layout.picture_h) for n in range(layout.rows)]
    rows += [(layout.row_top(n), layout.row_h) for n in range(len(timeline.reel.rows))]
    for top, tall in rows:
        p.fillRect(QRectF(GUTTER, top, view.width - GUTTER, tall), QColor(theme.GROUND))
    end_x = view.x(time_of(timeline.frames, timeline.rate))
    if end_x < view.width:
        p.fillRect(QRectF(max(end_x, GUTTER), RULER_H, view.width - end_x, height), QColor(theme.SUNK))


def paint_gutter(
    p: QPainter,
    timeline: Timeline,
    view: View,
    layout: Layout,
    height: int,
    placing: int = 0,
    chosen_row: str | None = None,
) -> None:
    """Row names. Painted last, so that what scrolls goes under them."""
    p.fillRect(0, 0, GUTTER, height, QColor(theme.RAISED))
    for number, record in enumerate(timeline.reel.picture):
        top, tall = layout.picture_top(number), layout.picture_h
        name = "picture" if layout.rows == 1 else f"picture {number + 1}"
        p.setPen(QColor(theme.QUIET if record.hidden else theme.TEXT))
        p.setFont(words(13, layout.rows > 1 and number == placing))
        said = " · ".join(t for t, on in (("locked", record.locked), ("hidden", record.hidden)) if on)
        p.drawText(QRectF(12, top + (-8 if said else 0), GUTTER - 14, tall), Qt.AlignmentFlag.AlignVCenter, name)
        if said:
            p.setFont(words(12))
            p.setPen(QColor(theme.RHYTHM))
            p.drawText(QRectF(12, top + 9, GUTTER - 14, tall), Qt.AlignmentFlag.AlignVCenter, said)
        _paint_dots(p, top + tall / 2 - 5)
    for number, found in enumerate(timeline.fired):
        _paint_row_name(p, timeline, found, layout.row_top(number), layout.row_h, chosen_row == found.row.id)
    p.fillRect(0, 0, GUTTER, ROWS_TOP, QColor(theme.RAISED))
    p.setPen(QColor(theme.QUIET))
    p.setFont(words(12))
    p.drawText(QRectF(12, 4, GUTTER - 12, 18), Qt.AlignmentFlag.AlignVCenter, "bar.beat")
    p.setFont(words(12))
    unit = "frames" if view.px_per_s / float(timeline.rate) >= FRAMES_SHOW_PX else "seconds"
    p.drawText(QRectF(12, 21, GUTTER - 12, 16), Qt.AlignmentFlag.AlignVCenter, unit)
    p.setPen(QColor(theme.TEXT))
    p.setFont(words(13))
    p.drawText(QRectF(12, points_top(), GUTTER - 14, POINTS_H), Qt.AlignmentFlag.AlignVCenter, "points")
    if layout.hidden:
        _paint_scroll(p, layout, height)
    p.setPen(QColor(theme.LINE))
    p.drawLine(GUTTER - 1, 0, GUTTER - 1, height)


def rule_text(found: Fired) -> str:
    """Return what fires a row, in a few letters."""
    rule = found.row.rule
    strong = f" ≥{rule.at_least * 100:.0f}%" if rule.at_least else ""
    nth = ("" if rule.every == 1 else f" /{rule.every}") + strong
    points = ("every point" if rule.every == 1 else f"every {rule.every}") + strong
    return {
        "points": f"points{strong}" if rule.every == 1 and strong else points,
        "bars": "beats " + ",".join(map(str, rule.beats)) + nth,
        "onsets": ("onsets" if len(rule.bands) > 2 else "+".join(rule.bands)) + nth,
        "drops": "drops",
        "cuts": "cuts" + nth,
        "starts": "clip starts" + nth,
        "ends": "clip ends" + nth,
        "pins": "pins" + nth,
        "frames": "every frame" if rule.every == 1 else f"frames /{rule.every}",
        "hand": "by hand",
    }.get(rule.of, rule.of)


def _paint_row_name(p: QPainter, timeline: Timeline, found: Fired, top: float, tall: float, chosen: bool) -> None:
    """A row's name, what fires it, and its amount as a bar that a drag changes."""
    low = tall < 34
    row = found.row
    if chosen:
        p.fillRect(QRectF(0, top, GUTTER - 1, tall), QColor(theme.LINE))
        p.fillRect(QRectF(0, top, 3, tall), QColor(theme.PULSE))
    p.setPen(QColor(theme.QUIET if found.silent else theme.TEXT))
    p.setFont(words(13))
    title = found.accent.title if found.accent is not None else f"? {row.accent}"
    room = GUTTER - 28
    title = p.fontMetrics().elidedText(title.lower(), Qt.TextElideMode.ElideRight, room)
    p.drawText(QRectF(12, top + (0 if low else 2), room, 18), Qt.AlignmentFlag.AlignVCenter, title)
    if not low:
        rule = "unknown" if found.accent is None else "muted" if row.muted else rule_text(found)
        if row.solo:
            rule = "solo · " + rule
        p.setPen(QColor(theme.RHYTHM if row.solo else theme.QUIET))
        p.setFont(words(12))
        rule = p.fontMetrics().elidedText(rule, Qt.TextElideMode.ElideRight, GUTTER - 18)
        p.drawText(QRectF(12, top + 17, GUTTER - 16, 15), Qt.AlignmentFlag.AlignVCenter, rule)
    bar = QRectF(12, top + tall - 4, GUTTER - 24, 2)
    p.fillRect(bar, QColor(theme.LINE))
    p.fillRect(QRectF(bar.left(), bar.top(), bar.width() * min(row.amount / 2, 1), 2), QColor(theme.PULSE))
    p.fillRect(QRectF(bar.center().x(), bar.top() - 1, 1, 4), QColor(theme.QUIET))
    _paint_dots(p, top + (4 if low else 6))


def _paint_scroll(p: QPainter, layout: Layout, height: int) -> None:
    """A thin bar along the names: which of the rows are shown. The wheel over the names moves it."""
    room = height - ROWS_TOP
    tall = max(12.0, room * room / (room + layout.hidden))
    top = ROWS_TOP + (room - tall) * layout.scroll / layout.hidden
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(theme.QUIET))
    p.drawRoundedRect(QRectF(3, top, 4, tall), 2, 2)
    p.setBrush(Qt.BrushStyle.NoBrush)


def _paint_dots(p: QPainter, top: float) -> None:
    """The sign that a row's name opens its menu."""
    p.setPen(QPen(QColor(theme.QUIET), 2.2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    for dot in range(3):
        p.drawPoint(QPointF(GUTTER - 12, top + dot * 5))


def paint_ruler(p: QPainter, timeline: Timeline, view: View) -> None:
    """bar.beat first; seconds below, and frame numbers once a frame is wide enough to read."""
    points = timeline.beats
    downbeats = [q for q in points if q.beat == 1]
    bar_px = _spacing(downbeats, timeline, view)
    step = next((s for s in (1, 2, 4, 8, 16, 32) if bar_px * s >= 46), 64)
    beat_px = _spacing(points, timeline, view)
    for point in points:
        x = view.x(timeline.reel_s(point))
        if not GUTTER - 40 <= x <= view.width + 40:
            continue
        if point.beat == 1:
            if (point.bar - 1) % step == 0:
                p.setPen(QColor(theme.TEXT))
                p.setFont(figures(13, True))
                p.drawText(QPointF(x + 4, 17), str(point.bar))
        elif beat_px >= 46:
            p.setPen(QColor(theme.QUIET))
            p.setFont(figures(12))
            p.drawText(QPointF(x + 4, 17), point.label)
        p.setPen(colour(theme.RHYTHM, 0.8 if point.beat == 1 else 0.35))
        p.drawLine(QPointF(x, 4 if point.beat == 1 else 10), QPointF(x, 20))
    p.setFont(figures(12))
    frame_px = view.px_per_s / float(timeline.rate)
    p.setPen(QColor(theme.QUIET))
    if frame_px >= FRAMES_SHOW_PX:
        _paint_frames(p, timeline, view, frame_px)
    else:
        second = next((s for s in (0.5, 1, 2, 5, 10, 20, 30, 60) if s * view.px_per_s >= 58), 120)
        k = max(0, math.floor(view.start_s / second))
        while k * second <= view.end_s:
            x = view.x(k * second)
            p.drawLine(QPointF(x, 24), QPointF(x, 28))
            p.drawText(QPointF(x + 4, 35), f"{k * second:g}")
            k += 1


def _paint_frames(p: QPainter, timeline: Timeline, view: View, frame_px: float) -> None:
    every = next((s for s in (1, 2, 5, 10, 15, 30) if s * frame_px >= 48), 60)
    first = max(0, int(view.start_s * float(timeline.rate)))
    last = min(timeline.frames, int(view.end_s * float(timeline.rate)) + 1)
    for k in range(first, last + 1):
        x = view.x(time_of(k, timeline.rate))
        p.drawLine(QPointF(x, 24 if k % every == 0 else 27), QPointF(x, 29))
        if k % every == 0:
            p.drawText(QPointF(x + 3, 38), f"f{k}")


def _spacing(points: Sequence[Point], timeline: Timeline, view: View) -> float:
    if len(points) < 2:
        return view.width
    return (points[-1].time_s - points[0].time_s) / (len(points) - 1) * view.px_per_s


def paint_frame_cells(p: QPainter, timeline: Timeline, view: View, height: int) -> None:
    """Single frames as cells, when zoomed in far enough to see them."""
    frame_px = view.px_per_s / float(timeline.rate)
    if frame_px < FRAMES_SHOW_PX:
        return
    p.setPen(colour(theme.LINE, min(1.0, frame_px / 24)))
    first = max(0, int(view.start_s * float(timeline.rate)))
    for k in range(first, min(timeline.frames, int(view.end_s * float(timeline.rate)) + 1) + 1):
        x = view.x(time_of(k, timeline.rate))
        p.drawLine(QPointF(x, RULER_H), QPointF(x, height))


def points_in_view(timeline: Timeline, view: View) -> Sequence[Point]:
    """Return the points on the reel that lie in view, and one more to either side."""
    points, offset = timeline.on_reel(), timeline.start_s
    first = bisect_left(points, view.start_s + offset, key=lambda q: q.time_s)
    end = bisect_right(points, view.end_s + offset, key=lambda q: q.time_s)
    return points[max(0, first - 1) : end + 1]


def clips_in_view(timeline: Timeline, view: View) -> list[Placed]:
    """Return the clips of all rows that lie in view."""
    first, end = view.start_s * float(timeline.rate), view.end_s * float(timeline.rate)
    out: list[Placed] = []
    for row in timeline.rows:
        a = bisect_right(row, first, key=lambda q: q.end)
        out += row[a : bisect_left(row, end, key=lambda q: q.first)]
    return out


def paint_lines(p: QPainter, timeline: Timeline, view: View, height: int) -> None:
    """A thin line through every row at each point; its weight follows its strength."""
    crowded = _spacing(timeline.on_reel(), timeline, view) < 7
    alike: dict[tuple[int, float], list[QLineF]] = {}
    for point in points_in_view(timeline, view):
        if crowded and point.kind == "beat":
            continue
        x = view.x(timeline.reel_s(point))
        if GUTTER <= x <= view.width:
            alpha = 0.14 + 0.34 * point.strength + (0.12 if point.kind == "downbeat" else 0.0)
            look = (round(min(alpha, 0.6) * 25), 1.4 if point.kind == "downbeat" else 1.0)
            alike.setdefault(look, []).append(QLineF(x, RULER_H + 14, x, height))
    for (alpha25, wide), lines in alike.items():
        p.setPen(QPen(colour(theme.RHYTHM, alpha25 / 25), wide))
        p.drawLines(lines)


def paint_points(
    p: QPainter, timeline: Timeline, view: View, song: Song, hovered: str | None, coarse: bool = False
) -> None:
    top = points_top()
    _paint_wave(p, timeline, view, song, QRectF(GUTTER, top + 18, view.width - GUTTER, POINTS_H - 20), coarse)
    on_reel = timeline.on_reel()
    spacing = _spacing(on_reel, timeline, view)
    dots: list[QPointF] = []
    for point in points_in_view(timeline, view):
        x = view.x(timeline.reel_s(point))
        if not GUTTER <= x <= view.width:
            continue
        plain = spacing < 15 and point.kind in ("beat", "hand", "onset", "part")
        if (plain or spacing < 3) and point.kind != "drop" and point.id != hovered:
            dots.append(QPointF(x, top + 9))
            continue
        paint_sign(p, x, top + 9, point, 6.5 if point.id == hovered else 5.2)
    p.setPen(QPen(QColor(theme.RHYTHM), 2, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap))
    p.drawPoints(dots)


# The last exact picture of the wave: what it shows from, its scale, and itself.
_last_wave: list[tuple[float, float, QPixmap]] = []


def _paint_wave(p: QPainter, timeline: Timeline, view: View, song: Song, box: QRectF, coarse: bool) -> None:
    start = timeline.start_s + view.start_s
    if coarse and _last_wave:
        from_s, scale, picture = _last_wave[0]
        p.setClipRect(box)
        wide = picture.width() * view.px_per_s / scale
        left = box.left() + (from_s - start) * view.px_per_s
        p.drawPixmap(QRectF(left, box.top(), wide, box.height()), picture, QRectF(picture.rect()))
        p.setClipping(False)
        return
    made = wave_picture(song, start, view.px_per_s, int(box.width()), int(box.height()), DIM_BANDS)
    if made is not None:
        _last_wave[:] = [(start, view.px_per_s, made)]
        p.drawPixmap(box.topLeft(), made)
    elif timeline.reel.soundtrack is not None:
        p.setPen(QColor(theme.QUIET))
        p.setFont(words(12))
        p.drawText(box, Qt.AlignmentFlag.AlignCenter, "reading the song …")


def paint_picture_rows(
    p: QPainter,
    timeline: Timeline,
    view: View,
    layout: Layout,
    strips: Strips,
    selected: frozenset[str],
    shown: str | None,
    missing: set[str],
    coarse: bool = False,
    within: QRectF | None = None,
) -> None:
    """Clips of every row, or those `within` a box. Of those selected, the one that the pages show has the brighter
    frame."""
    top = layout.picture_top(0)
    for first, end in timeline.gaps():
        box = QRectF(view.x(time_of(first, timeline.rate)), top, 0, layout.picture_h)
        box.setRight(view.x(time_of(end, timeline.rate)))
        if box.right() > GUTTER and box.left() < view.width:
            p.fillRect(box, QBrush(colour(theme.WARNING, 0.45), Qt.BrushStyle.BDiagPattern))
            if box.width() > 60:
                p.setPen(QColor(theme.TEXT))
                p.setFont(words(12))
                p.drawText(box, Qt.AlignmentFlag.AlignCenter, "black")
    order = {f.id: i for i, f in enumerate(timeline.reel.footage)}
    for placed in clips_in_view(timeline, view):
        box = clip_box(timeline, view, layout, placed)
        if within is not None and not box.intersects(within):
            continue
        if box.right() >= GUTTER and box.left() <= view.width:
            tint = CLIP_TINTS[order.get(placed.footage.id, 0) % len(CLIP_TINTS)]
            if box.width() < SLIVER_PX:
                _paint_sliver(p, placed, box, strips, tint, placed.clip.id in selected)
                continue
            gone = placed.footage.path in missing
            if box.width() <= KEPT_CLIP_PX:
                picture = _clip_picture(p, timeline, view, placed, box, strips, tint, gone, coarse)
                if coarse:
                    p.drawPixmap(box, picture, QRectF(picture.rect()))
                else:
                    p.drawPixmap(QPointF(round(box.left()), box.top()), picture)
            else:
                _paint_clip(p, timeline, view, placed, box, strips, tint, gone)
            if timeline.reel.picture[placed.clip.row].hidden:
                p.fillRect(box, colour(theme.SUNK, 0.72))
            if placed.clip.group:
                p.fillRect(QRectF(box.left(), box.bottom() - 3, box.width(), 3), QColor(theme.PULSE))
            if placed.clip.id in selected:
                first = placed.clip.id == shown
                p.setPen(QPen(QColor(theme.TEXT), 2 if first else 1.4, Qt.PenStyle.SolidLine))
                p.setBrush(colour(theme.TEXT, 0.0 if first and len(selected) == 1 else 0.1))
                p.drawRoundedRect(box.adjusted(1, 1, -1, -1), 3, 3)
                p.setBrush(Qt.BrushStyle.NoBrush)


# A clip's picture is kept for as long as the clip, its size and its filmstrip are the same: moving along the reel, or
# changing another clip, does not paint it again. What it was made of is kept with it, so that its identity stays its own.
KEPT_CLIP_PX = 420
_MOST_KEPT = 400
_clip_pictures: OrderedDict[tuple[object, ...], tuple[Placed, QPixmap]] = OrderedDict()
_last_pictures: dict[str, QPixmap] = {}


def _clip_picture(
    p: QPainter,
    timeline: Timeline,
    view: View,
    placed: Placed,
    box: QRectF,
    strips: Strips,
    tint: str,
    gone: bool,
    coarse: bool,
) -> QPixmap:
    """Return a clip painted by itself."""
    wide, tall = max(1, round(box.width())), round(box.height())
    if coarse:
        # While the scale changes from step to step the last picture is stretched; the exact one comes right after.
        last = _last_pictures.get(placed.clip.id)
        if last is not None:
            return last
    ratio = p.device().devicePixelRatioF()
    form = timeline.reel.width / timeline.reel.height
    key = (id(placed), wide, tall, tint, gone, strips.version(placed.footage.path), ratio, form)
    kept = _clip_pictures.get(key)
    if kept is None:
        picture = QPixmap(round(wide * ratio), round(tall * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        own = QPainter(picture)
        own.translate(-GUTTER, 0)
        alone = View(time_of(placed.first, timeline.rate), view.px_per_s, GUTTER + wide)
        _paint_clip(own, timeline, alone, placed, QRectF(GUTTER, 0, wide, tall), strips, tint, gone)
        own.end()
        _clip_pictures[key] = kept = (placed, picture)
        while len(_clip_pictures) > _MOST_KEPT:
            _clip_pictures.popitem(last=False)
    else:
        _clip_pictures.move_to_end(key)
    _last_pictures[placed.clip.id] = kept[1]
    if len(_last_pictures) > 2 * _MOST_KEPT:
        _last_pictures.clear()
    return kept[1]


def _paint_sliver(p: QPainter, placed: Placed, box: QRectF, strips: Strips, tint: str, selected: bool) -> None:
    """A clip a few pixels wide: its ground and one picture, since nothing else could be told."""
    p.fillRect(box, QColor(tint))
    picture = strips.at(placed.footage.path, placed.map.start_s) if box.width() >= SLIVER_PX / 2 else None
    if picture is not None:
        draw_filling(p, box.adjusted(0, HEAD_H, 0, -12), picture)
    if selected:
        p.fillRect(box, colour(theme.TEXT, 0.35))


def changed_boxes(before: Timeline, after: Timeline, view: View, layout: Layout) -> list[QRectF] | None:
    """Return where a reel looks otherwise than before, where only clips in their old slots do; None: anywhere."""
    then, now = before.reel, after.reel
    parts = ("soundtrack", "footage", "picture")
    other_rows = [id(f) for f in before.fired] != [id(f) for f in after.fired]
    other_form = (then.width, then.height, then.rate, then.length_s) != (now.width, now.height, now.rate, now.length_s)
    if other_rows or other_form or any(getattr(then, part) is not getattr(now, part) for part in parts):
        return None
    if len(before.placed) != len(after.placed):
        return None
    out = []
    for a, b in zip(before.placed, after.placed, strict=True):
        if a is not b:
            if a.clip.id != b.clip.id or a[2:6] != b[2:6] or a.clip.row != b.clip.row or a.ties != b.ties:
                return None
            out.append(clip_box(after, view, layout, b))
    return out


def clip_box(timeline: Timeline, view: View, layout: Layout, placed: Placed) -> QRectF:
    left, right = view.x(time_of(placed.first, timeline.rate)), view.x(time_of(placed.end, timeline.rate))
    return QRectF(left + 0.5, layout.picture_top(placed.clip.row), max(right - left - 1, 1), layout.picture_h)


def _paint_clip(
    p: QPainter,
    timeline: Timeline,
    view: View,
    placed: Placed,
    box: QRectF,
    strips: Strips,
    tint: str,
    gone: bool,
) -> None:
    p.save()
    p.setClipRect(box.adjusted(0, 0, 1, 0).intersected(QRectF(GUTTER, 0, view.width - GUTTER, 4000)))
    p.fillRect(box, QColor(tint))
    trace_h = TRACE_H if box.height() > 80 else 12.0
    film = QRectF(box.left(), box.top() + HEAD_H, box.width(), box.height() - HEAD_H - trace_h)
    _paint_film(p, timeline, view, placed, film, strips)
    if placed.footage.kind == "video":
        _paint_trace(p, timeline, view, placed, QRectF(box.left(), film.bottom(), box.width(), trace_h))
    name = placed.footage.name.rsplit(".", 1)[0]
    low, high = speed_range(placed.map.curve)
    speed = f"{low * 100:.0f}"
    if low != high:
        ends = placed.map.speed([0.0, placed.map.length_s])
        straight = {round(low, 3), round(high, 3)} == {round(float(e), 3) for e in ends}
        speed = f"{ends[0] * 100:.0f}→{ends[1] * 100:.0f}" if straight else f"{low * 100:.0f}…{high * 100:.0f}"
    if low == -high:
        speed = f"±{high * 100:.0f}"
    if placed.clip.shaped is not None:
        speed = f"{placed.clip.shaped.shape.name} {speed}"
    left = max(box.left(), GUTTER) + 6
    room = box.right() - left - 6
    p.setFont(words(12))
    if gone:
        p.setPen(QColor(theme.WARNING_TEXT))
        name = "missing: " + name
    else:
        p.setPen(QColor(theme.TEXT))
    text = QFontMetricsF(words(12)).elidedText(name, Qt.TextElideMode.ElideRight, max(room, 0))
    p.drawText(QRectF(left, box.top(), max(room, 0), HEAD_H), Qt.AlignmentFlag.AlignVCenter, text)
    used = QFontMetricsF(words(12)).horizontalAdvance(name) + 14
    # A figure that is cut off would be another figure: the shape's name gives way, then the whole.
    if figures_wide(speed) > room - used:
        speed = speed.rsplit(" ", 1)[-1]
    if (low != 1.0 or high != 1.0) and figures_wide(speed) <= room - used:
        p.setFont(figures(12))
        p.setPen(QColor(theme.SPEED))
        p.drawText(
            QRectF(left + used, box.top(), room - used, HEAD_H),
            Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight,
            speed + " %",
        )
    _paint_repeats(p, timeline, placed, film)
    p.restore()


def figures_wide(speed: str) -> float:
    """Return how wide a clip's speed is written."""
    return float(QFontMetricsF(figures(12)).horizontalAdvance(speed + " %"))


def _paint_repeats(p: QPainter, timeline: Timeline, placed: Placed, film: QRectF) -> None:
    """A badge with how often frames repeat at the slowest, where none are made in between."""
    if (placed.clip.between or timeline.reel.between) != "nearest" or placed.footage.kind != "video":
        return
    times = repeats_most(placed, timeline.rate)
    if times < 2 or film.width() < 34 or film.height() < 20:
        return
    badge = QRectF(max(film.left(), GUTTER) + 3, film.bottom() - 17, 12 + 8 * len(str(times)), 15)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(theme.WARNING))
    p.drawRoundedRect(badge, 3, 3)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QColor(theme.PLAYHEAD))
    p.setFont(figures(12))
    p.drawText(badge, Qt.AlignmentFlag.AlignCenter, f"{times}×")


def _paint_film(p: QPainter, timeline: Timeline, view: View, placed: Placed, film: QRectF, strips: Strips) -> None:
    """Thumbnails of what is on screen at the middle of each tile, after speed and direction."""
    p.fillRect(film, QColor(theme.SUNK))
    if placed.footage.kind == "solid":
        p.fillRect(film, QColor(placed.footage.path))
        return
    aspect = timeline.reel.width / timeline.reel.height
    tile = max(16.0, film.height() * aspect)
    first = math.floor(max(0.0, GUTTER - film.left()) / tile)
    lefts = np.arange(film.left() + first * tile, min(film.right(), view.width), tile)
    middles = np.floor((view.start_s + (lefts + tile / 2 - GUTTER) / view.px_per_s) * float(timeline.rate))
    sources = source_at_frames(placed, np.clip(middles, placed.first, placed.end - 1), timeline.rate)
    for x, source in zip(lefts.tolist(), sources.tolist(), strict=True):
        picture = strips.at(placed.footage.path, source)
        if picture is not None:
            draw_filling(p, QRectF(x, film.top(), tile - 1, film.height()), picture)
    for still, at_end in ((placed.short_before_s, False), (placed.short_after_s, True)):
        if still > 0:
            span = still * view.px_per_s
            left = film.right() - span if at_end else film.left()
            p.fillRect(
                QRectF(left, film.top(), span, film.height()),
                QBrush(QColor(theme.WARNING), Qt.BrushStyle.BDiagPattern),
            )


def draw_filling(p: QPainter, target: QRectF, picture: QPixmap) -> None:
    """Draw a picture so that it fills a box, its middle kept."""
    scale = max(target.width() / picture.width(), target.height() / picture.height())
    w, h = target.width() / scale, target.height() / scale
    p.drawPixmap(target, picture, QRectF((picture.width() - w) / 2, (picture.height() - h) / 2, w, h))


def trace_y(speed: float, box: QRectF) -> float:
    """Return where a speed lies in a trace: logarithmic from an eighth to eight times, one in the middle."""
    size = min(max(abs(speed), 0.125), 8.0)
    return box.center().y() - math.log2(size) / 6 * (box.height() - 6)


def _paint_trace(p: QPainter, timeline: Timeline, view: View, placed: Placed, box: QRectF) -> None:
    """The speed over the clip, chevrons where it runs backward, hatching where frames repeat."""
    p.setPen(colour(theme.TEXT, 0.12))
    p.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
    left, right = max(box.left(), GUTTER), min(box.right(), view.width)
    low, high = speed_range(placed.map.curve)
    # A constant speed is one straight line; a curve is sampled every few pixels.
    count = 2 if low == high else max(2, int((right - left) / 5))
    xs = np.linspace(left, right, count)
    times = np.array([view.time(float(x)) for x in xs]) - placed.begin / float(timeline.rate)
    speeds = placed.map.speed(times)
    floor = clean_floor(placed.footage, timeline.rate)
    slow = np.abs(speeds) < floor * 0.999
    for i in np.flatnonzero(slow[:-1]):
        p.fillRect(
            QRectF(xs[i], box.top(), xs[i + 1] - xs[i], box.height()),
            QBrush(colour(theme.WARNING, 0.55), Qt.BrushStyle.BDiagPattern),
        )
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    path = QPainterPath(QPointF(xs[0], trace_y(float(speeds[0]), box)))
    for x, v in zip(xs[1:], speeds[1:], strict=True):
        path.lineTo(float(x), trace_y(float(v), box))
    p.setPen(QPen(QColor(theme.SPEED), 1.8))
    p.drawPath(path)
    p.setPen(QPen(QColor(theme.TEXT), 1.6))
    y = box.top() - 14
    for run in np.split(np.arange(count), np.flatnonzero(np.diff(speeds < 0)) + 1):
        if speeds[run[0]] >= 0:
            continue
        a, b = float(xs[run[0]]), float(xs[run[-1]])
        x = a + min(14.0, (b - a) / 2)
        while x < b - 2:
            p.drawPolyline(QPolygonF([QPointF(x, y - 5), QPointF(x - 5, y), QPointF(x, y + 5)]))
            x += 9 if (x - a) % 46 < 22 else 28
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_pins(p: QPainter, timeline: Timeline, view: View, layout: Layout, selected: frozenset[str]) -> None:
    """A stitch from each point down to the cue that is tied to it; a selected clip's runs up to its point, and its
    cues that are tied to nothing show as open triangles."""
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    specks: list[QPointF] = []
    for placed in clips_in_view(timeline, view):
        bottom = cue_bottom(layout, placed)
        whole = placed.clip.id in selected
        if not whole and placed.frames * view.px_per_s / float(timeline.rate) < SLIVER_PX:
            specks += [QPointF(view.x(time_of(t.frame, timeline.rate)), bottom - 3) for t in placed.ties[:1]]
            continue
        for tie in placed.ties:
            x = view.x(time_of(tie.frame, timeline.rate))
            if GUTTER <= x <= view.width:
                p.setPen(QPen(QColor(theme.CUE), 1.6, Qt.PenStyle.DashLine))
                top = points_top() + 16 if whole else layout.picture_top(placed.clip.row) + HEAD_H
                p.drawLine(QPointF(x, top), QPointF(x, bottom - 8))
                paint_cue(p, x, bottom)
        if whole:
            for _, frame in free_cues(timeline, placed):
                x = view.x(frame / float(timeline.rate))
                if GUTTER <= x <= view.width:
                    paint_cue(p, x, bottom, 5.0, filled=False)
    p.setPen(QPen(QColor(theme.CUE), 2))
    p.drawPoints([s for s in specks if GUTTER <= s.x() <= view.width])
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def cue_bottom(layout: Layout, placed: Placed) -> float:
    """Return where the triangles of a clip's cues stand."""
    return layout.picture_top(placed.clip.row) + layout.picture_h - (TRACE_H if layout.picture_h > 80 else 12)


def free_cues(timeline: Timeline, placed: Placed) -> list[tuple[str, float]]:
    """Return the cues that a clip shows and that are tied to nothing, each with the frame (a fraction) it is seen at."""
    tied = {t.cue for t in placed.ties}
    out = []
    for cue in placed.footage.cues:
        if cue.id in tied:
            continue
        for at_s in placed.map.when(cue.time_s):
            frame = placed.begin + at_s * float(timeline.rate)
            if placed.first <= frame < placed.end:
                out.append((cue.id, frame))
    return out


def paint_cue(p: QPainter, x: float, bottom: float, size: float = 6.0, filled: bool = True) -> None:
    """A cue's sign: a small triangle standing on the instant; open while it is tied to nothing."""
    p.setPen(QPen(QColor(theme.GROUND if filled else theme.CUE), 1 if filled else 1.6))
    p.setBrush(QColor(theme.CUE) if filled else colour(theme.SUNK, 0.8))
    p.drawPolygon(QPolygonF([QPointF(x, bottom - 2 * size), QPointF(x + size, bottom), QPointF(x - size, bottom)]))
    p.setBrush(Qt.BrushStyle.NoBrush)


# A row's pulses are painted once for as long as the row, the song and the view are the same.
_row_pictures: OrderedDict[tuple[object, ...], tuple[Fired, QPixmap]] = OrderedDict()


def paint_rows(
    p: QPainter,
    timeline: Timeline,
    view: View,
    layout: Layout,
    hovered: tuple[int, str] | None,
    chosen: tuple[str, str] | None = None,
) -> None:
    """Accent rows; `hovered` is the cell under the pointer, `chosen` the row and pulse that the page edits."""
    for number, found in enumerate(timeline.fired):
        box = QRectF(GUTTER, layout.row_top(number), view.width - GUTTER, layout.row_h)
        if chosen is not None and chosen[0] == found.row.id:
            p.fillRect(box, colour(theme.PULSE, 0.07))
        for cell, alpha in ((hovered[1] if hovered and hovered[0] == number else "", 0.2),
                            (chosen[1] if chosen and chosen[0] == found.row.id else "", 0.3)):  # fmt: skip
            place = cell_box(timeline, view, found, cell, box) if cell else None
            if place is not None:
                p.fillRect(place, colour(theme.PULSE, alpha))
        p.drawPixmap(QPointF(0, box.top()), _row_picture(p, timeline, view, found, layout.row_h))


def cell_box(timeline: Timeline, view: View, found: Fired, cell: str, row: QRectF) -> QRectF | None:
    """Return where a cell lies: from its frame to the next cell's, none where the row has no such cell."""
    number = next((i for i, c in enumerate(found.cells) if c.id == cell), None)
    if number is None:
        return None
    left = view.x(time_of(found.cells[number].frame, timeline.rate))
    right = (
        view.x(time_of(found.cells[number + 1].frame, timeline.rate))
        if number + 1 < len(found.cells)
        else left + found.cells[number].gap_s * view.px_per_s
    )
    return QRectF(left, row.top(), max(right - left, 4.0), row.height())


def _row_picture(p: QPainter, timeline: Timeline, view: View, found: Fired, tall: int) -> QPixmap:
    ratio = p.device().devicePixelRatioF()
    key = (id(found), *view, timeline.rate, ratio, tall)
    kept = _row_pictures.get(key)
    if kept is None:
        picture = QPixmap(round(view.width * ratio), round(tall * ratio))
        picture.setDevicePixelRatio(ratio)
        picture.fill(Qt.GlobalColor.transparent)
        own = QPainter(picture)
        own.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if found.silent:
            own.setOpacity(0.35)
        _paint_row(own, timeline, view, QRectF(GUTTER, 0, view.width - GUTTER, tall), found)
        own.end()
        _row_pictures[key] = kept = (found, picture)
        while len(_row_pictures) > 24:
            _row_pictures.popitem(last=False)
    return kept[1]


def _paint_row(p: QPainter, timeline: Timeline, view: View, box: QRectF, found: Fired) -> None:
    narrow: list[QLineF] = []
    empty: list[QLineF] = []
    rate = float(timeline.rate)
    a = bisect_left(found.starts, (view.start_s - 4) * rate)
    b = bisect_right(found.starts, view.end_s * rate + 1)
    firing = {q.cell for q in found.pulses}
    first = bisect_left(found.cells, view.start_s * rate - 1, key=lambda c: c.frame)
    end = bisect_right(found.cells, min(view.end_s * rate, timeline.frames - 1), key=lambda c: c.frame)
    if end - first < 400:
        for cell in found.cells[first:end]:
            x = view.x(time_of(cell.frame, timeline.rate))
            if cell.gap_s * view.px_per_s >= NARROW_PX and cell.id not in firing and GUTTER <= x <= view.width:
                empty.append(QLineF(x + 1.5, box.bottom() - 3, x + 6, box.bottom() - 3))
    p.setPen(QPen(colour(theme.QUIET, 0.75), 1.4))
    p.drawLines(empty)
    for pulse in found.pulses[a:b]:
        if pulse.gap_s * view.px_per_s < NARROW_PX and not pulse.painted:
            x = view.x(time_of(pulse.frame, timeline.rate))
            tall = (box.height() - 6) * min(pulse.strength, 1.6) / 1.6
            if GUTTER <= x <= view.width:
                narrow.append(QLineF(x, box.bottom() - 3, x, box.bottom() - 3 - tall))
        else:
            _paint_pulse(p, timeline, view, box, pulse)
    p.setPen(QPen(colour(theme.PULSE, 0.7), 1.2))
    p.drawLines(narrow)
    _paint_keys(p, timeline, view, box, found)


def _paint_keys(p: QPainter, timeline: Timeline, view: View, box: QRectF, found: Fired) -> None:
    """Keys set by hand, as small open squares along the row's top; the level's as a line to scale."""
    for name, keys in found.keyed.items():
        spots = [QPointF(view.x(time_of(frame, timeline.rate)), 0.0) for frame, _, _ in keys]
        for spot, (_, value, _) in zip(spots, keys, strict=True):
            tall = (box.height() - 8) * min(value, 1.6) / 1.6 if name == "level" else box.height() - 8
            spot.setY(box.bottom() - 4 - tall)
        p.setPen(QPen(QColor(theme.TEXT), 1.3))
        if name == "level":
            p.drawPolyline(QPolygonF(spots))
        for spot in spots:
            if GUTTER <= spot.x() <= view.width:
                p.drawRect(QRectF(spot.x() - 2.5, spot.y() - 2.5, 5, 5))


@lru_cache(256)
def _pulse_shape(form: Form, frame_px: float, first: int, end: int) -> QPainterPath:
    """Return an envelope's outline, its point at the origin, one high and upward, `frame_px` wide a frame, cut off at the
    frames `first` and `end`."""
    before, after = span_frames(form)
    path = QPainterPath(QPointF(0, 0))
    for k in range(max(-before, first), min(after, end) + 1):
        size = level(form, k) if k < end else 0.0
        if frame_px >= FRAMES_SHOW_PX:  # single frames show as the steps that they are
            if size > 0:
                path.lineTo(k * frame_px, -size)
                path.lineTo((k + 1) * frame_px, -size)
        elif k >= 0 or size > 0:  # nothing is drawn before the envelope begins
            path.lineTo(k * frame_px, -size)
    path.lineTo(path.currentPosition().x(), 0)
    path.closeSubpath()
    return path


def _paint_pulse(p: QPainter, timeline: Timeline, view: View, box: QRectF, pulse: Pulse) -> None:
    """The envelope to scale in time: its lead and its decay are seen against the frames. What is painted by hand is
    brighter and has a bar under it."""
    x = view.x(time_of(pulse.frame, timeline.rate))
    if not GUTTER - 400 * view.px_per_s / 60 <= x <= view.width + 60:
        return
    frame_px = view.px_per_s / float(timeline.rate)
    first, end = (
        (-3600, 3600) if pulse.within is None else (pulse.within[0] - pulse.frame, pulse.within[1] - pulse.frame)
    )
    shape = _pulse_shape(pulse.form, frame_px, first, end)
    tall = (box.height() - 6) * min(pulse.strength, 1.6) / 1.6
    p.setPen(QPen(QColor(theme.TEXT if pulse.painted else theme.PULSE), 1.2))
    p.setBrush(colour(theme.PULSE, 0.95 if pulse.painted else 0.45))
    p.drawPath(QTransform(1, 0, 0, tall, x, box.bottom() - 3).map(shape))
    if frame_px * pulse.form.hold < 2.5:  # a pulse of a frame or two must not vanish in a long view
        p.drawLine(QPointF(x, box.bottom() - 3), QPointF(x, box.bottom() - 3 - tall))
    if pulse.painted:
        p.setPen(QPen(QColor(theme.TEXT), 2))
        p.drawLine(QPointF(x, box.bottom() - 1), QPointF(x + 6, box.bottom() - 1))
    p.setBrush(Qt.BrushStyle.NoBrush)


def paint_made_ahead(p: QPainter, timeline: Timeline, view: View, stretches: Sequence[tuple[int, int, bool]]) -> None:
    """A line along the ruler's foot over frames that are dear to make: whole where they are ready, dotted where not."""
    for first, end, ready in stretches:
        left, right = (view.x(time_of(k, timeline.rate)) for k in (first, end))
        left, right = max(left, GUTTER), min(max(right, left + 2), view.width)
        if right > left:
            pen = QPen(QColor(theme.GOOD if ready else theme.WARNING_TEXT), 2)
            if not ready:
                pen.setStyle(Qt.PenStyle.DotLine)
            p.setPen(pen)
            p.drawLine(QPointF(left, RULER_H - 1.5), QPointF(right, RULER_H - 1.5))


def paint_snap(p: QPainter, view: View, layout: Layout, x: float, said: str) -> None:
    """Where a drag has snapped: a line through all rows, and to what."""
    p.setPen(QPen(QColor(theme.RHYTHM), 2))
    p.drawLine(QPointF(x, RULER_H), QPointF(x, layout.pictures_end + 4))
    p.setFont(words(12))
    wide = p.fontMetrics().horizontalAdvance(said) + 12
    left = min(max(x - wide / 2, GUTTER), view.width - wide)
    p.fillRect(QRectF(left, RULER_H + 1, wide, 18), QColor(theme.RHYTHM))
    p.setPen(QColor(theme.SUNK))
    p.drawText(QRectF(left, RULER_H + 1, wide, 18), Qt.AlignmentFlag.AlignCenter, said)


def paint_playhead(p: QPainter, view: View, x: float, height: int) -> None:
    """White with a dark edge, readable over anything."""
    if not GUTTER <= x <= view.width:
        return
    p.setPen(QPen(QColor(0, 0, 0, 160), 3))
    p.drawLine(QPointF(x, 22), QPointF(x, height))
    p.setPen(QPen(QColor(theme.PLAYHEAD), 1.4))
    p.drawLine(QPointF(x, 22), QPointF(x, height))
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(QColor(0, 0, 0, 160), 1))
    p.setBrush(QColor(theme.PLAYHEAD))
    p.drawPolygon(QPolygonF([QPointF(x - 6, 21), QPointF(x + 6, 21), QPointF(x, 30)]))
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def missing_footage(reel: Reel) -> set[str]:
    """Return the paths of footage that are not there, for marking its clips."""
    return {f.path for f in reel.footage if f.kind != "solid" and not Path(f.path).is_file()}
