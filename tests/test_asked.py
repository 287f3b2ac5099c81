"""What is asked is done, or refused in a sentence: nothing is dropped in silence, in the window or on the command line."""

import ast
import os
import threading
from pathlib import Path

import av
import mido
import numpy as np
import pytest
from msgspec.structs import replace
from PySide6.QtCore import QMimeData, Qt, QUrl
from PySide6.QtTest import QTest
from PySide6.QtWidgets import QPushButton
from pytestqt.qtbot import QtBot

from media_files import numbered, write_video
from tempik.check import check_reel
from tempik.cli.main import main
from tempik.desktop.pages.frame import FramePage
from tempik.desktop.pages.layer.page import LayerPage
from tempik.desktop.playback.rolling import AHEAD, AT_STARTS, BEHIND, Rolling
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets.dropped_files import local_files
from tempik.disk.folders import files_in
from tempik.disk.reading import opened_regular
from tempik.edit.clips import nests, pieces, place
from tempik.edit.clips.follow import message_of_follow, with_follow
from tempik.edit.clips.repeats import with_repeat
from tempik.edit.song.points import with_marks
from tempik.edit.titles import with_title, with_words_on_points
from tempik.errors import TempikError
from tempik.formats import format_named, format_of, named_for
from tempik.media import FrameReader, probe
from tempik.project.file import load_reel, save_reel
from tempik.project.journal import journal_path, kept_aside, left_behind
from tempik.reel import Framing, Grade, MotionTrack, Reel, Rule, Title
from tempik.reel.points import points_of
from tempik.render import ExportSettings, PictureSource, export, plan
from tempik.render.masks import MaskOutline, coverage
from tempik.render.mastering import BLOCK
from tempik.rhythm.records import Mark
from tempik.timeline.timeline import Timeline

DESKTOP = Path(__file__).parent.parent / "src/tempik/desktop"
UNKNOWN = "\U00013000"  # an Egyptian hieroglyph, which no font of ours or of a plain system has


@pytest.fixture
def project(reel: Reel, tmp_path: Path) -> Path:
    save_reel(reel, tmp_path / "r.tempik")
    return tmp_path / "r.tempik"


def refused(capsys: pytest.CaptureFixture[str], project: Path, *line: str) -> str:
    """Run a verb on a project, see that it is refused with nothing changed, and return the sentence."""
    before, names = project.read_bytes(), sorted({*os.listdir(project.parent), "cache"})
    capsys.readouterr()
    assert main([line[0], str(project), *line[1:]]) == 2, line
    err = capsys.readouterr().err
    assert err.startswith("tempik: ") and err.count("\n") == 1, err
    assert project.read_bytes() == before and sorted({*os.listdir(project.parent), "cache"}) == names
    return err


SILENT = [
    (("layers", "--clips", "1", "--key", "opacity@9999=1"), "Frame 9999 is not in the clip"),
    (("layers", "--clips", "1", "--mask", "rectangle:50,50"), "has 2 numbers; a rectangle takes four"),
    (("layers", "--clips", "1", "--mask", "polygon:1,1,2,2,3"), "an even count"),
    (("layers", "--clips", "1,2", "--nest", "--flatten"), "do not go together"),
    (("layers", "--border", "5"), "--border does nothing"),
    (("layers", "--clips", "1"), "What should be done there?"),
    (("layers", "--clips", "1", "--opacity", "nan"), "no number"),
    (("transitions", "--remove", "--kind", "whip"), "do not go together"),
    (("transitions", "--kind", "dissolve", "--direction", "left"), "has no directions"),
    (("transitions", "--kind", "whip", "--frames", "0"), "a transition of 0 frames; keep it above 0"),
    (("sound", "--lay", "whoosh", "--at", "99"), "cannot hit at 99 s"),
    (("sound", "--lay", "whoosh", "--at", "1", "--pan", "20"), "--pan does nothing"),
    (("sound", "--hit", "whoosh=60"), "its hit cannot lie at 60 s"),
    (("titles", "--add", " "), "A title without words"),
    (("titles", "--add", "open day", "--set", "font=Nowhere Sans"), "There is no font family"),
    (("grade", "--curve", "luma=0:0,0:1"), "two points at one place"),
    (("speed", "--soft", "3"), "--soft does nothing"),
    (("check", "--from", "1"), "give it with --rendered"),
    (("export", "-o", "o.mp4", "--at", "1"), "--at is of a poster frame"),
    (("export", "-o", "o.gif", "--limit", "3"), "has no use for --limit"),
    (("export", "-o", "o.mp4", "--reel-level"), "--reel-level is of a part"),
    (("export", "-o", "o.mp4", "--queue", "--progress", "json"), "--progress does nothing"),
    (("draft", "--swap", "1=200"), "others for that clip"),
]


@pytest.mark.slow
@pytest.mark.parametrize(("line", "message"), SILENT, ids=[" ".join(line) for line, _ in SILENT])
def test_what_was_accepted_in_silence_is_refused_in_a_sentence(
    project: Path,
    line: tuple[str, ...],
    message: str,
    capsys: pytest.CaptureFixture[str],
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    monkeypatch.chdir(project.parent)
    assert message in refused(capsys, project, *line)


def test_what_a_table_prints_is_taken(project: Path, capsys: pytest.CaptureFixture[str]) -> None:
    assert main(["grade", str(project)]) == 0
    printed = next(line for line in capsys.readouterr().out.splitlines() if line.startswith("footage:1,")).split(",")[3]
    matrix, meant, light = (part.strip() for part in printed.partition(" (")[0].split("·"))
    words = ["--colour", f"matrix={matrix}", "--colour", f"range={meant}", "--colour", f"light={light}"]
    assert main(["grade", str(project), "--on", "footage:1", *words]) == 0
    told = load_reel(project).footage[0].colour
    assert (told.matrix, told.range, told.light) == ("bt601", "limited", "standard")


def test_a_wish_that_is_so_already_is_written_all_the_same(project: Path, capsys: pytest.CaptureFixture[str]) -> None:
    for _ in range(2):
        assert main(["layers", str(project), "--clips", "1", "--opacity", "50"]) == 0
        assert capsys.readouterr().out.strip() == str(project)


# Pressed with the real button


def test_masks_are_laid_by_their_buttons(opened: Window) -> None:
    """All three received the button's state as their kind, and did nothing."""
    opened.project.selection.select_clip(opened.project.timeline.placed[0].clip.id)
    opened.commands["show_layer"].trigger()
    page = opened.page_panel.current
    assert isinstance(page, LayerPage)
    for number, kind in enumerate(("rectangle", "ellipse"), 1):
        button = next(b for b in page.findChildren(QPushButton) if b.accessibleName() == f"Add a mask: {kind}")
        QTest.mouseClick(button, Qt.MouseButton.LeftButton)
        assert [m.kind for m in opened.project.timeline.placed[0].clip.masks][number - 1 :] == [kind]
    polygon = next(b for b in page.findChildren(QPushButton) if b.accessibleName() == "Add a mask: polygon")
    QTest.mouseClick(polygon, Qt.MouseButton.LeftButton)
    assert opened.foot.status.text(), "the corners are asked for in the preview"


@pytest.mark.slow
def test_no_slot_takes_a_buttons_state_for_its_own_argument() -> None:
    """A lambda whose first argument has a default gets the state of `clicked` in its place."""
    found = []
    for path in DESKTOP.rglob("*.py"):
        for node in ast.walk(ast.parse(path.read_text())):
            called = node.func if isinstance(node, ast.Call) else None
            name = (
                called.attr if isinstance(called, ast.Attribute) else called.id if isinstance(called, ast.Name) else ""
            )
            if name in ("connect", "button", "tool", "add", "_offer", "_button") and isinstance(node, ast.Call):
                for given in (a for a in node.args if isinstance(a, ast.Lambda)):
                    first = given.args.args[0].arg if given.args.args else "_"
                    if len(given.args.defaults) == len(given.args.args) and not first.startswith("_"):
                        found.append(f"{path.name}:{given.lineno}")
    assert found == []


def test_what_is_being_typed_is_not_refilled_by_a_job_that_ends(opened: Window) -> None:
    opened.activateWindow()
    opened.project.selection.select_clip(opened.project.timeline.placed[0].clip.id)
    opened.commands["show_frame"].trigger()
    page = opened.page_panel.current
    assert isinstance(page, FramePage)
    page.zoom.setFocus()
    page.zoom.selectAll()
    QTest.keyClicks(page.zoom, "13")
    assert page.zoom.hasFocus()
    opened.project.change("As a job does", lambda reel: replace(reel, shutter_deg=90.0))
    page.refill()
    assert page.zoom.lineEdit().text().startswith("13")


def test_what_is_dropped_on_a_layer_takes_no_layer_away(opened: Window) -> None:
    piece = opened.project.reel.footage[0].id
    opened.project.change(
        "Solid", lambda r: place.with_solid(place.with_new_track(r), 10, 60, "#ff8800", 1, insert=False)
    )
    solid = opened.project.reel.clips[-1].id
    opened.dropped.footage(piece, 20, "", 1)
    laid = {c.id: c.track for c in opened.project.reel.clips}
    assert laid[solid] == 1 and laid[opened.project.reel.clips[-1].id] == 2
    opened.project.selection.select_footage(piece)
    opened.project.playhead.go(0)
    opened.commands["overwrite_whole"].trigger()
    assert "2 clips gave way" in opened.foot.status.text()


# Framing, transitions, nests, masks


def test_following_leaves_the_fit_as_it_is(reel: Reel) -> None:
    """A small picture turned from contain into cover."""
    name = reel.clips[0].id
    reel = replace(reel, clips=(replace(reel.clips[0], framing=Framing(fit="contain")), *reel.clips[1:]))
    made = with_follow(reel, name, MotionTrack("", (0.0, 5.0), (0.2, 0.8), (0.5, 0.5)))
    assert made.clips[0].framing == reel.clips[0].framing
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None and "is seen whole" in message_of_follow(timeline, placed)
    before = Timeline(reel).placed_clip(name)
    assert before is not None
    assert timeline.framing_at(placed, placed.first) == Timeline(reel).framing_at(before, before.first)


@pytest.mark.parametrize("way", ["overlap", "staircase"])
def test_overlapping_moves_nothing_else(project: Path, way: str, capsys: pytest.CaptureFixture[str]) -> None:
    """Cuts went 133 to 233 ms off their points, the rest moved on, and an older transition stayed in place of the slide."""
    assert main(["transitions", str(project), "--clips", "2,3", "--kind", "dissolve"]) == 0
    before = {p.clip.id: p for p in Timeline(load_reel(project)).placed}
    assert main(["transitions", str(project), "--clips", "2-4", f"--{way}", "7"]) == 0
    after = Timeline(load_reel(project))
    assert [p.clip.transition.kind for p in after.placed[2:4] if p.clip.transition is not None] == ["slide-over"] * 2
    for placed in (after.placed[0], after.placed[1], after.placed[4]):
        assert (placed.first, placed.clip.start) == (before[placed.clip.id].first, before[placed.clip.id].clip.start)
    if way == "overlap":
        assert check_reel(after).ok and all(p.first == before[p.clip.id].first for p in after.placed)
    else:
        assert [p.begin - after.placed[1].begin for p in after.placed[2:4]] == [7, 14]
        assert after.placed[3].until == before[after.placed[3].clip.id].until
        assert "to points let go" in capsys.readouterr().err


def test_a_nest_of_a_clip_that_repeats_shows_what_it_showed(reel: Reel) -> None:
    """There were eight repeats for seven once it was laid flat."""
    reel = replace(place.with_new_track(reel), length_s=10.0)
    reel = place.with_solid(reel, 10, 6, "#ff8800", 1, insert=False)
    name = reel.clips[-1].id
    reel = with_repeat(reel, [name], Rule("points", every=4))
    shown = [(p.first, p.end) for p in Timeline(reel).tracks[1]]
    assert len(shown) > 3
    made, nest = nests.with_nest(reel, [name])
    placed = Timeline(made).placed_clip(nest)
    assert placed is not None and (placed.first, placed.end) == (shown[0][0], shown[-1][1])
    with PictureSource() as source:
        for frame in (shown[1][0] - 1, shown[1][0], shown[-1][0] + 1, shown[-1][1]):
            was, now = (source.render(plan(Timeline(r), frame, 90, 160)) for r in (reel, made))
            assert np.abs(was.y.astype(int) - now.y).max() <= 2, frame
    flat, _ = nests.flattened(made, nest)
    assert [(p.first, p.end) for p in Timeline(flat).tracks[1]] == shown and len(flat.tracks) == len(reel.tracks)


def test_a_nest_never_goes_under_what_it_lay_over(reel: Reel) -> None:
    reel = place.with_new_track(place.with_new_track(reel))
    for track, colour in ((1, "#00ff00"), (2, "#ff0000")):
        reel = place.with_solid(reel, 20, 40, colour, track, insert=False)
    low, over = reel.clips[0].id, reel.clips[-1].id
    with pytest.raises(TempikError, match="Other clips lie"):
        nests.with_nest(reel, [low, over])


def test_two_inverted_masks_both_hide_what_lies_inside() -> None:
    one = MaskOutline("rectangle", (1.0, 0, 0, 0, 1.0, 0), 25.0, 50.0, 30.0, 60.0, 0.0, (), 0.0, 0.0, 0.0, True, "add")
    plane = coverage((one, one._replace(x=75.0)), 100, 100)
    assert plane[50, 25] == plane[50, 75] == 0 and plane[50, 50] == plane[5, 5] == 255


# Titles


def test_signs_that_no_font_has_are_seen_and_do_not_land(reel: Reel) -> None:
    """They were drawn as nothing and counted as landed."""
    reel, name = with_title(reel, Title(f"iron {UNKNOWN} strike"), 30, 120)
    reel = with_words_on_points(reel, [name])
    report = check_reel(Timeline(reel))
    assert [e.what for e in report.events if e.kind == "word"] == ["iron", "strike"]
    assert any(UNKNOWN in note and "No font here has" in note for note in report.notes)
    shown = []
    for text in (UNKNOWN, " "):
        alone, _ = with_title(replace(reel, clips=reel.clips[:-1]), Title(text, size=0.4), 0, 20)
        with PictureSource() as source:
            shown.append(source.render(plan(Timeline(alone), 5, 90, 160)).y.astype(int))
    assert np.abs(shown[0] - shown[1]).max() > 60


# Deliveries


def exported(project: Path, shapes: str, *more: str) -> int:
    """Export a project in some shapes, small, beside it."""
    out, small = str(project.parent / "o.mp4"), ["--short", "90", "--quality", "draft"]
    return main(["export", str(project), "-o", out, "--shape", shapes, *small, *more])


@pytest.mark.film
def test_every_shape_is_written_before_it_is_told_that_one_misses(
    project: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    from tempik.deliver import run

    real = run.check_rendered  # type: ignore[attr-defined]
    monkeypatch.setattr(run, "check_rendered", lambda *given: replace(real(*given), ok=False))
    assert exported(project, "upright,square,wide", "--to", "1", "--measure") == 1
    message = capsys.readouterr().err.splitlines()[-1]
    for shape in ("upright", "square", "wide"):
        assert (tmp_path / f"o-{shape}.mp4").is_file() and f"o-{shape}.mp4" in message


def test_two_shapes_that_are_one_file_are_written_once(
    project: Path, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    assert exported(project, "reel,upright", "--to", "0.2") == 0
    assert sorted(p.name for p in tmp_path.glob("*.mp4")) == ["o.mp4"] and "written once" in capsys.readouterr().err


def test_points_for_others_are_in_the_reels_time(reel: Reel, tmp_path: Path) -> None:
    assert reel.soundtrack is not None
    reel = replace(reel, soundtrack=replace(reel.soundtrack, start_s=2.0), clips=reel.clips[:1])
    reel = replace(reel, clips=(replace(reel.clips[0], pins=(), start=replace(reel.clips[0].start, point=None)),))
    save_reel(reel, tmp_path / "r.tempik")
    first = Timeline(reel).reel_s(Timeline(reel).on_reel()[0])
    for times, by in (("reel", 0.0), ("song", 2.0)):
        for suffix in (".csv", ".mid"):
            out = tmp_path / f"{times}{suffix}"
            assert main(["exchange", "write", str(tmp_path / "r.tempik"), "-o", str(out), "--times", times]) == 0
        rows = [float(line.split(",")[0]) for line in (tmp_path / f"{times}.csv").read_text().splitlines()[1:]]
        assert any(t == pytest.approx(first + by, abs=1e-3) for t in rows) and (
            max(rows) < reel.length_s or times == "song"
        )
        played = (m for m in mido.MidiFile(tmp_path / f"{times}.mid"))
        at, notes = 0.0, []
        for message in played:
            at += message.time
            notes += [at] if message.type == "note_on" else []
        assert notes == pytest.approx(rows, abs=0.002)


def test_locators_of_an_edl_stand_in_record_time(reel: Reel, tmp_path: Path) -> None:
    from tempik.exchange.files import read_timeline, write_timeline

    write_timeline(reel, tmp_path / "o.edl")
    lines = [line.split()[2] for line in (tmp_path / "o.edl").read_text().splitlines() if line.startswith("* LOC:")]
    timeline = Timeline(reel)
    wanted = [timeline.frame_of_point(p) for p in timeline.on_reel() if timeline.frame_of_point(p) < timeline.frames]
    found = [int(h) * 108_000 + int(m) * 1800 + int(s) * 30 + int(f) for h, m, s, f in (t.split(":") for t in lines)]
    assert sorted(found) == wanted
    assert reel.soundtrack is not None
    again, _ = read_timeline(
        tmp_path / "o.edl", (180, 320), Path(reel.footage[0].path).parent, song=reel.soundtrack.path
    )
    assert again.soundtrack is not None and len(points_of(again.soundtrack)) >= len(wanted)


def test_prores_says_its_colours_in_every_frame(reel: Reel, tmp_path: Path) -> None:
    """SMPTE RDD 36, 5.1.1: the frame header's colour primaries, transfer and matrix; 1 is BT.709 (ITU-T H.273)."""
    for name in ("prores422", "prores4444"):
        export(Timeline(reel), tmp_path / "o.mov", ExportSettings(format=name, part=(0.0, 0.2), size=(96, 160)))
        data = (tmp_path / "o.mov").read_bytes()
        at = data.index(b"icpf") + 4 + 2 + 2 + 4 + 4 + 2
        assert tuple(data[at : at + 3]) == (1, 1, 1)


@pytest.mark.parametrize("name", ["prores4444", "webp", "png"])
def test_a_look_leaves_clear_what_is_clear(name: str, tmp_path: Path) -> None:
    reel = place.with_solid(Reel(width=96, height=96, length_s=1.0), 0, 15, "#804020", 0, insert=False)
    reel = replace(reel, look=Grade(contrast=-0.4, vignette=0.8, exposure=0.5))
    target = tmp_path / {"prores4444": "o.mov", "webp": "o.webp", "png": "o"}[name]
    export(Timeline(reel), target, ExportSettings(format=name, clear=True, part=(0.3, 0.8)))
    from PIL import Image

    if name == "png":
        alphas = [np.array(Image.open(p).convert("RGBA"))[..., 3] for p in sorted(target.iterdir())]
    elif name == "webp":
        with Image.open(target) as film:
            alphas = []
            for number in range(film.n_frames):  # type: ignore[attr-defined]
                film.seek(number)
                alphas.append(np.array(film.convert("RGBA"))[..., 3])
    else:
        with av.open(str(target)) as film:
            alphas = [f.to_ndarray(format="rgba")[..., 3] for f in film.decode(video=0)]
    assert alphas[0].min() == 255 and alphas[-1].max() == 0


def test_a_folder_of_frames_is_named_without_an_ending() -> None:
    assert named_for(Path("/a/out.png"), format_named("png")) == Path("/a/out")
    with pytest.raises(TempikError) as message:
        format_of(Path("o.xyz"))
    assert str(message.value).count(".mp4") == 1 and ".webm for VP9" in str(message.value)


# Files and names


def test_names_that_are_no_text_are_refused_at_the_door(
    tmp_path: Path, media: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    """They made a project unsavable."""
    odd = os.fsdecode(os.fsencode(tmp_path) + b"/a\xffb.mp4")
    with open(odd, "wb") as file:
        file.write((media / "a.mp4").read_bytes())
    with pytest.raises(TempikError, match="no text"):
        probe(odd)
    assert main(["probe", odd]) == 2 and "no text (UTF-8)" in capsys.readouterr().err
    (tmp_path / "b.mp4").write_bytes(b"")
    found = files_in(str(tmp_path))
    assert [Path(f).name for f in found.files] == ["b.mp4"] and "no text" in found.message[0]
    with pytest.raises(TempikError, match="no text"):
        save_reel(Reel(), Path(odd).with_name(os.fsdecode(b"\xff.tempik")))


def test_a_dropped_file_is_told_by_the_bytes_of_its_name(tmp_path: Path) -> None:
    names = ["ä b#c%d.mp4", os.fsdecode(b"a\xffb.mp4")]
    data = QMimeData()
    data.setUrls([QUrl.fromLocalFile(str(tmp_path / names[0])), QUrl.fromEncoded(b"file:///tmp/a%FFb.mp4")])
    assert local_files(data) == [str(tmp_path / names[0]), f"/tmp/{names[1]}"]


@pytest.mark.slow
def test_a_dropped_folder_that_is_odd_is_said(opened: Window, tmp_path: Path, qtbot: QtBot) -> None:
    (tmp_path / "card").mkdir()
    os.mkdir(os.fsencode(tmp_path / "card") + b"/\xff")
    with open(os.fsencode(tmp_path / "card") + b"/\xff/a.mp4", "wb"):
        pass
    write_video(tmp_path / "card" / "one.mp4", numbered(96, 64, 8), 20)
    (tmp_path / "card" / "round").symlink_to(tmp_path / "card")
    opened.importer.bring([str(tmp_path / "card")])
    qtbot.waitUntil(
        lambda: "no text" in opened.foot.status.text() or any(f.name == "one.mp4" for f in opened.project.reel.footage)
    )
    qtbot.waitUntil(lambda: any(f.name == "one.mp4" for f in opened.project.reel.footage), timeout=20_000)


def test_a_journal_that_cannot_be_read_is_kept_aside(project: Path) -> None:
    journal = journal_path(project)
    journal.write_bytes(b"what nobody can read\n" * 3)
    assert left_behind(project) is None
    aside = kept_aside(project)
    assert aside is not None and aside.read_bytes().startswith(b"what nobody") and not journal.exists()
    assert kept_aside(project) is None


@pytest.mark.parametrize("path", ["/proc/self/status", "/proc/kmsg", "/sys/kernel/uevent_seqnum"])
def test_what_the_system_makes_up_is_no_file(path: str) -> None:
    if not os.access(path, os.R_OK):
        pytest.skip("not there")
    with pytest.raises(TempikError):
        opened_regular(path).close()


@pytest.mark.film
def test_frames_that_cannot_be_decoded_are_answered_without_end(tmp_path: Path) -> None:
    """2,300 of them, one after the other, were asked for by ever deeper calls."""
    path = tmp_path / "torn.avi"
    with av.open(str(path), "w") as out:
        stream = out.add_stream("mjpeg", rate=25)
        stream.width, stream.height, stream.pix_fmt = 64, 48, "yuvj420p"
        for number in range(1500):
            frame = av.VideoFrame.from_ndarray(np.full((48, 64, 3), number % 200, np.uint8), "rgb24")
            frame.pts = number
            out.mux(stream.encode(frame.reformat(format="yuvj420p")))
        out.mux(stream.encode(None))
    data = bytearray(path.read_bytes())
    frames = [i for i in range(len(data) - 2) if data[i : i + 3] == b"\xff\xd8\xff"]
    for at in frames[300:]:
        data[at : at + 400] = b"\0" * min(400, len(data) - at)
    path.write_bytes(bytes(data))
    with FrameReader(str(path)) as reader:
        last = len(reader.index.pts) - 1
        try:
            assert reader.frame(last).y.shape[0] > 0
        except TempikError as error:
            assert "no frame that can be decoded" in str(error)


def test_two_points_on_one_frame_make_no_slot(reel: Reel) -> None:
    """Filling the slots divided by nothing."""
    reel = with_marks(reel, [Mark(1.0), Mark(1.004), Mark(2.0), Mark(2.0), Mark(3.0)])
    made = Timeline(place.filled(reel, [f.id for f in reel.footage]))
    assert all(p.frames > 0 for p in made.placed) and pieces is not None


# What follows


def test_a_changed_repeat_is_painted_all_along_its_lane(opened: Window) -> None:
    """Columns of where it lay before stayed."""
    opened.project.change(
        "Solid", lambda r: place.with_solid(place.with_new_track(r), 10, 6, "#ff8800", 1, insert=False)
    )
    name = opened.project.reel.clips[-1].id
    opened.project.change("Again", lambda r: with_repeat(r, [name], Rule("points", every=2)))
    opened.timeline.grab()
    opened.project.change("Again", lambda r: with_repeat(r, [name], Rule("points", every=4)))
    patched = opened.timeline.grab().toImage()
    opened.timeline.repaint()
    opened.project.change("Elsewhere", lambda r: replace(r, shutter_deg=91.0))
    opened.timeline._picture.forget() if hasattr(opened.timeline._picture, "forget") else None
    assert patched == opened.timeline.grab().toImage()


@pytest.mark.slow
def test_after_analyses_are_removed_a_draft_looks_again(opened: Window, qtbot: QtBot) -> None:
    """It waited for ever for what nobody was making."""
    piece = opened.project.reel.footage[0]
    qtbot.waitUntil(lambda: opened.proxy_store.study_of(piece.path) is not None, timeout=60_000)
    opened.proxy_store.clear()
    assert not opened.proxy_store.looking(piece.path)
    opened.proxy_store.look_through(piece)
    qtbot.waitUntil(lambda: opened.proxy_store.study_of(piece.path) is not None, timeout=60_000)


def test_a_long_reels_sound_is_made_as_it_is_read() -> None:
    """An hour of it was held as a whole, 693 MB."""
    made: list[int] = []

    def make(number: int) -> np.ndarray:
        made.append(number)
        return np.full((BLOCK, 2), number, np.int16)

    count, stop = 7200 * BLOCK, threading.Event()
    rolling = Rolling(count, make, [10, 3000], stop)
    thread = threading.Thread(target=rolling.go_ahead)
    thread.start()
    try:
        for at in range(10 * BLOCK, 400 * BLOCK, BLOCK // 2):
            assert (rolling[at : at + 100] == at // BLOCK).all()
        assert (rolling[3000 * BLOCK - 3 : 3000 * BLOCK + 3][:, 0] == [2999, 2999, 2999, 3000, 3000, 3000]).all()
    finally:
        stop.set()
        thread.join()
    assert len(rolling) == count and rolling.nbytes <= (AHEAD + BEHIND + 2 * AT_STARTS + 8) * BLOCK * 4


def test_a_long_mix_that_is_read_faster_than_its_thread_comes_round_is_held_within_its_bounds() -> None:
    """Noticed in a slow spell: what reads made blocks, and the thread alone let them go."""
    count = 600 * BLOCK
    rolling = Rolling(count, lambda n: np.full((BLOCK, 2), n % 7, np.int16), [0], threading.Event())
    for at in range(0, count, BLOCK):
        assert len(rolling[at : at + BLOCK]) == BLOCK
    assert rolling.nbytes <= (AHEAD + BEHIND + AT_STARTS + 2) * BLOCK * 4
