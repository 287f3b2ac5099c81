"""A clip as it is painted: name, thumbnails of what is on screen, speed, where frames repeat."""

from __future__ import annotations

import math

import numpy as np
from PySide6.QtCore import QPointF, QRectF, Qt
from PySide6.QtGui import QBrush, QColor, QFontMetricsF, QPainter, QPainterPath, QPen, QPixmap, QPolygonF

from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.timeline.axis import GUTTER, View
from tempik.desktop.timeline.lane import PaintContext
from tempik.desktop.timeline.lanes.clip_waves import paint_clip_wave, wave_height, wave_outline
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.clip_signs import SIGN_PX, paint_signs, signs_of
from tempik.desktop.widgets.drawing import draw_filling
from tempik.desktop.widgets.pixmap_cache import cached_picture
from tempik.desktop.widgets.plain import one_line
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.retime import speed_range
from tempik.time import time_of
from tempik.timeline.inside import frame_inside, inside_of, placed_within
from tempik.timeline.placed_clip import PlacedClip, clean_floor, repeats_most, source_at_frames
from tempik.timeline.timeline import Timeline

# Clip grounds, one a piece of footage in turn: all dark and close, so that they part clips without shouting.
CLIP_TINTS = ("#4a3220", "#54291e", "#25333d", "#4d3b17", "#3a322c", "#3d2b3a", "#2b3a2c", "#473626")
HEAD_H = 19
LEAST_LETTERS = 4  # of a name that is cut off, with the sign that it is
TRACE_H = 26
# A clip narrower than this is painted without words and trace.
SLIVER_PX = 9


LOW_H = 34  # below it there is no room for pictures


def clip_picture(p: QPainter, ctx: PaintContext, placed: PlacedClip, box: QRectF, tint: QColor) -> QPixmap:
    """Return a clip painted by itself. It is kept for as long as what it shows, its size and its filmstrip are the same: points
    that move it along the reel, or another name for them, do not paint it again, nor does changing another clip."""
    wide, height_px = max(1, round(box.width())), round(box.height())
    reel = ctx.timeline.reel
    gone = placed.footage.path in ctx.watch.missing

    def paint(own: QPainter) -> None:
        own.translate(-GUTTER, 0)
        alone = View.of(time_of(placed.first, reel.rate), ctx.view.px_per_s, GUTTER + wide)
        paint_clip(own, ctx._replace(view=alone), placed, QRectF(GUTTER, 0, wide, height_px), tint)

    key = (
        "clip",
        tint.rgb(),
        gone,
        strips_version(ctx, placed),
        reel.width / reel.height,
        reel.interpolation,
        placed.first - placed.begin,
        placed.frames,
        placed.short_before_s,
        placed.short_after_s,
    )
    return cached_picture(
        key,
        (placed.clip, placed.footage, placed.map, wave_outline(ctx, placed)),
        (wide, height_px),
        p.device().devicePixelRatioF(),
        paint,
    )


def paint_clip(p: QPainter, ctx: PaintContext, placed: PlacedClip, box: QRectF, tint: QColor) -> None:
    """A clip with its name, pictures, speed and trace."""
    timeline, view, filmstrips = ctx.timeline, ctx.view, ctx.filmstrips
    p.save()
    # Within what is painted anew: over the rest of the clip lie its keys and plates, which are not.
    seen = box.adjusted(0, 0, 1, 0).intersected(QRectF(GUTTER, 0, view.width - GUTTER, 4000))
    p.setClipRect(seen, Qt.ClipOperation.IntersectClip)
    p.fillRect(box, tint)
    if box.height() < LOW_H:  # folded: its name on its colour
        _paint_head(p, placed, box, placed.footage.path in ctx.watch.missing)
        p.restore()
        return
    trace_h = TRACE_H if box.height() > 80 else 12.0
    wave_h = wave_height(placed, box.height())
    film = QRectF(box.left(), box.top() + HEAD_H, box.width(), box.height() - HEAD_H - trace_h - wave_h)
    _paint_film(p, timeline, view, placed, film, filmstrips)
    if placed.footage.kind == "video":
        _paint_trace(p, timeline, view, placed, QRectF(box.left(), film.bottom() + wave_h, box.width(), trace_h))
    if wave_h:
        paint_clip_wave(p, ctx, placed, QRectF(box.left(), film.bottom(), box.width(), wave_h))
    _paint_head(p, placed, box, placed.footage.path in ctx.watch.missing)
    _paint_repeats(p, timeline, placed, film)
    p.restore()


def speed_text(placed: PlacedClip) -> str:
    """Return a clip's speed in percent, from its first to its last or from its lowest to its highest; '' where it is
    played as shot."""
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
    return "" if low == high == 1.0 else speed


def _paint_head(p: QPainter, placed: PlacedClip, box: QRectF, gone: bool) -> None:
    """The clip's name and its speed."""
    name = _shown_name(placed, gone)
    left = box.left() + 6
    room = box.right() - left - 6
    p.setFont(words(12))
    p.setPen(QColor(theme.WARNING_TEXT if gone else theme.TEXT))
    text = QFontMetricsF(words(12)).elidedText(name, Qt.TextElideMode.ElideRight, max(room, 0))
    if text != name and len(text) <= LEAST_LETTERS:
        text = ""  # the tip has it
    p.drawText(QRectF(left, box.top(), max(room, 0), HEAD_H), Qt.AlignmentFlag.AlignVCenter, text)
    used = QFontMetricsF(words(12)).horizontalAdvance(name if text else "") + (14 if text else 0)
    signs = signs_of(placed.clip)
    if signs and used + SIGN_PX * len(signs) <= room:
        paint_signs(p, QPointF(left + max(used - 8, 0), box.top() + HEAD_H / 2), signs, QColor(theme.TEXT))
        used += SIGN_PX * len(signs) + 4
    speed = speed_text(placed)
    # A figure that is cut off would be another figure: the shape's name gives way, then the whole.
    if figures_wide(speed) > room - used:
        speed = speed.rsplit(" ", 1)[-1]
    if speed and figures_wide(speed) <= room - used:
        p.setFont(figures(12))
        p.setPen(QColor(theme.SPEED))
        beside = QRectF(left + used, box.top(), room - used, HEAD_H)
        p.drawText(beside, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight, speed + " %")


def _shown_name(placed: PlacedClip, gone: bool) -> str:
    name = placed.footage.name.rsplit(".", 1)[0]
    if placed.clip.title is not None:
        name = one_line(placed.clip.title.text) or "title"
    return "missing: " + name if gone else name


def paint_name_again(p: QPainter, placed: PlacedClip, box: QRectF, ctx: PaintContext, tint: QColor) -> None:
    """A clip's name where the view begins, its own having gone out of it, with a sign that the clip began before."""
    gone = placed.footage.path in ctx.watch.missing
    measure = QFontMetricsF(words(12))
    room = box.right() - GUTTER - 12
    if room < 30:
        return
    text = measure.elidedText("‹ " + _shown_name(placed, gone), Qt.TextElideMode.ElideRight, room)
    p.fillRect(QRectF(GUTTER, box.top(), measure.horizontalAdvance(text) + 12, HEAD_H), tint)
    p.setFont(words(12))
    p.setPen(QColor(theme.WARNING_TEXT if gone else theme.TEXT))
    p.drawText(QRectF(GUTTER + 6, box.top(), room, HEAD_H), Qt.AlignmentFlag.AlignVCenter, text)


def figures_wide(speed: str) -> float:
    """Return how wide a clip's speed is written."""
    return float(QFontMetricsF(figures(12)).horizontalAdvance(speed + " %"))


def _paint_repeats(p: QPainter, timeline: Timeline, placed: PlacedClip, film: QRectF) -> None:
    """A badge with how often frames repeat at the slowest, where none are made in between."""
    if (placed.clip.interpolation or timeline.reel.interpolation) != "nearest" or placed.footage.kind != "video":
        return
    times = repeats_most(placed, timeline.rate)
    if times < 2 or film.width() < 34 or film.height() < 20:
        return
    badge = QRectF(film.left() + 3, film.bottom() - 17, 12 + 8 * len(str(times)), 15)
    p.setPen(Qt.PenStyle.NoPen)
    p.setBrush(QColor(theme.WARNING))
    p.drawRoundedRect(badge, 3, 3)
    p.setBrush(Qt.BrushStyle.NoBrush)
    p.setPen(QColor(theme.PLAYHEAD))
    p.setFont(figures(12))
    p.drawText(badge, Qt.AlignmentFlag.AlignCenter, f"{times}×")


def _paint_film(
    p: QPainter, timeline: Timeline, view: View, placed: PlacedClip, film: QRectF, filmstrips: Filmstrips
) -> None:
    """Thumbnails of what is on screen at the middle of each tile, after speed and direction."""
    p.fillRect(film, QColor(theme.SUNK))
    if placed.footage.kind == "solid":
        p.fillRect(film, QColor(placed.footage.path))
        return
    if placed.footage.nest is not None:
        _paint_inside(p, timeline, view, placed, film, filmstrips)
        return
    if placed.footage.as_frame:
        _paint_words(p, placed, film)
        return
    aspect = timeline.reel.width / timeline.reel.height
    tile = max(16.0, film.height() * aspect)
    first = math.floor(max(0.0, GUTTER - film.left()) / tile)
    lefts = np.arange(film.left() + first * tile, min(film.right(), view.width), tile)
    middles = np.floor((view.start_s + (lefts + tile / 2 - GUTTER) / view.px_per_s) * float(timeline.rate))
    sources = source_at_frames(placed, np.clip(middles, placed.first, placed.end - 1), timeline.rate)
    for x, source in zip(lefts.tolist(), sources.tolist(), strict=True):
        picture = filmstrips.at(placed.footage.path, source)
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


def strips_version(ctx: PaintContext, placed: PlacedClip) -> object:
    """Return what tells the pictures that a clip is painted with from older ones."""
    if placed.footage.nest is None:
        return ctx.filmstrips.version(placed.footage.path)
    inside = inside_of(ctx.timeline, placed.footage)
    return id(inside), *(ctx.filmstrips.version(p.footage.path) for p in placed_within(inside))


def _paint_inside(
    p: QPainter, timeline: Timeline, view: View, placed: PlacedClip, film: QRectF, filmstrips: Filmstrips
) -> None:
    """What lies in a nest, each piece with the pictures of its uppermost clip, and a line on top that says it is one."""
    inside = inside_of(timeline, placed.footage)
    tile = max(16.0, film.height() * timeline.reel.width / timeline.reel.height)
    lefts = np.arange(film.left(), min(film.right(), view.width), tile)
    middles = np.floor((view.start_s + (lefts + tile / 2 - GUTTER) / view.px_per_s) * float(timeline.rate))
    middles = np.clip(middles, placed.first, placed.end - 1)
    sources = source_at_frames(placed, middles, timeline.rate)
    for x, source in zip(lefts.tolist(), sources.tolist(), strict=True):
        frame = frame_inside(timeline, placed, source)
        here = [c for c in inside.clips_at(frame) if not c.footage.without_file or c.footage.kind == "solid"]
        if not here:
            continue
        box = QRectF(x, film.top(), tile - 1, film.height())
        if here[-1].footage.kind == "solid":
            p.fillRect(box, QColor(here[-1].footage.path))
            continue
        picture = filmstrips.at(here[-1].footage.path, float(source_at_frames(here[-1], [frame], timeline.rate)[0]))
        if picture is not None:
            draw_filling(p, box, picture)
    p.fillRect(QRectF(film.left(), film.top(), film.width(), 3), QColor(theme.TEXT))


def _paint_words(p: QPainter, placed: PlacedClip, film: QRectF) -> None:
    """A title's words where they do not stand on points of their own; an adjust clip's slot, hatched."""
    if placed.footage.kind == "adjust":
        p.fillRect(film, QBrush(colour(theme.TEXT, 0.12), Qt.BrushStyle.DiagCrossPattern))
        return
    title = placed.clip.title
    if title is not None and "word" not in placed.clip.keys:
        p.setFont(words(13))
        p.setPen(QColor(theme.TEXT))
        p.drawText(
            film.adjusted(6, 2, -4, -2),
            int(Qt.AlignmentFlag.AlignVCenter | Qt.TextFlag.TextWordWrap),
            one_line(title.text),
        )


def trace_y(speed: float, box: QRectF) -> float:
    """Return where a speed lies in a trace: logarithmic from an eighth to eight times, one in the middle."""
    size = min(max(abs(speed), 0.125), 8.0)
    return box.center().y() - math.log2(size) / 6 * (box.height() - 6)


def _paint_trace(p: QPainter, timeline: Timeline, view: View, placed: PlacedClip, box: QRectF) -> None:
    """The speed over the clip, chevrons where it runs backward, hatching where frames repeat."""
    p.setPen(colour(theme.TEXT, 0.12))
    p.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.right(), box.center().y()))
    left, right = max(box.left(), GUTTER), min(box.right(), view.width)
    low, high = speed_range(placed.map.curve)
    # A constant speed is one straight line; a curve is sampled every few pixels from the clip's own head on.
    xs = np.array([left, right])
    if low != high:
        xs = np.arange(box.left() + 5 * math.floor((left - box.left()) / 5), right + 5, 5)
    times = view.start_s + (xs - GUTTER) / view.px_per_s - placed.begin / float(timeline.rate)
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
    for run in np.split(np.arange(len(xs)), np.flatnonzero(np.diff(speeds < 0)) + 1):
        if speeds[run[0]] >= 0:
            continue
        a, b = float(xs[run[0]]), float(xs[run[-1]])
        # Threes of them stand at fixed places of the clip; a short stretch has one.
        steps = range(math.floor((a - box.left()) / 46), math.ceil((b - box.left()) / 46))
        at = [x for n in steps for k in range(3) if a + 5 <= (x := box.left() + 46 * n + 14 + 9 * k) < b - 2]
        for x in at or [(a + b) / 2]:
            p.drawPolyline(QPolygonF([QPointF(x, y - 5), QPointF(x - 5, y), QPointF(x, y + 5)]))
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)
