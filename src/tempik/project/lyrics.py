"""Lyrics and subtitles: LRC (with times of words, as some players write them), SubRip and WebVTT, read and written."""

from __future__ import annotations

import html
import re
from bisect import bisect_right
from collections.abc import Callable, Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

from tempik.disk.reading import read_whole
from tempik.disk.writing import write_whole
from tempik.errors import TempikError
from tempik.titles.line import Line
from tempik.titles.words import BOUND, JOINER, PARTED, cleaned, spans_of, unspaced, words_of

KINDS = (".lrc", ".srt", ".vtt")
MOST_MB = 4
MOST_LINES = 5000
MOST_LETTERS, MOST_ROWS = 10_000, 100_000  # of a line of the file, and of those
LAST_LINE_S = 4.0  # how long a line is that has neither an end nor a line after it


class Lyrics(NamedTuple):
    """The lines of a file in order of time, and what of it was put right, as a sentence; '' for nothing."""

    lines: tuple[Line, ...]
    message: str = ""


def read_lyrics(path: Path) -> Lyrics:
    """Read a file of lines with times. Lines are brought into order, and of two that overlap the first ends where the second
    begins. Raises TempikError for what is none, or holds no line."""
    kind = path.suffix.lower()
    if kind not in KINDS:
        raise TempikError(f"{path} is no lyrics or subtitles that can be read; give a .lrc, .srt or .vtt file.")
    text, message = _decoded(read_whole(path, MOST_MB))
    long = max(map(len, text.split("\n")))
    if long > MOST_LETTERS or text.count("\n") > MOST_ROWS:
        what = f"a line of {long} letters" if long > MOST_LETTERS else f"more than {MOST_ROWS} lines"
        raise TempikError(f"{path} has {what}, which no lyrics have; choose another file.")
    try:
        found = {".lrc": _from_lrc, ".srt": _from_srt, ".vtt": _from_vtt}[kind](text)
    except (ValueError, OverflowError):
        found = []
    found = [line for line in found if line.text.strip() and 0 <= line.start_s < 86_400]
    if not found:
        raise TempikError(f"{path} holds no line with a time; choose another file, or type the words.")
    if len(found) > MOST_LINES:
        raise TempikError(f"{path} has {len(found)} lines; {MOST_LINES} are the most.")
    ordered = sorted(found, key=lambda line: line.start_s)
    notes = [message] if message else []
    if ordered != found:
        notes.append("lines were brought into order")
    lines, overlapping = [], 0
    for line, after in zip(ordered, [*ordered[1:], None], strict=True):
        end_s = max(line.end_s, line.start_s + 0.05)
        if after is not None and end_s > after.start_s:
            overlapping += line.end_s > after.start_s + 1e-6
            end_s = max(after.start_s, line.start_s)
        lines.append(line._replace(end_s=end_s))
    if overlapping:
        notes.append(f"{overlapping} overlapping lines end where the next begins")
    whole = [line for line in lines if line.end_s > line.start_s]
    return Lyrics(tuple(whole), f"{path.name}: {'; '.join(notes)}." if notes else "")


def _decoded(data: bytes) -> tuple[str, str]:
    """Return a file's text, and what had to be guessed of its encoding."""
    if data[:2] in (b"\xff\xfe", b"\xfe\xff"):
        return data.decode("utf-16", "replace"), ""
    try:
        return data.decode("utf-8-sig"), ""
    except UnicodeDecodeError:
        return data.decode("cp1252", "replace"), "it is not UTF-8 and was read as Windows-1252"


_LRC_TIME = r"(\d{1,3}):(\d{1,2})(?:[.:](\d{1,3}))?"
_LRC_LINE = re.compile(rf"^\s*((?:\[{_LRC_TIME}\]\s*)+)(.*)$")
_LRC_WORD = re.compile(rf"<{_LRC_TIME}>")


def _seconds(minutes: str, seconds: str, part: str | None) -> float:
    return int(minutes) * 60 + int(seconds) + (int(part) / 10 ** len(part) if part else 0.0)


def _from_lrc(text: str) -> list[Line]:
    offset_s = 0.0
    found: list[tuple[float, str, tuple[float, ...]]] = []
    for raw in text.splitlines():
        tag = re.match(r"^\s*\[offset:\s*([+-]?\d{1,7})\s*\]", raw, re.IGNORECASE)
        if tag is not None:
            offset_s = int(tag[1]) / 1000  # above 0 the words come sooner
            continue
        line = _LRC_LINE.match(raw)
        if line is None:
            continue
        body, words_s = _lrc_words(line[5])
        for stamp in re.finditer(rf"\[{_LRC_TIME}\]", line[1]):
            start = _seconds(stamp[1], stamp[2], stamp[3])
            found.append((start, body, words_s if line[1].count("[") == 1 else ()))
    starts = sorted({start for start, _, _ in found})
    out = []
    for start, body, words_s in found:
        after = bisect_right(starts, start)
        later = starts[after] if after < len(starts) else start + LAST_LINE_S
        end = max(start + 0.05, later)
        out.append(
            Line(max(0.0, start - offset_s), end - offset_s, body, tuple(max(0.0, w - offset_s) for w in words_s))
        )
    # A line without words ends the one before it.
    return out


def _lrc_words(body: str) -> tuple[str, tuple[float, ...]]:
    """Return a line's text, and its words' times where each has one before it."""
    marks = list(_LRC_WORD.finditer(body))
    if not marks:
        return body.strip(), ()
    times = [_seconds(mark[1], mark[2], mark[3]) for mark in marks]
    before = body[: marks[0].start()]
    text, words_s = _of_pieces([before, *_between(body, marks)], [0.0, *times])
    return text, words_s if not before.strip() else ()


def _between(body: str, marks: Sequence[re.Match[str]]) -> list[str]:
    """Return what follows each mark, up to the next."""
    ends = [*(mark.start() for mark in marks[1:]), len(body)]
    return [body[mark.end() : end] for mark, end in zip(marks, ends, strict=False)]


def _of_pieces(pieces: Sequence[str], times: Sequence[float]) -> tuple[str, tuple[float, ...]]:
    """Return a line's text and its words' times, of pieces that each have one: a piece that follows the one before without a space is a
    part of a word."""
    text, words_s = "", list[float]()
    for piece, time_s in zip(pieces, times, strict=True):
        if (
            text
            and piece
            and not (text[-1].isspace() or piece[0].isspace() or unspaced(text[-1]) or unspaced(piece[0]))
        ):
            text += PARTED
        text += piece
        words_s += [time_s] * len(words_of(piece))
    return re.sub(r"[^\S\n]+", " ", text).strip(), tuple(words_s)


# A cue's times in SubRip (a comma before the thousandths) and WebVTT (a full stop, hours where there are any; W3C, WebVTT, 4.1).
_STAMP = r"(?:(\d{1,4}):)?(\d{1,2}):(\d{1,2})[.,](\d{1,3})"
_CUE = re.compile(rf"^\s*{_STAMP}\s*-->\s*{_STAMP}(?:\s.*)?$")
_WORD = re.compile(rf"<{_STAMP}>")


def _stamp_s(parts: Sequence[str | None]) -> float:
    hours, minutes, seconds, part = parts
    return int(hours or 0) * 3600 + _seconds(minutes or "0", seconds or "0", part)


def _cues(text: str) -> Iterator[tuple[float, float, str]]:
    """Yield the cues of a file: from, to, and their lines as they stand. Line by line: a file that is none takes no longer."""
    begun: tuple[float, float] | None = None
    body: list[str] = []
    lines = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")
    for number, raw in enumerate([*lines, ""]):
        times = _CUE.match(raw) if "-->" in raw else None
        ended = number == len(lines) or not raw.strip() or times is not None
        if begun is not None and ended:
            if times is not None and body and body[-1].strip().isdigit():
                body.pop()  # the number of the cue that begins without a blank line before it
            yield *begun, "\n".join(body)
            begun, body = None, []
        if times is not None:
            parts = times.groups()
            begun = _stamp_s(parts[:4]), _stamp_s(parts[4:])
        elif begun is not None:
            body.append(raw)


def _from_srt(text: str) -> list[Line]:
    out = []
    for start, end, raw in _cues(text):
        body = re.sub(r"</?(?:b|i|u|font)\b[^<>\n]*>|\{\\[^{}\n]*\}", "", raw, flags=re.IGNORECASE)
        out.append(Line(start, end, body.strip()))
    return out


def _from_vtt(text: str) -> list[Line]:
    out: list[Line] = []
    if not text.lstrip("\ufeff").startswith("WEBVTT"):
        return out
    for start, end, raw in _cues(text):
        marks = list(_WORD.finditer(raw))
        before = raw[: marks[0].start()] if marks else raw
        pieces = [html.unescape(re.sub(r"<[^<>\n]*>", "", piece)) for piece in (before, *_between(raw, marks))]
        body, words_s = _of_pieces(pieces, [start, *(_stamp_s(mark.groups()) for mark in marks)])
        out.append(Line(start, end, body, words_s if marks else ()))
    return out


def written(lines: tuple[Line, ...], kind: str) -> str:
    """Return lines as a file of a kind of KINDS. Raises TempikError for a kind that there is not."""
    if kind == ".srt":
        entries = (
            f"{n}\n{_vtt_time(x.start_s)} --> {_vtt_time(x.end_s)}\n".replace(".", ",") + _unbroken(x.text) + "\n"
            for n, x in enumerate(lines, 1)
        )
        return "\n".join(entries)
    if kind == ".vtt":
        out = ["WEBVTT", ""]
        for line in lines:
            out += [f"{_vtt_time(line.start_s)} --> {_vtt_time(line.end_s)}", _vtt_text(line), ""]
        return "\n".join(out)
    if kind != ".lrc":
        raise TempikError(f"{kind} is no kind of lyrics; write .lrc, .srt or .vtt.")
    rows = []
    for line, after in zip(lines, [*lines[1:], None], strict=True):
        text = _timed(line, lambda t: f"<{_lrc_time(t)}>", str) or " ".join(_bare(line.text).split("\n"))
        rows.append(f"[{_lrc_time(line.start_s)}]{text}")
        if after is None or after.start_s > line.end_s + 0.01:
            rows.append(f"[{_lrc_time(line.end_s)}]")
    return "\n".join(rows) + "\n"


def _vtt_text(line: Line) -> str:
    def escaped(text: str) -> str:
        return html.escape(text, quote=False)

    return _timed(line, lambda t: f"<{_vtt_time(t)}>", escaped) or escaped(_unbroken(line.text))


def _timed(line: Line, stamp: Callable[[float], str], escaped: Callable[[str], str]) -> str:
    """Return a line with the time of each word before it, parts of a word close together; '' where its words have none."""
    spans, text = spans_of(line.text), cleaned(line.text)
    if not spans or len(line.words_s) != len(spans):
        return ""
    out = ""
    for number, (begin, end) in enumerate(spans):
        between = text[spans[number - 1][1] : begin] if number else ""
        out += (" " if between.strip(PARTED) else "") + stamp(line.words_s[number]) + escaped(_bare(text[begin:end]))
    return out


def _bare(text: str) -> str:
    """Return a text without what joins and parts words and is not seen."""
    return text.replace(JOINER, " ").replace(PARTED, "").replace(BOUND, "")


def _unbroken(text: str) -> str:
    """Return words without blank lines: one would end the caption."""
    return "\n".join(line for line in _bare(text).split("\n") if line.strip())


def _vtt_time(seconds: float) -> str:
    ms = round(max(seconds, 0.0) * 1000)
    return f"{ms // 3_600_000:02}:{ms // 60_000 % 60:02}:{ms // 1000 % 60:02}.{ms % 1000:03}"


def _lrc_time(seconds: float) -> str:
    hundredths = round(max(seconds, 0.0) * 100)
    return f"{hundredths // 6000:02}:{hundredths // 100 % 60:02}.{hundredths % 100:02}"


def write_lyrics(lines: tuple[Line, ...], path: Path) -> None:
    """Write lines as LRC, SubRip or WebVTT, by the file's ending. Raises TempikError for another, or without a line."""
    if path.suffix.lower() not in KINDS:
        raise TempikError(f"{path} has an ending that is no kind of lyrics; write .lrc, .srt or .vtt.")
    if not lines:
        raise TempikError("There is no title on the reel to write; add one first.")
    write_whole(path, written(lines, path.suffix.lower()).encode())
