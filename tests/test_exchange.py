"""Edits out to others' tools and back: OpenTimelineIO, CMX 3600 EDL, points, subtitles, zips; checked by the readers' own libraries."""

import os
import stat
import zipfile
from fractions import Fraction
from pathlib import Path

import mido
import numpy as np
import opentimelineio as otio
import pytest
import srt
from msgspec.structs import replace

from tempik.cli.main import main
from tempik.errors import TempikError
from tempik.exchange import all as others
from tempik.exchange.files import read_timeline, write_timeline
from tempik.project.file import load_reel, save_reel
from tempik.project.zipped import free_folder, unzip_project, zip_project
from tempik.reel import Clip, Edge, Footage, Framing, Position, Reel, Title, Transition
from tempik.reel.points import points_of
from tempik.render import PictureSource, plan
from tempik.retime import constant, ramp
from tempik.rhythm.exchange import read_marks, write_marks
from tempik.rhythm.records import Mark
from tempik.timeline.placed_clip import source_at_frames
from tempik.timeline.timeline import Timeline, timeline_of

RATES = [Fraction(24), Fraction(25), Fraction(30000, 1001), Fraction(30), Fraction(60)]


def speeds_of(reel: Reel, media: Path, rate: Fraction) -> Reel:
    """A reel of six clips: as filmed, half speed, double, backward, standing still, and a solid after a gap."""
    piece = reel.footage[0]  # 150 frames at 30
    solid = Footage("f9", "#204060", 180, 320, rate, 1.0, kind="solid")
    wanted = [(1.0, 0.5), (0.5, 1.0), (2.0, 0.3), (-1.0, 3.0), (0.0, 2.0)]
    clips = [
        Clip(f"c{n + 1}", piece.id, Edge(n * 1.0), Edge(n + 1.0), source_s=start + 0.5 / 30, curve=constant(speed))
        for n, (speed, start) in enumerate(wanted)
    ]
    clips.append(Clip("c9", "f9", Edge(6.0), Edge(7.0)))
    return replace(reel, rate=rate, clips=tuple(clips), footage=(piece, solid), accent_lanes=(), length_s=7.0)


def shown(reel: Reel) -> list[tuple[object, ...]]:
    """Record and source frames of every clip: its first, its end, its media, its first and last frame of the file."""
    timeline, out = timeline_of(reel), []
    for p in timeline.placed:
        index = [0, 0]
        if not p.footage.without_file:
            times = source_at_frames(p, [p.first, p.end - 1], timeline.rate)
            index = [int(np.floor(float(t) * float(p.footage.rate) + 1e-6)) for t in times]
        out.append((p.first, p.end, p.footage.path, *index))
    return out


@pytest.mark.parametrize("rate", RATES, ids=str)
def test_a_round_trip_through_otio_keeps_record_and_source_frames(
    reel: Reel, media: Path, rate: Fraction, tmp_path: Path
) -> None:
    reel = speeds_of(reel, media, rate)
    assert write_timeline(reel, tmp_path / "o.otio") == []
    back, notes = read_timeline(tmp_path / "o.otio")
    assert notes == [] and back.rate == rate and (back.width, back.height) == (180, 320)
    assert shown(back) == shown(reel)
    assert [c.curve.nodes[0].speed for c in back.clips] == pytest.approx([1, 0.5, 2, -1, 0, 1], abs=1e-6)


@pytest.mark.parametrize("rate", [Fraction(24), Fraction(25), Fraction(30)], ids=str)
def test_a_round_trip_through_an_edl_keeps_record_and_source_frames(
    reel: Reel, media: Path, rate: Fraction, tmp_path: Path
) -> None:
    piece = replace(reel.footage[0], rate=rate)
    reel = replace(
        speeds_of(reel, media, rate), footage=(piece, Footage("f9", "#204060", 180, 320, rate, 1.0, kind="solid"))
    )
    whole = [replace(c, source_s=(round(c.source_s * float(rate)) + 0.5) / float(rate)) for c in reel.clips[:5]]
    reel = replace(reel, clips=tuple(whole), length_s=5.0)
    write_timeline(reel, tmp_path / "o.edl")
    # By the adapter itself: each clip's record range.
    source = otio.adapters.read_from_file(str(tmp_path / "o.edl"), rate=float(rate))
    (track,) = source.video_tracks()
    assert [track.range_of_child(c).start_time.value for c in track] == [n * int(rate) for n in range(5)]
    back, _ = read_timeline(tmp_path / "o.edl", media=media, rate=rate)
    assert [s[:2] for s in shown(back)] == [s[:2] for s in shown(reel)]
    firsts = [[int(c.source_s * float(rate) + 1e-6) for c in r.clips] for r in (back, reel)]
    assert firsts[0] == firsts[1]
    assert [c.curve.nodes[0].speed for c in back.clips] == pytest.approx([1, 0.5, 2, -1, 0], abs=1e-3)


@pytest.mark.parametrize("rate", [Fraction(24000, 1001), Fraction(30000, 1001)], ids=str)
def test_an_edl_at_a_rate_of_ntsc_keeps_record_frames(reel: Reel, media: Path, rate: Fraction, tmp_path: Path) -> None:
    reel = replace(reel, rate=rate, accent_lanes=())
    write_timeline(reel, tmp_path / "o.edl")
    back, _ = read_timeline(tmp_path / "o.edl", media=media, rate=rate)
    assert [s[:2] for s in shown(back)] == [s[:2] for s in shown(reel)]


def test_times_are_those_of_the_standard(reel: Reel, media: Path, tmp_path: Path) -> None:
    # RationalTime, TimeRange and LinearTimeWarp as OpenTimelineIO's documentation has them.
    write_timeline(speeds_of(reel, media, Fraction(25)), tmp_path / "o.otio")
    source = otio.adapters.read_from_file(str(tmp_path / "o.otio"))
    (track,) = source.video_tracks()
    first, half = track[0], track[1]
    assert first.source_range.start_time == otio.opentime.RationalTime(15, 30)
    assert first.source_range.duration == otio.opentime.RationalTime(25, 25)
    assert half.effects[0].time_scalar == pytest.approx(0.5) and isinstance(
        track[4].effects[0], otio.schema.FreezeFrame
    )
    assert isinstance(track[5], otio.schema.Gap) and track[6].media_reference.generator_kind == "SolidColor"
    assert first.media_reference.available_range.duration == otio.opentime.RationalTime(150, 30)


def test_points_are_markers_and_come_back_with_the_song(reel: Reel, tmp_path: Path) -> None:
    write_timeline(reel, tmp_path / "o.otio")
    source = otio.adapters.read_from_file(str(tmp_path / "o.otio"))
    timeline = timeline_of(reel)
    meant = [
        timeline.frame_of_point(p) for p in timeline.on_reel() if 0 <= timeline.frame_of_point(p) < timeline.frames
    ]
    assert [m.marked_range.start_time.value for m in source.tracks.markers] == meant
    back, _ = read_timeline(tmp_path / "o.otio")
    assert back.soundtrack is not None and reel.soundtrack is not None and back.soundtrack.path == reel.soundtrack.path
    # Cuts that lay on points are tied to them again, and no point is there twice.
    assert [c.start.point for c in back.clips] == [c.start.point for c in reel.clips]
    assert len(points_of(back.soundtrack)) == len(points_of(reel.soundtrack))


def test_a_marker_of_others_becomes_a_point_with_its_name(reel: Reel, tmp_path: Path) -> None:
    write_timeline(reel, tmp_path / "o.otio")
    source = otio.adapters.read_from_file(str(tmp_path / "o.otio"))
    at = otio.opentime.TimeRange(otio.opentime.RationalTime(40, 30), otio.opentime.RationalTime(0, 30))
    source.tracks.markers.append(otio.schema.Marker(name="here she sings", marked_range=at))
    otio.adapters.write_to_file(source, str(tmp_path / "o.otio"))
    back, _ = read_timeline(tmp_path / "o.otio")
    assert back.soundtrack is not None
    (mine,) = [p for p in points_of(back.soundtrack) if p.name == "here she sings"]
    assert mine.time_s - back.soundtrack.start_s == pytest.approx(40 / 30, abs=1e-6)


@pytest.mark.parametrize("ending", [".otio", ".edl"])
@pytest.mark.parametrize(("kind", "length"), [("dissolve", 8.0), ("bar-wipe", 12.0)])
def test_dissolves_and_wipes_go_there_and_back(
    reel: Reel, kind: str, length: float, ending: str, tmp_path: Path
) -> None:
    joined = replace(reel.clips[1], transition=Transition(kind, length))
    reel = replace(reel, clips=(reel.clips[0], joined, *reel.clips[2:]), accent_lanes=())
    write_timeline(reel, tmp_path / f"o{ending}")
    source = otio.adapters.read_from_file(str(tmp_path / f"o{ending}"), **({"rate": 30} if ending == ".edl" else {}))
    (transition,) = [i for t in source.video_tracks() for i in t if isinstance(i, otio.schema.Transition)]
    assert transition.transition_type == ("SMPTE_Dissolve" if kind == "dissolve" else "SMPTE_Wipe")
    assert (transition.in_offset + transition.out_offset).value == length
    back, _ = read_timeline(tmp_path / f"o{ending}", media=Path(reel.footage[0].path).parent, rate=reel.rate)
    a, b = timeline_of(reel).transitions[0][0], timeline_of(back).transitions[0][0]
    assert (a.begin, a.turn, a.end) == (b.begin, b.turn, b.end) and b.transition.kind == kind
    assert [s[:2] for s in shown(back)] == [s[:2] for s in shown(reel)]
    # In an EDL the media of the incoming clip is told by a line of its own.
    assert [Path(s[2]).name for s in shown(back)] == [Path(s[2]).name for s in shown(reel)]


def test_what_a_file_cannot_say_is_said_in_one_sentence(reel: Reel, tmp_path: Path) -> None:
    first = replace(reel.clips[0], curve=ramp(0.5, 1.5), framing=Framing(start=Position(1.5)), transition=None, pins=())
    title = Clip("c8", "t1", Edge(1.0), Edge(2.0), track=1, title=Title(text="open day"))
    reel = replace(
        reel, clips=(first, *reel.clips[1:], title), tracks=(*reel.tracks, reel.tracks[0]),
        footage=(*reel.footage, Footage("t1", "", 180, 320, Fraction(30), 1.0, kind="title")),
    )  # fmt: skip
    (message,) = write_timeline(reel, tmp_path / "o.otio")
    assert message.count(".") == 1 and "speed ramps, written as their mean speed" in message and "framing" in message
    assert "accents (2)" in message and "how titles look" in message
    message_of_edl = write_timeline(reel, tmp_path / "o.edl")
    assert any("picture 1 of 2" in s for s in message_of_edl)
    source = otio.adapters.read_from_file(str(tmp_path / "o.otio"))
    assert source.video_tracks()[1][1].media_reference.parameters["text"] == "open day"


# What comes in


def a_timeline(*items: otio.core.Composable, rate: float = 25) -> otio.schema.Timeline:
    made = otio.schema.Timeline("t")
    made.global_start_time = otio.opentime.RationalTime(0, rate)
    track = otio.schema.Track("V1", kind=otio.schema.TrackKind.Video)
    track.extend(items)
    made.tracks.append(track)
    return made


def a_clip(url: str, start: float = 0, count: float = 25, rate: float = 25, **more: object) -> otio.schema.Clip:
    span = otio.opentime.TimeRange(otio.opentime.RationalTime(start, rate), otio.opentime.RationalTime(count, rate))
    return otio.schema.Clip(Path(url).name, otio.schema.ExternalReference(target_url=url), span, **more)


def read_back(timeline: otio.schema.Timeline, folder: Path, **more: object) -> tuple[Reel, list[str]]:
    otio.adapters.write_to_file(timeline, str(folder / "in.otio"))
    return read_timeline(folder / "in.otio", **more)  # type: ignore[arg-type]


def test_unknown_effects_and_transitions_are_listed_and_the_rest_is_there(media: Path, tmp_path: Path) -> None:
    strange = otio.schema.Effect(name="Sparkle", effect_name="Sparkle")
    offset = otio.opentime.RationalTime(3, 25)
    swirl = otio.schema.Transition("swirl", "Custom_Transition", offset, offset)
    reel, notes = read_back(
        a_timeline(a_clip(str(media / "a.mp4"), effects=[strange]), swirl, a_clip(str(media / "b.mp4"), 10)), tmp_path
    )
    assert len(reel.clips) == 2 and reel.clips[1].transition is not None and reel.clips[1].transition.length == 6
    assert notes == [
        "Not taken over: the effect “Sparkle”, the transition “Custom_Transition”, a dissolve in its place."
    ]


def test_missing_media_is_said_kept_and_found_by_name(media: Path, tmp_path: Path) -> None:
    gone = a_timeline(a_clip("file:///nowhere/at%20all/a.mp4", 30, 25))
    reel, notes = read_back(gone, tmp_path)
    assert reel.footage[0].path == "/nowhere/at all/a.mp4" and "is missing; open the project in the window" in notes[0]
    assert reel.footage[0].length_s >= 2.2  # as long as what is used of it
    reel, notes = read_back(gone, tmp_path, media=media)
    assert reel.footage[0].path == str(media / "a.mp4") and notes == []


def test_rates_are_told_from_the_file_or_by_hand(media: Path, tmp_path: Path) -> None:
    reel, _ = read_back(a_timeline(a_clip(str(media / "a.mp4"), rate=23.976), rate=23.976), tmp_path)
    assert reel.rate == Fraction(24000, 1001)
    edl = "TITLE: one\n\n001  AX       V     C        00:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00\n* FROM CLIP NAME:  a.mp4\n"
    (tmp_path / "o.edl").write_text(edl)
    reel, notes = read_timeline(tmp_path / "o.edl", media=media)
    assert reel.rate == 30 and "30 were taken" in notes[-1] and reel.footage[0].path == str(media / "a.mp4")
    # A record time that begins at an hour is the reel's beginning.
    assert reel.clips[0].start.time_s == 0 and reel.clips[0].source_s == pytest.approx(1.0, abs=0.02)
    reel, notes = read_timeline(tmp_path / "o.edl", media=media, rate=Fraction(25))
    assert reel.rate == 25 and notes == []


DAMAGED = {
    "no json": b"{ not json",
    "empty": b"",
    "another thing": b'{"a": 1}',
    "no clips": b'{"OTIO_SCHEMA": "Timeline.1", "name": "x", "tracks": {"OTIO_SCHEMA": "Stack.1", "children": []}}',
    "bytes": bytes(range(256)) * 4,
    "a rate of nothing": b'{"OTIO_SCHEMA":"Timeline.1","tracks":{"OTIO_SCHEMA":"Stack.1","children":[{"OTIO_SCHEMA":"Track.1","kind":"Video",'
    b'"children":[{"OTIO_SCHEMA":"Clip.2","source_range":{"OTIO_SCHEMA":"TimeRange.1","start_time":{"OTIO_SCHEMA":"RationalTime.1",'
    b'"rate":0,"value":0},"duration":{"OTIO_SCHEMA":"RationalTime.1","rate":0,"value":9}}}]}]}}',
}


@pytest.mark.parametrize("data", DAMAGED.values(), ids=DAMAGED.keys())
@pytest.mark.parametrize("ending", [".otio", ".edl"])
def test_damaged_timelines_get_one_sentence(data: bytes, ending: str, tmp_path: Path) -> None:
    path = tmp_path / f"x{ending}"
    path.write_bytes(data)
    with pytest.raises(TempikError) as told:
        read_timeline(path)
    assert "\n\n" not in str(told.value) and len(str(told.value)) < 400


EVENTS = (
    "001  AX       V     C        00:00:01:00 00:00:02:00 01:00:00:00 01:00:03:00",  # lengths that differ, without a speed
    "001  AX       V     Q        00:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00",
    "001  AX       V     C        00:00:01:00 00:00:02:00 01:00:00:00",
    "001  AX       V     C        aa:00:01:00 00:00:02:00 01:00:00:00 01:00:01:00",
    "what is this",
)


@pytest.mark.parametrize("event", EVENTS)
def test_edl_events_that_make_no_sense_get_one_sentence(event: str, tmp_path: Path) -> None:
    (tmp_path / "o.edl").write_text(f"TITLE: x\n\n{event}\n")
    with pytest.raises(TempikError, match=r"o\.edl"):
        read_timeline(tmp_path / "o.edl")


def test_a_timeline_that_names_files_outside_reads_none_of_them(media: Path, tmp_path: Path) -> None:
    (tmp_path / "inner").mkdir()
    reel, _ = read_back(a_timeline(a_clip("../../secret.mp4")), tmp_path / "inner")
    assert reel.footage[0].path == str(tmp_path / "inner" / "secret.mp4")


# Everything, by the ending


@pytest.mark.parametrize("first_s", [0.0, 0.000155, 0.0025, 0.02, 0.27, 3.1])
def test_a_tempo_map_has_no_tempo_that_programs_refuse_before_a_song_that_begins_on_its_beat(
    tmp_path: Path, first_s: float
) -> None:
    """A lead of a sixth of a millisecond was a beat of its own, at 387,000 a minute."""
    marks = [Mark(first_s + 0.48 * n, "", 1 + n // 4, 1 + n % 4) for n in range(40)]
    path = tmp_path / "beats.mid"
    path.write_bytes(write_marks(marks, ".mid"))
    tempi = [mido.tempo2bpm(e.tempo) for e in mido.MidiFile(path) if e.type == "set_tempo"]
    assert max(tempi) <= 480 and tempi[-1] == pytest.approx(125, rel=1e-3)
    clicks, now = [], 0.0
    for event in mido.MidiFile(path):
        now += event.time
        if event.type == "note_on":
            clicks.append(now)
    assert clicks == pytest.approx([m.time_s for m in marks], abs=0.0005)
    read = read_marks(path).marks[: len(marks)]
    assert [m.time_s for m in read] == pytest.approx([m.time_s for m in marks], abs=0.0005)
    assert [(m.bar, m.beat) for m in read] == [(m.bar, m.beat) for m in marks]


def test_every_ending_is_written_and_read_by_the_formats_own_library(
    reel: Reel, media: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    title = Clip("c8", "t1", Edge(1.0), Edge(2.0), track=1, title=Title(text="open day"))
    words = Footage("t1", "", 180, 320, Fraction(30), 1.0, kind="title")
    reel = replace(
        reel, clips=(*reel.clips, title), tracks=(*reel.tracks, reel.tracks[0]), footage=(*reel.footage, words)
    )
    save_reel(reel, tmp_path / "r.tempik")
    for ending in others.WRITES:
        assert main(["exchange", "write", str(tmp_path / "r.tempik"), "-o", str(tmp_path / f"o{ending}")]) == 0
        assert (tmp_path / f"o{ending}").stat().st_size > 20
    assert len(mido.MidiFile(tmp_path / "o.mid").tracks) >= 1
    (line,) = srt.parse((tmp_path / "o.srt").read_text())
    assert line.content == "open day" and line.start.total_seconds() == pytest.approx(1.0, abs=0.001)
    assert main(["exchange", "read", str(tmp_path / "o.otio"), "-o", str(tmp_path / "back.tempik")]) == 0
    assert len(load_reel(tmp_path / "back.tempik").clips) == len(reel.clips)
    capsys.readouterr()
    assert main(["exchange", "write", str(tmp_path / "r.tempik"), "-o", str(tmp_path / "o.doc")]) == 2
    assert "does not say what to write" in capsys.readouterr().err
    assert main(["exchange", "read", str(tmp_path / "r.tempik"), "-o", str(tmp_path / "b.tempik")]) == 2
    assert "no timeline that Tempik reads" in capsys.readouterr().err


# A project in one zip


def test_a_zipped_project_opens_elsewhere_and_shows_the_same_pixels(reel: Reel, tmp_path: Path) -> None:
    reports: list[float] = []
    zip_project(reel, tmp_path / "open day.zip", reports.append)
    assert reports == sorted(reports) and reports[-1] == pytest.approx(1.0)
    with zipfile.ZipFile(tmp_path / "open day.zip") as packed:
        assert packed.testzip() is None and all(n.startswith("open day/") for n in packed.namelist())
    project = unzip_project(tmp_path / "open day.zip", tmp_path / "elsewhere")
    there = load_reel(project)
    assert project == tmp_path / "elsewhere" / "open day.tempik"
    assert all(Path(f.path).parent == tmp_path / "elsewhere" / "media" for f in there.footage)
    with PictureSource() as a, PictureSource() as b:
        for number in (0, 60, 150, 299):
            mine, theirs = (
                s.render(plan(Timeline(r), number, 180, 320)) for s, r in ((a, reel), (b, there))
            )  # fmt: skip
            assert all(np.array_equal(x, y) for x, y in zip(mine, theirs, strict=True))


def test_two_files_of_one_name_are_told_apart_in_the_zip(reel: Reel, tmp_path: Path) -> None:
    (tmp_path / "other").mkdir()
    other = tmp_path / "other" / "a.mp4"
    other.write_bytes(Path(reel.footage[1].path).read_bytes())
    reel = replace(reel, footage=(reel.footage[0], replace(reel.footage[1], path=str(other)), *reel.footage[2:]))
    zip_project(reel, tmp_path / "o.zip")
    there = load_reel(unzip_project(tmp_path / "o.zip", tmp_path / "x"))
    assert [Path(f.path).name for f in there.footage[:2]] == ["a.mp4", "a 2.mp4"]
    assert Path(there.footage[1].path).read_bytes() == other.read_bytes()


def _zip_with(path: Path, entries: dict[str, bytes], mode: int = 0) -> Path:
    with zipfile.ZipFile(path, "w") as packed:
        for name, data in entries.items():
            info = zipfile.ZipInfo(name)
            info.external_attr = mode << 16
            packed.writestr(info, data)
    return path


@pytest.mark.parametrize(
    "name", ["../evil.tempik", "/etc/evil.tempik", "x/../../evil.tempik", "x\\..\\evil.tempik", "C:/evil.tempik"]
)
def test_a_zip_with_paths_outside_itself_is_not_unpacked(name: str, tmp_path: Path) -> None:
    path = _zip_with(tmp_path / "in" if False else tmp_path / "bad.zip", {"p/p.tempik": b"{}", name: b"evil"})
    with pytest.raises(TempikError, match="names a file outside itself"):
        unzip_project(path, tmp_path / "out")
    assert sorted(p.name for p in tmp_path.iterdir()) == ["bad.zip"]


def test_other_bad_zips_get_one_sentence_and_leave_nothing(reel: Reel, tmp_path: Path) -> None:
    link = _zip_with(tmp_path / "link.zip", {"p/p.tempik": b"/etc/passwd"}, stat.S_IFLNK | 0o777)
    none = _zip_with(tmp_path / "none.zip", {"p/readme.txt": b"hello"})
    damaged_project = _zip_with(tmp_path / "damaged.zip", {"p/p.tempik": b'{"format": 3}'})
    (tmp_path / "text.zip").write_bytes(b"no zip at all")
    zip_project(reel, tmp_path / "whole.zip")
    cut = tmp_path / "cut.zip"
    cut.write_bytes((tmp_path / "whole.zip").read_bytes()[:-3000])
    before = sorted(os.listdir(tmp_path))
    for path, sentence in (
        (link, "holds a link or a device"), (none, "holds no Tempik projects"), (damaged_project, "is damaged"),
        (tmp_path / "text.zip", "is damaged or no zip"), (cut, "is damaged or no zip"),
    ):  # fmt: skip
        with pytest.raises(TempikError, match=sentence):
            unzip_project(path, tmp_path / "out")
        assert sorted(os.listdir(tmp_path)) == before
    (tmp_path / "out").mkdir()
    with pytest.raises(TempikError, match="is there already"):
        unzip_project(tmp_path / "whole.zip", tmp_path / "out")
    assert free_folder(tmp_path / "out") == tmp_path / "out 2"


def test_missing_media_is_said_before_zipping(reel: Reel, tmp_path: Path) -> None:
    gone = replace(reel, footage=(replace(reel.footage[0], path="/nowhere/a.mp4"), *reel.footage[1:]))
    with pytest.raises(TempikError, match="is missing; say where it is before zipping"):
        zip_project(gone, tmp_path / "o.zip")
    assert not list(tmp_path.iterdir())
