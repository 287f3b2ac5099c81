"""What the damage is done to: sound files of every kind that is read, made on the spot."""

from __future__ import annotations

import io
import json
import random
import wave
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
import numpy as np
from msgspec.structs import replace

from bench.campaign.damage import bent, flipped
from tempik.assemble import assemble
from tempik.edit.accents.lanes import with_all_amounts, with_lane
from tempik.edit.clips import layers
from tempik.edit.clips.nests import with_nest
from tempik.edit.clips.trim import with_split
from tempik.edit.draft import RuleDraftOptions
from tempik.edit.grading import grades
from tempik.edit.grading.grades import THE_REEL, Where
from tempik.edit.song.arranging import bar_starts, without_bars
from tempik.edit.sounds import clips as sound_clips
from tempik.edit.sounds import files
from tempik.edit.sounds import lanes as sounds
from tempik.edit.sounds.mixing import with_channel
from tempik.edit.speed.speed import with_constant
from tempik.edit.transitions import laying
from tempik.grade.cube import written_cube
from tempik.grade.looks import LOOKS
from tempik.grade.pointwise import function_of
from tempik.project.file import save_reel
from tempik.project.history import begin
from tempik.project.journal import Journal
from tempik.reel import Edge, Grade, Reel, Rule, Wheel
from tempik.reel.sound import MASTERED
from tempik.rhythm.exchange import write_marks
from tempik.rhythm.records import Mark
from tempik.timeline.timeline import timeline_of
from tempik.transitions import new_transition

RATE = 48000
OrderedFile = Iterator[tuple[str, bytes, str]]


def song(length_s: float = 12.0, bpm: float = 120.0) -> bytes:
    """Return a WAV of a kick on every beat."""
    count = round(length_s * RATE)
    out = np.zeros(count)
    hit = np.sin(2 * np.pi * 60 * np.arange(4800) / RATE) * np.exp(-np.arange(4800) / 900)
    for beat in np.arange(0.5, length_s - 0.2, 60 / bpm):
        at = round(beat * RATE)
        out[at : at + 4800] += hit[: count - at]
    file = io.BytesIO()
    with wave.open(file, "wb") as write:
        write.setnchannels(1)
        write.setsampwidth(2)
        write.setframerate(RATE)
        write.writeframes((out * 20000).astype("<i2").tobytes())
    return file.getvalue()


def film(kind: str, codec: str, frames: int = 20, sound: str = "", size: tuple[int, int] = (96, 64)) -> bytes:
    """Return a small film of a moving square."""
    file = io.BytesIO()
    with av.open(file, "w", format=kind) as out:
        stream: Any = out.add_stream(codec, rate=Fraction(25))
        stream.width, stream.height = size
        stream.pix_fmt = "yuvj420p" if codec == "mjpeg" else "rgb24" if codec == "png" else "yuv420p"
        audio: Any = out.add_stream(sound, rate=RATE, layout="mono") if sound else None
        for number in range(frames):
            picture = np.full((size[1], size[0], 3), 60, np.uint8)
            picture[16:40, 2 * number : 2 * number + 20] = 230
            frame = av.VideoFrame.from_ndarray(picture, "rgb24").reformat(format=stream.pix_fmt)
            frame.pts = number
            out.mux(stream.encode(frame))
        out.mux(stream.encode(None))
        if audio is not None:
            tone = (np.sin(np.arange(RATE // 2) / 20) * 0.3).astype(np.float32)[None]
            heard = av.AudioFrame.from_ndarray(tone, "fltp", "mono")
            heard.sample_rate, heard.pts = RATE, 0
            resampler = av.AudioResampler(audio.format, "mono", RATE, frame_size=audio.codec_context.frame_size or None)
            for part in [*resampler.resample(heard), *resampler.resample(None)]:
                out.mux(audio.encode(part))
            out.mux(audio.encode(None))
    return file.getvalue()


def media_files() -> dict[str, bytes]:
    """Return a sound file of every kind that is met daily, by name."""
    return {
        "a.mp4": film("mp4", "libx264", sound="aac"),
        "a.mov": film("mov", "mjpeg"),
        "a.mkv": film("matroska", "libx264", sound="aac"),
        "a.avi": film("avi", "mpeg4"),
        "a.ts": film("mpegts", "libx264"),
        "a.wav": song(4.0),
        "a.png": film("image2pipe", "png", 1),
        "a.jpg": film("image2pipe", "mjpeg", 1),
    }


def small_reel(folder: Path) -> Reel:
    """Return a reel with something of everything, its media in a folder."""
    (folder / "song.wav").write_bytes(song())
    names = []
    for name in ("one.mp4", "two.mp4"):
        (folder / name).write_bytes(film("mp4", "libx264", 60))
        names.append(str(folder / name))
    options = RuleDraftOptions(every=2, length_s=8.0, width=180, height=320, accents=(("flash", 4), ("shake", 2)))
    cues = [(names[0], 1.0), (names[1], 1.5)]
    reel = assemble(str(folder / "song.wav"), names, cues, options).reel
    reel = with_constant(with_split(reel, [20, 90]), [reel.clips[0].id], -0.5)
    joined = laying.cuts(timeline_of(reel))
    reel = laying.laid(
        reel, joined, replace(new_transition("iris"), settings={"shape": "box"}, ease=(0.3, 0.0, 0.6, 1.0), at=0.4)
    )
    last = reel.clips[-1].id
    reel = layers.with_clip_key(layers.with_blend(reel, [last], "screen"), last, "opacity", 100, 0.5)
    reel = grades.with_grade(reel, THE_REEL, replace(LOOKS[3].grade, luma_curve=((0.0, 0.1), (1.0, 0.9))))
    reel = grades.with_amount_key(reel, THE_REEL, 60, 0.5)
    reel = grades.with_grade(
        reel, Where("footage", (reel.footage[0].id,)), Grade(exposure=0.5, dark_wheel=Wheel(0.1, 0.1))
    )
    reel, _ = with_nest(reel, [p.clip.id for p in timeline_of(reel).placed[1:3]])
    return _sounded(with_lane(reel, "punch"), folder)


def _sounded(reel: Reel, folder: Path) -> Reel:
    """Return a reel with sounds of the shelf and one of its own, on points and laid, ducking, mastered, its song arranged."""
    (folder / "own.wav").write_bytes(song(1.0))
    reel, own = files.with_sound_file(reel, files.heard_file(str(folder / "own.wav")))
    reel = sounds.with_sound_lane(reel, ["whoosh", own], Rule("cuts"))
    reel = sounds.with_values(reel, "n1", vary_pitch=2.0, beats=1.0)
    reel = with_channel(files.with_hit(reel, "whoosh", 0.2), "n1", ducks=True, pan=-0.3)
    reel = sound_clips.with_sound_clip(reel, own, Edge(0.0, timeline_of(reel).on_reel()[2].id))
    reel = sound_clips.with_clip_values(reel, "x1", speed=1.5, fade_in_s=0.1)
    reel = replace(reel, mix=MASTERED)
    starts = bar_starts(reel)
    return without_bars(reel, starts[1], starts[2]) if len(starts) > 3 else reel


def project_cases(count: int, folder: Path, seed: int) -> OrderedFile:
    """Yield projects damaged in their bytes and in their structure, of this format and of every older one."""
    rng = random.Random(seed)
    save_reel(small_reel(folder), folder / "r.tempik")
    older = sorted((Path(__file__).parents[2] / "tests" / "formats").glob("*.tempik"))
    sources = [(folder / "r.tempik").read_bytes()] * 6 + [p.read_bytes() for p in older]
    documents = [json.loads(s) for s in sources]
    for number in range(count):
        at = rng.randrange(len(sources))
        if number % 2:
            yield "case.tempik", flipped(sources[at], rng), f"project {number}, bytes"
        else:
            made = json.dumps(bent(documents[at], rng))
            yield "case.tempik", made.encode(errors="surrogatepass"), f"project {number}, structure"


def journal_cases(count: int, folder: Path, seed: int) -> OrderedFile:
    """Yield damaged journals."""
    rng = random.Random(seed)
    reel = small_reel(folder)
    history = begin(reel)
    journal = Journal(folder / "j", history, folder / "r.tempik")
    for number in range(12):
        history = history.done(with_all_amounts(history.reel, number / 12), f"step {number}")
        journal.note(history)
    journal.note_under_way(with_split(history.reel, [timeline_of(reel).frames // 2]))
    journal.leave()
    data = (folder / "j").read_bytes()
    lines = data.splitlines()
    for number in range(count):
        if number % 2:
            yield "case.journal", flipped(data, rng), f"journal {number}, bytes"
            continue
        made: list[Any] = list(lines)
        at = rng.randrange(len(made))
        made[at] = json.dumps(bent(json.loads(made[at]), rng)).encode(errors="surrogatepass")
        yield "case.journal", b"\n".join(made) + b"\n", f"journal {number}, line {at}"


def points_cases(count: int, seed: int) -> OrderedFile:
    """Yield damaged files of points."""
    rng = random.Random(seed)
    marks = [Mark(0.5 + n / 2, f"word {n}" if n % 3 == 0 else "", 1 + n // 4, 1 + n % 4, 0.8) for n in range(40)]
    sources = [(f"case{suffix}", write_marks(marks, suffix)) for suffix in (".csv", ".txt", ".mid")]
    odd = [
        str(v) for v in (1e308, -1, "²", "٣", "nan", "inf", "1e400", "9" * 5000, "\0", '"', "'", ";", "\t\t", "\ufeff")
    ]
    for number in range(count):
        name, data = rng.choice(sources)
        if number % 2 or name.endswith(".mid"):
            yield name, flipped(data, rng), f"points {number}, bytes"
        else:
            rows = data.decode().split("\n")
            at = rng.randrange(len(rows))
            steps = rows[at].split("," if name.endswith(".csv") else "\t")
            steps[rng.randrange(len(steps))] = rng.choice(odd)
            rows[at] = ("," if name.endswith(".csv") else "\t").join(steps)
            yield name, "\n".join(rows).encode(), f"points {number}, row {at}"


def shape_cases(count: int, folder: Path, seed: int) -> OrderedFile:
    """Yield damaged shapes, bundles, transitions and looks of one's own, and LUTs."""
    from tempik.edit.accents.copying import CopiedLanes, copied_lanes
    from tempik.project.bundles import write_bundle
    from tempik.project.looks import OwnLook, write_look
    from tempik.project.shapes import all_shapes, write_shape
    from tempik.project.transitions import write_transition

    rng = random.Random(seed)
    write_shape(all_shapes()[3], folder / "case.tempikshape")
    reel = small_reel(folder)
    rows: CopiedLanes = copied_lanes(reel, [r.id for r in reel.accent_lanes])
    write_bundle(rows, "three", folder / "case.tempikaccents")
    joined = next(c.transition for c in reel.clips if c.transition is not None)
    write_transition(joined, "four", folder / "case.tempikjoin")
    write_look(OwnLook("five", LOOKS[2].grade, b"PNG"), folder / "case.tempiklook")
    written_cube(function_of((LOOKS[2].grade,)), folder / "case.cube", "six", 5)
    sources = [(p.name, p.read_bytes()) for p in sorted(folder.glob("case.*"))]
    for number in range(count):
        name, data = rng.choice(sources)
        made = (
            flipped(data, rng)
            if number % 2 or name.endswith(".cube")
            else json.dumps(bent(json.loads(data), rng)).encode()
        )
        yield name, made, f"{name} {number}"


def media_cases(count: int, seed: int) -> OrderedFile:
    """Yield damaged media files, and hostile ones that are whole."""
    rng = random.Random(seed)
    sources = list(media_files().items())
    yield from hostile_media()
    for number in range(count):
        name, data = rng.choice(sources)
        made = bytearray(flipped(data, rng))
        if rng.random() < 0.5 and len(made) > 64:  # where headers are
            at = rng.randrange(min(len(made), 2000))
            made[at : at + 4] = rng.choice((b"\xff\xff\xff\xff", b"\0\0\0\0", b"\x7f\xff\xff\xff", rng.randbytes(4)))
        yield name, bytes(made), f"{name} {number}"


def hostile_media() -> OrderedFile:
    """Yield files that are no damage but malice: headers that promise what no file holds."""
    wav = bytearray(song(1.0))
    for channels, rate in ((65535, 48000), (0, 48000), (1, 0), (1, 2**32 - 1), (255, 1)):
        made = bytearray(wav)
        made[22:24] = channels.to_bytes(2, "little")
        made[24:28] = rate.to_bytes(4, "little")
        yield "odd.wav", bytes(made), f"a WAV of {channels} channels at {rate} Hz"
    for size in ((2, 2), (16, 16), (8192, 16), (16, 8192)):
        yield (
            "tiny.mp4",
            film("mp4", "libx264", 5, size=size) if size != (2, 2) else film("avi", "mpeg4", 5, size=size),
            f"{size}",
        )
    yield "list.m3u8", b"#EXTM3U\n#EXT-X-TARGETDURATION:5\n#EXTINF:5,\n/etc/passwd\n#EXT-X-ENDLIST\n", "a list of files"
    yield "list.mp4", b"ffconcat version 1.0\nfile /etc/passwd\n", "a list that is called a film"
    yield (
        "list.sdp",
        b"v=0\no=- 0 0 IN IP4 127.0.0.1\nc=IN IP4 127.0.0.1\nt=0 0\nm=video 5004 RTP/AVP 96\n",
        "a stream's address",
    )
    yield "page.svg", b'<svg xmlns="http://www.w3.org/2000/svg"><image href="file:///etc/passwd"/></svg>', "a drawing"
    yield "none.mp4", b"", "nothing"
    yield "zeros.mp4", bytes(1 << 20), "a megabyte of nothing"
    big = bytearray(film("image2pipe", "png", 1))
    big[16:24] = (60_000).to_bytes(4, "big") * 2
    yield "big.png", bytes(big), "a picture of 60,000 by 60,000 in its header"
