"""Painting the rhythm view: sections, bars, the song's bands, points, seconds."""

from __future__ import annotations

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import NamedTuple

import numpy as np
from PySide6.QtCore import QLineF, QPointF, QRectF, Qt
from PySide6.QtGui import QColor, QPainter, QPainterPath, QPen

from tempik.desktop.session.song import Song
from tempik.desktop.song.wave import BANDS, level_colour, paint_sign, wave_picture
from tempik.desktop.widgets import theme
from tempik.desktop.widgets.axis import Axis
from tempik.desktop.widgets.drawing import draw_label
from tempik.desktop.widgets.theme import colour, figures, words
from tempik.reel import Point, Soundtrack, beats_between
from tempik.reel.points import tempi_of
from tempik.time import clock_text

SECTIONS_H = 18
BARS_H = 20
SECONDS_H = 18
AIR_PX = 8  # before the song and after it
HEAD_H = 20  # where the points' diamonds stand, above the wave
MOST_PX_PER_S = 8000.0  # eight pixels a millisecond
SAMPLES_SHOW = 2500.0  # from here on single swings are drawn rather than their outline


class SongSpan(Axis):
    """The stretch of the song on screen."""

    def kept_on(self, length_s: float) -> SongSpan:
        """Return the span within the song, no wider than all of it with a little air about it."""
        scale = min(max(self.px_per_s, self.fitting(length_s, AIR_PX)), MOST_PX_PER_S)
        return SongSpan(*self._replace(px_per_s=scale).kept(length_s, AIR_PX))

    def scaled(self, factor: float, x: float, length_s: float) -> SongSpan:
        """Return the span scaled about the instant under `x`, from the whole song to a millisecond."""
        return SongSpan(*self.zoomed(factor, x, self.fitting(length_s, AIR_PX), MOST_PX_PER_S)).kept_on(length_s)

    def shows_all(self, length_s: float) -> bool:
        """Tell whether the whole song is on screen."""
        return self.px_per_s <= self.fitting(length_s, AIR_PX) * 1.001

    @staticmethod
    def whole(length_s: float, width: int) -> SongSpan:
        """Return the span that shows the whole song."""
        return SongSpan(-length_s, 0.0, max(1, width)).kept_on(length_s)


def wave_box(height: int) -> tuple[float, float]:
    """Return the top and bottom of the wave."""
    return SECTIONS_H + BARS_H + HEAD_H, height - SECONDS_H


def paint_background(p: QPainter, record: Soundtrack, span: SongSpan, height: int, reel: tuple[float, float]) -> None:
    """The ground; what the reel does not use lies darker."""
    p.fillRect(0, 0, span.width, height, QColor(theme.SUNK))
    top, bottom = SECTIONS_H + BARS_H, height - SECONDS_H
    left, right = max(0.0, span.x(reel[0])), min(float(span.width), span.x(reel[1]))
    if right > left:
        p.fillRect(QRectF(left, top, right - left, bottom - top), QColor(theme.GROUND))


def paint_sections(p: QPainter, record: Soundtrack, span: SongSpan, tags: Sequence[TempoTag]) -> None:
    """Paint the song's sections along the wave, by how loud they are, their names beside the tags of tempo."""
    heard = record.heard
    p.setFont(words(12))
    for section in heard.sections if heard else ():
        left, right = span.x(section.start_s), span.x(section.end_s)
        if right < 0 or left > span.width:
            continue
        box = QRectF(left, 0, right - left - 1, SECTIONS_H - 2)
        p.fillRect(box, level_colour(section.level))
        shown = box.intersected(QRectF(0, 0, span.width, SECTIONS_H - 2))
        if heard and any(abs(d - section.start_s) < 0.6 for d in heard.drops):
            shown = shown.adjusted(38, 0, 0, 0)
        for told in tags:
            if told.box.left() < shown.left() + 60 and told.box.right() > shown.left():
                shown.setLeft(told.box.right())
        if shown.width() > 50:
            p.setPen(QColor(theme.TEXT))
            p.drawText(shown.adjusted(6, 0, -2, 0), Qt.AlignmentFlag.AlignVCenter, section.name)
    for drop in heard.drops if heard else ():
        x = span.x(drop)
        if -40 <= x <= span.width:
            p.fillRect(QRectF(x - 1, 0, 2, SECTIONS_H + BARS_H), QColor(theme.RHYTHM))
            p.setPen(QColor(theme.GROUND))
            tag = QRectF(x + 1, 1, 36, SECTIONS_H - 4)
            p.fillRect(tag, QColor(theme.RHYTHM))
            p.setFont(words(12, True))
            p.drawText(tag, Qt.AlignmentFlag.AlignCenter, "drop")
            p.setFont(words(12))


class TempoTag(NamedTuple):
    """What says that the tempo changes: where, the box of its words over the sections, and the words."""

    x: float
    box: QRectF
    text: str


def tempo_tags(p: QPainter, record: Soundtrack, span: SongSpan) -> list[TempoTag]:
    """Return the tags of the changes of tempo in view; none where it keeps."""
    p.setFont(figures(11, True))
    out = []
    for before, tempo in pairwise(tempi_of(record)):
        x, text = span.x(tempo.start_s), f"{before.bpm:.0f} → {tempo.bpm:.0f} BPM"
        wide = p.fontMetrics().horizontalAdvance(text) + 10
        if -wide <= x <= span.width:
            out.append(TempoTag(x, QRectF(min(x, span.width - wide), 0, wide, SECTIONS_H - 2), text))
    return out


def paint_tempi(p: QPainter, tags: Sequence[TempoTag]) -> None:
    """Paint where the tempo changes, and to what, over the sections."""
    p.setFont(figures(11, True))
    for x, tag, text in tags:
        p.fillRect(tag, QColor(theme.GROUND))
        p.fillRect(QRectF(x - 1, 0, 2, SECTIONS_H + BARS_H), QColor(theme.TEXT))
        p.setPen(QColor(theme.TEXT))
        p.drawText(tag, Qt.AlignmentFlag.AlignCenter, text)


def paint_bars(p: QPainter, record: Soundtrack, span: SongSpan) -> None:
    """The ruler that is even in beats: bars, and beats where there is room."""
    p.fillRect(QRectF(0, SECTIONS_H, span.width, BARS_H), QColor(theme.RAISED))
    beats = beats_between(record, span.start_s - 4, span.end_s + 1)
    if len(beats) < 2:
        p.setPen(QColor(theme.QUIET))
        p.setFont(words(12))
        p.drawText(QRectF(8, SECTIONS_H, span.width, BARS_H), Qt.AlignmentFlag.AlignVCenter, "no steady beat here")
        return
    beat_px = (beats[-1].time_s - beats[0].time_s) / (len(beats) - 1) * span.px_per_s
    metre = max(b.beat for b in beats)
    step = next((s for s in (1, 2, 4, 8, 16, 32) if beat_px * metre * s >= 40), 64)
    if not any(0 <= span.x(b.time_s) <= span.width for b in beats):
        before = [b for b in beats if b.time_s < span.start_s]
        p.setPen(QColor(theme.QUIET))
        p.setFont(figures(12))
        if before:
            p.drawText(QPointF(6, SECTIONS_H + 14), f"after {before[-1].label}")
    for beat in beats:
        x = span.x(beat.time_s)
        if beat.beat == 1:
            if (beat.bar - 1) % step == 0:
                p.setPen(QColor(theme.TEXT))
                p.setFont(figures(12, True))
                draw_label(p, QPointF(x + 4, SECTIONS_H + 14), str(beat.bar), span.width)
        elif beat_px >= 44:
            p.setPen(QColor(theme.QUIET))
            p.setFont(figures(12))
            draw_label(p, QPointF(x + 4, SECTIONS_H + 14), beat.label, span.width)
        if beat.beat == 1 or beat_px >= 6:
            p.setPen(colour(theme.RHYTHM, 0.85 if beat.beat == 1 else 0.4))
            p.drawLine(QPointF(x, SECTIONS_H + (4 if beat.beat == 1 else 12)), QPointF(x, SECTIONS_H + BARS_H - 1))


def paint_seconds(p: QPainter, span: SongSpan, height: int) -> None:
    """The ruler that is even in time, to single milliseconds."""
    top = height - SECONDS_H
    p.fillRect(QRectF(0, top, span.width, SECONDS_H), QColor(theme.RAISED))
    steps = (0.001, 0.002, 0.005, 0.01, 0.02, 0.05, 0.1, 0.2, 0.5, 1, 2, 5, 10, 20, 30, 60, 120, 300)
    step = next((s for s in steps if s * span.px_per_s >= 64), 600)
    p.setFont(figures(12))
    p.setPen(QColor(theme.QUIET))
    k = max(0, math.floor(span.start_s / step))
    while k * step <= span.end_s:
        x = span.x(k * step)
        p.drawLine(QPointF(x, top), QPointF(x, top + 4))
        seconds = k * step
        text = f"{seconds:.3f}" if step < 0.01 else f"{seconds:.2f}" if step < 1 else clock_text(seconds).split(".")[0]
        draw_label(p, QPointF(x + 4, top + 14), text, span.width)
        k += 1


def paint_wave(p: QPainter, song: Song, span: SongSpan, height: int) -> None:
    """Low, middle and high over each other; so near that a millisecond is wide, the swing itself."""
    top, bottom = wave_box(height)
    middle, half = (top + bottom) / 2, (bottom - top) / 2 - 2
    if song.sound is not None and span.px_per_s >= SAMPLES_SHOW:
        _paint_swing(p, song, span, middle, half)
        return
    picture = wave_picture(
        song, span.start_s, span.px_per_s, (span.width, int(bottom - top)), BANDS, p.device().devicePixelRatioF()
    )
    if picture is not None:
        p.drawPixmap(QPointF(0, top), picture)


def _paint_swing(p: QPainter, song: Song, span: SongSpan, middle: float, half: float) -> None:
    if song.sound is None:
        return
    rate = song.sound.rate
    first, last = max(0, int(span.start_s * rate) - 1), min(len(song.sound.samples), int(span.end_s * rate) + 2)
    part = np.asarray(song.sound.samples[first:last]).mean(axis=1)
    if not len(part):
        return
    near = np.asarray(song.sound.samples[max(0, first - rate) : last + rate])
    top = max(float(np.abs(near).max()), 0.05)
    xs = ((np.arange(first, first + len(part)) / rate) - span.start_s) * span.px_per_s
    ys = middle - part / top * half
    path = QPainterPath(QPointF(float(xs[0]), float(ys[0])))
    for x, y in zip(xs[1:].tolist(), ys[1:].tolist(), strict=True):
        path.lineTo(x, y)
    p.setPen(QColor(theme.LINE))
    p.drawLine(QPointF(0, middle), QPointF(span.width, middle))
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    p.setPen(QPen(QColor(BANDS[2]), 1.3))
    p.drawPath(path)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_points(
    p: QPainter, points: list[Point], span: SongSpan, height: int, selected: frozenset[str], anchors: frozenset[str]
) -> None:
    """Each point a line whose height is its strength, with its sign on top: filled is a downbeat, open a beat, barred
    placed by hand, a dot an onset. Selected ones are ringed, locked ones underlined, anchors drawn to the bottom."""
    top, bottom = wave_box(height)
    sign_y = top - HEAD_H / 2
    usual = span.width / max(1, len(points)) if points else 99
    signs = usual > 5
    for point in points:  # upright stripes on whole pixels: there is nothing to be smoothed
        chosen, strong = point.id in selected, point.kind in ("downbeat", "drop")
        height_px = (bottom - top) * (0.12 + 0.88 * point.strength)
        tint = theme.RHYTHM if point.kind != "onset" else theme.PULSE
        if usual > 8 or chosen:
            shade, wide = colour(tint, 1.0 if chosen or strong else 0.62), 2.0 if strong or chosen else 1.0
        else:  # from far, the wave must stay readable behind its points
            shade, wide = colour(tint, 0.75 if strong else 0.3), 1.0
        p.fillRect(QRectF(span.x(point.time_s) - wide / 2, bottom - height_px, wide, height_px), shade)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
    for point in points:
        x = span.x(point.time_s)
        chosen, strong = point.id in selected, point.kind in ("downbeat", "drop")
        if point.id in anchors:
            p.setPen(QPen(QColor(theme.TEXT), 1.4, Qt.PenStyle.DashLine))
            p.drawLine(QPointF(x, top - HEAD_H + 2), QPointF(x, bottom))
        if signs or strong or chosen:
            paint_sign(p, x, sign_y, point, 5.5 if usual > 12 else 4.0)
        p.setRenderHint(QPainter.RenderHint.Antialiasing, True)
        if chosen:
            p.setPen(QPen(QColor(theme.PLAYHEAD), 1.6))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawEllipse(QPointF(x, sign_y), 8.5, 8.5)
        if point.name and usual > 3:
            p.setPen(QColor(theme.TEXT))
            p.setFont(words(12))
            p.drawText(QPointF(x + 9, sign_y + 4), point.name)
    p.setRenderHint(QPainter.RenderHint.Antialiasing, False)


def paint_taps(p: QPainter, taps: list[float], span: SongSpan, height: int) -> None:
    """Paint what was tapped, in seconds of the song, as short lines below the wave."""
    _, bottom = wave_box(height)
    p.setPen(QPen(QColor(theme.SPEED), 1.6))
    p.drawLines([QLineF(span.x(t), bottom - 16, span.x(t), bottom) for t in taps])


def paint_marked(p: QPainter, marked: tuple[float, float], span: SongSpan, height: int, looping: bool) -> None:
    """The marked stretch: a bright band in the bars' ruler and two lines through everything."""
    left, right = span.x(marked[0]), span.x(marked[1])
    p.fillRect(QRectF(left, SECTIONS_H + BARS_H - 4, right - left, 4), QColor(theme.SPEED))
    p.fillRect(QRectF(left, SECTIONS_H + BARS_H, right - left, height), colour(theme.SPEED, 0.09 if looping else 0.05))
    p.setPen(QPen(QColor(theme.SPEED), 1.4, Qt.PenStyle.SolidLine if looping else Qt.PenStyle.DashLine))
    for x in (left, right):
        p.drawLine(QPointF(x, SECTIONS_H), QPointF(x, height - SECONDS_H))
