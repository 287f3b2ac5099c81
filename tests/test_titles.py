"""Titles: any script set and broken properly, drawn sharp, coming and going, each word on its own point."""

import csv
import io
import tracemalloc
from fractions import Fraction
from pathlib import Path

import msgspec
import numpy as np
import pysubs2
import pytest
import uharfbuzz
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from tempik.cli.main import main
from tempik.edit import titles
from tempik.edit.clips import place, trim
from tempik.edit.song.points import nudged, with_name
from tempik.errors import TempikError
from tempik.media.picture import Picture, to_rgb
from tempik.project.file import FORMAT, load_reel, save_reel
from tempik.project.lyrics import read_lyrics, write_lyrics, written
from tempik.reel import Arrival, Framing, Key, Position, Reel, Title
from tempik.reel.validate import problems
from tempik.render import PictureSource, plan
from tempik.time import time_of
from tempik.timeline.timeline import Timeline
from tempik.timeline.wording import TitlePart, word_frames, wording_at
from tempik.titles import drawn, laid_out, words_of
from tempik.titles.fonts import face_of, families, lacks
from tempik.titles.layout import width_of
from tempik.titles.line import Line
from tempik.titles.motion import ARRIVALS, LANDED, state_of
from tempik.titles.words import cleaned

SCRIPTS = {
    "latin": "Strike while it is hot",
    "ligatures": "office fjord affine",
    "greek": "Σίδερο και φωτιά",
    "cyrillic": "Железо и огонь",
    "hebrew": "ברזל ואש",
    "arabic": "الحديد والنار",
    "devanagari": "क्षत्रिय लोहा",
    "accents": "Ǻngström ñandú",
}


def shown(reel: Reel, frame: int, width: int = 180) -> Picture:
    with PictureSource() as source:
        return source.render(plan(Timeline(reel), frame, width, width * 16 // 9))


def bare(reel: Reel) -> Reel:
    """The reel without clips and accents: titles on black."""
    return replace(reel, clips=(), accent_lanes=())


# Setting


@pytest.mark.parametrize("text", SCRIPTS.values(), ids=SCRIPTS.keys())
def test_widths_are_those_of_harfbuzz(text: str) -> None:
    """Against HarfBuzz itself, by uharfbuzz: the pen's way over each word, shaped in its direction, in ems."""
    for piece in laid_out(Title(text, size=0.05)).pieces:
        (run,) = piece.runs
        blob = uharfbuzz.Blob.from_file_path(run.face.path)
        font = uharfbuzz.Font(uharfbuzz.Face(blob))
        buffer = uharfbuzz.Buffer()
        buffer.add_str(run.text)
        buffer.guess_segment_properties()
        uharfbuzz.shape(font, buffer)
        advance = sum(p.x_advance for p in buffer.glyph_positions) / font.face.upem
        assert (buffer.direction == "rtl") == run.rtl
        assert piece.width == pytest.approx(advance, abs=0.004 * max(1, len(run.text)))


def test_letters_join_and_stack() -> None:
    """Joined, an Arabic word is narrower than its letters apart, and a Devanagari conjunct than its consonants."""
    for text in (SCRIPTS["arabic"].split()[0], "क्ष"):
        face = laid_out(Title(text)).pieces[0].runs[0].face
        apart = sum(width_of(letter, face, text[0] > "\u0a00") for letter in text)
        assert laid_out(Title(text)).width < apart * 0.97


def test_words_from_right_to_left_stand_so_among_others() -> None:
    """Unicode's bidirectional algorithm, UAX #9: in a Hebrew line the first word is rightmost; two Hebrew words within an
    English line change places with each other alone."""
    hebrew = {p.word: p.x for p in laid_out(Title("ברזל ואש חזק", size=0.05)).pieces}
    assert hebrew[0] > hebrew[1] > hebrew[2]
    mixed = {p.word: p.x for p in laid_out(Title("now ברזל ואש again", size=0.05)).pieces}
    assert mixed[0] < mixed[2] < mixed[1] < mixed[3]
    within = {p.word: p.x for p in laid_out(Title("ברזל iron works ואש", size=0.05)).pieces}
    assert within[0] > within[2] > within[1] > within[3]


def test_lines_are_broken_where_unicode_allows_it() -> None:
    """UAX #14: after spaces and hyphens, between ideographs, not before closing marks, not at a no-break space."""
    narrow = laid_out(Title("well-known smith", size=0.2, wrap=0.55))
    lines = {p.line: "".join(r.text for r in p.runs) for p in narrow.pieces}
    assert list(lines.values()) == ["well-", "known", "smith"] and [p.word for p in narrow.pieces] == [0, 0, 1]
    tied = laid_out(Title("10\u00a0kg of iron", size=0.2, wrap=0.55))
    assert "".join(r.text for r in tied.pieces[0].runs) == "10\u00a0kg"
    assert words_of("鉄は熱い。") == ("鉄", "は", "熱", "い。")
    wide = laid_out(Title("w" * 60, size=0.1, wrap=0.6))
    assert wide.lines > 3 and all(p.width <= 6.0 + 1e-6 for p in wide.pieces)


def test_every_size_breaks_the_same_lines() -> None:
    title = Title("Strike while the iron is hot and never let it cool", size=0.11)
    block = laid_out(title)
    for em_px in (20.0, 118.8, 237.6):
        sprite = drawn(title, em_px)
        assert sprite is not None
        height_em = sprite.rgba.shape[0] / em_px
        assert height_em == pytest.approx(block.height + 2 * 0.5 + 2 * (0.04 + 3 * 0.06), abs=0.2)


def test_what_stands_in_for_what_is_missing_is_said() -> None:
    found = face_of("No Such Font", "Bold")
    assert found.face.family == "Yanone Kaffeesatz" and "No Such Font is not on this machine" in found.message
    assert face_of("EB Garamond", "No Such Style").face.family == "EB Garamond"
    own = face_of("League Spartan", "Bold").face
    assert lacks(own, "Ж") == "Ж" and laid_out(Title("Жар", font="League Spartan")).lacking == ""
    never = "\U000f1234"
    assert cleaned(f"a{never}b") == "ab"
    assert laid_out(Title("a\u3400")).lacking in ("\u3400", "")
    assert list(families())[:1] == ["Yanone Kaffeesatz"]


@pytest.mark.parametrize("text", ["", "   ", "\n\n", "\x00\x07\x1b", "<b>&amp;</b> {\\i1}", "a\u200d\ufe0f", "\ud800x"])
def test_odd_text_is_text_or_nothing(text: str, reel: Reel) -> None:
    made, _ = titles.with_title(bare(reel), Title(text, shadow=0), 0, 30)
    picture = shown(made, 5)
    assert (picture.y.max() > 60) == bool(cleaned(text).strip("\u200d\ufe0f \n"))
    assert "&amp;" in words_of("a &amp;")[1]


@pytest.mark.slow
def test_ten_thousand_characters_are_set_as_far_as_there_is_room() -> None:
    text = ("word " * 2000)[:10_000]
    block = laid_out(Title(text, size=0.1))
    assert block.left_out > 100 and block.lines < 80
    with pytest.raises(TempikError, match="keep it to 10000"):
        titles.with_title(Reel(length_s=1.0), Title(text + "x"), 0, 10)


# Drawing


def test_a_title_is_sharp_at_every_size() -> None:
    """The step from black to white of a straight stem takes as many pixels at a large size as at a small one."""
    for em_px in (40.0, 160.0, 480.0):
        sprite = drawn(Title("I", font="League Spartan", shadow=0), em_px)
        assert sprite is not None
        row = sprite.rgba[sprite.rgba.shape[0] // 2, :, 3].astype(int)
        assert ((row > 12) & (row < 243)).sum() <= 4 and row.max() == 255


def test_a_zoomed_title_is_drawn_larger_not_blown_up(reel: Reel) -> None:
    made, _ = titles.with_title(
        bare(reel), Title("I", font="League Spartan", shadow=0), 0, 30, framing=Framing(start=Position(zoom=4.0))
    )
    (shot,) = plan(Timeline(made), 3, 1080, 1920).layer_plans
    assert shot.em_px == pytest.approx(0.14 * 1080 * 4)
    row = shown(made, 3, 540).y[480].astype(int)
    assert ((row > 30) & (row < 220)).sum() <= 6 and row.max() > 225


def test_outline_shadow_and_box_lie_behind_the_letters() -> None:
    plain = drawn(Title("H", shadow=0), 200.0)
    outlined = drawn(Title("H", shadow=0, outline=0.1, outline_colour="#ff0000"), 200.0)
    boxed = drawn(Title("H", shadow=0, box=1.0, box_colour="#0000ff", box_pad=0.5, box_round=0), 200.0)
    assert plain is not None and outlined is not None and boxed is not None
    inked = [(s.rgba[:, :, 3] > 128).sum() for s in (plain, outlined)]
    assert inked[1] > inked[0] * 1.3
    white = (outlined.rgba[:, :, :3].min(axis=2) > 240) & (outlined.rgba[:, :, 3] > 250)
    assert white.sum() == pytest.approx(inked[0], rel=0.1)
    # The box is as large as the block and half an em more on each side.
    block = laid_out(Title("H"))
    area = (boxed.rgba[:, :, 3] > 128).sum()
    assert area == pytest.approx((block.width + 1) * (block.height + 1) * 200.0**2, rel=0.02)


@pytest.mark.parametrize("showing", ["all", "word"])
def test_parts_drawn_one_by_one_are_the_whole(showing: str) -> None:
    title = Title("Iron and fire", shadow=0, size=0.1)
    whole = drawn(title, 80.0)
    assert whole is not None
    canvas = np.zeros((400, 600), int)
    for number in range(3):
        part = drawn(title, 80.0, ("word", number))
        assert part is not None
        height_px, wide = part.rgba.shape[:2]
        canvas[200 + part.top : 200 + part.top + height_px, 300 + part.left : 300 + part.left + wide] += part.rgba[
            :, :, 3
        ]
    height_px, wide = whole.rgba.shape[:2]
    under = canvas[200 + whole.top : 200 + whole.top + height_px, 300 + whole.left : 300 + whole.left + wide]
    assert np.abs(np.minimum(under, 255) - whole.rgba[:, :, 3]).mean() < 1.5


def test_a_title_stands_where_it_was_put(reel: Reel) -> None:
    made, _ = titles.with_title(
        bare(reel), Title("O", shadow=0, size=0.2), 0, 30, framing=Framing(start=Position(x=0.2, y=-0.25))
    )
    rows, columns = np.nonzero(shown(made, 3, 360).y > 128)
    assert columns.mean() / 360 == pytest.approx(0.7, abs=0.01)
    assert rows.mean() / 640 == pytest.approx(0.25, abs=0.02)


def test_colours_come_out_as_chosen(reel: Reel) -> None:
    made, _ = titles.with_title(bare(reel), Title("██", size=0.5, colour="#3fa0d8", shadow=0, wrap=2.0), 0, 30)
    rgb = to_rgb(shown(made, 3))
    assert np.abs(np.median(rgb[150:170, 80:100].reshape(-1, 3), axis=0) - [0x3F, 0xA0, 0xD8]).max() <= 3


# Coming and going


@given(st.sampled_from(sorted(ARRIVALS)), st.floats(0, 1), st.sampled_from(["up", "down", "left", "right"]))
@settings(max_examples=examples(150), deadline=None)
def test_an_arrival_begins_with_nothing_and_lands(kind: str, share: float, way: str) -> None:
    arrival = Arrival(kind, way=way)  # type: ignore[arg-type]
    assert state_of(arrival, 0.0).opacity == 0 and state_of(arrival, 1.0) == LANDED
    state = state_of(arrival, share)
    assert 0 <= state.opacity <= 1 and abs(state.x) < 2 and abs(state.y) < 2 and 0.4 < state.scale < 1.2
    near = state_of(arrival, 0.9999)
    assert abs(near.x) + abs(near.y) < 0.01 and near.scale == pytest.approx(1, abs=0.01)


def test_an_arrival_of_a_newer_version_is_kept_and_does_nothing(reel: Reel, tmp_path: Path) -> None:
    made, name = titles.with_title(reel, Title("Iron", enter=Arrival("unfolds", 9.0)), 0, 30)
    save_reel(made, tmp_path / "p.tempik")
    again = load_reel(tmp_path / "p.tempik")
    clip = next(c for c in again.clips if c.id == name)
    assert clip.title is not None and clip.title.enter.kind == "unfolds"
    timeline = Timeline(again)
    placed = timeline.placed_clip(name)
    assert placed is not None and wording_at(timeline, placed, 4) == (TitlePart("all"),)


def test_lines_come_one_after_another_and_all_goes_together(reel: Reel) -> None:
    title = Title("one\ntwo", by="line", enter=Arrival("fade", 4.0), leave=Arrival("fade", 5.0))
    made, name = titles.with_title(bare(reel), title, 10, 60)
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None
    first, end = placed.first, placed.end
    assert [p.number for p in wording_at(timeline, placed, first)] == [0]
    assert wording_at(timeline, placed, first)[0].state.opacity == pytest.approx(0.25)
    assert [p.number for p in wording_at(timeline, placed, first + 3)] == [0, 1]
    assert wording_at(timeline, placed, first + 10) == (TitlePart("all"),)
    last = wording_at(timeline, placed, end - 1)
    assert {round(p.state.opacity, 3) for p in last} == {0.2}


def test_typed_letters_come_one_after_another(reel: Reel) -> None:
    made, _name = titles.with_title(bare(reel), Title("fire", enter=Arrival("type", 8.0), shadow=0), 0, 60)
    inked = [int((shown(made, frame).y > 128).sum()) for frame in (0, 1, 3, 5, 7)]
    assert inked[0] == 0 and inked == sorted(inked) and inked[1] > 0 and inked[-1] > 2 * inked[1]


# Words on points


def test_each_word_lands_on_its_own_point_and_follows_it(reel: Reel) -> None:
    timeline = Timeline(reel)
    points = list(timeline.on_reel())[2:6]
    first = timeline.frame_of_point(points[0])
    made, name = titles.with_title(reel, Title("strike while it glows"), first, 100)
    made = titles.with_words_on_points(made, [name])
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None
    assert word_frames(timeline, placed) == [timeline.frame_of_point(p) for p in points]
    moved = nudged(made, [points[2].id], 0.1)
    after = Timeline(moved)
    again = after.placed_clip(name)
    assert again is not None and word_frames(after, again)[2] == word_frames(timeline, placed)[2] + 3
    assert not problems(moved)


def test_a_word_is_first_seen_on_its_frame_in_the_picture(reel: Reel) -> None:
    """The closed loop: the picture changes at each word's frame and at no other."""
    made, name = titles.with_title(bare(reel), Title("one two three", shadow=0), 0, 120)
    made = titles.with_words_on_points(made, [name])
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None
    frames = word_frames(timeline, placed)
    with PictureSource() as source:
        inked = [int((source.render(plan(timeline, f, 180, 320)).y > 128).sum()) for f in range(max(frames) + 4)]
    changes = [n for n, (a, b) in enumerate(zip([0, *inked], inked, strict=False)) if a != b]
    assert changes == frames


def test_words_shown_one_at_a_time_or_lit_in_turn(reel: Reel) -> None:
    made, name = titles.with_title(bare(reel), Title("one two three", showing="one"), 0, 120)
    made = titles.with_words_on_points(made, [name])
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None
    frames = word_frames(timeline, placed)
    for number, frame in enumerate(frames):
        (part,) = wording_at(timeline, placed, frame)
        assert (part.what, part.number, part.alone) == ("word", number, True)
    lit = Timeline(titles.with_title_fields(made, [name], showing="lit"))
    placed = lit.placed_clip(name)
    assert placed is not None
    whole, word = wording_at(lit, placed, frames[1])
    assert whole.what == "all" and word.lit and word.number == 1


def test_a_word_is_moved_and_stays_between_its_neighbours(reel: Reel) -> None:
    made, name = titles.with_title(reel, Title("one two three"), 0, 120)
    made = titles.with_words_on_points(made, [name])

    def frames(reel: Reel) -> list[int]:
        timeline = Timeline(reel)
        placed = timeline.placed_clip(name)
        assert placed is not None
        return word_frames(timeline, placed)

    a, b, c = frames(made)
    assert frames(titles.with_word_at(made, name, 1, b + 3)) == [a, b + 3, c]
    assert frames(titles.with_word_at(made, name, 1, c + 40)) == [a, c, c]
    assert frames(titles.with_word_at(made, name, 0, 400)) == [b, b, c]
    back = titles.with_word_at(titles.with_word_at(made, name, 1, b + 3), name, 1, b)
    assert frames(back) == [a, b, c] and not problems(back)


@given(st.lists(st.integers(0, 200), min_size=1, max_size=12), st.integers(1, 7))
@settings(max_examples=examples(60), deadline=None)
def test_words_moved_anywhere_keep_their_order(moves: list[int], count: int) -> None:
    reel = Reel(length_s=10.0, rate=Fraction(30))
    made, name = titles.with_title(reel, Title(" ".join(f"w{n}" for n in range(count))), 0, 300)
    keys = {"word": tuple(Key(n * 0.5, float(n + 1), None, "hold") for n in range(count))}
    made = replace(made, clips=tuple(replace(c, keys=keys) for c in made.clips))
    for number, frame in enumerate(moves):
        made = titles.with_word_at(made, name, number % count, frame)
        timeline = Timeline(made)
        placed = timeline.placed_clip(name)
        assert placed is not None
        frames = word_frames(timeline, placed)
        assert frames == sorted(frames) and len(frames) == count and not problems(made)


def test_words_go_along_when_a_title_is_moved_split_or_copied(reel: Reel) -> None:
    made, name = titles.with_title(reel, Title("one two three"), 0, 120)
    made = titles.with_words_on_points(made, [name])
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None
    before = word_frames(timeline, placed)
    moved = Timeline(place.moved_to(made, [name], 15))
    again = moved.placed_clip(name)
    assert again is not None and [f - 15 for f in word_frames(moved, again)] == pytest.approx(before, abs=1)
    halves = Timeline(trim.with_split(made, [before[1] + 4], [name]))
    parts = [p for p in halves.placed if p.clip.title is not None]
    assert len(parts) == 2 and word_frames(halves, parts[1]) == before


def test_named_points_become_words_in_one_step(reel: Reel) -> None:

    timeline = Timeline(reel)
    points = timeline.on_reel()[1:4]
    for point, word in zip(points, ("hammer", "and", "tongs"), strict=True):
        reel = with_name(reel, point.id, word)
    made, names = titles.with_named_points(reel)
    timeline = Timeline(made)
    placed = timeline.placed_clip(names[0])
    assert placed is not None and placed.clip.title is not None and placed.clip.title.text == "hammer and tongs"
    assert word_frames(timeline, placed) == [timeline.frame_of_point(p) for p in points]
    with pytest.raises(TempikError, match="No point on the reel has a name"):
        titles.with_named_points(Reel(length_s=2.0))


# Files


LINES = (
    Line(1.0, 2.5, "Iron <in> the & fire", (1.0, 1.4, 1.8, 2.0, 2.2)),
    Line(3.0, 4.0, "שלום עולם"),
    Line(4.0, 5.25, "two\nlines"),
)


@pytest.mark.parametrize("kind", [".srt", ".vtt"])
def test_written_subtitles_are_read_by_another_reader_as_meant(kind: str, tmp_path: Path) -> None:
    """Against pysubs2: times to the millisecond, text to the letter but for entities, which it leaves as they are."""
    path = tmp_path / f"a{kind}"
    lines = tuple(line._replace(words_s=()) for line in LINES)
    write_lyrics(lines, path)
    theirs = pysubs2.load(str(path))
    assert [(e.start, e.end) for e in theirs] == [(round(x.start_s * 1000), round(x.end_s * 1000)) for x in lines]
    message = [e.plaintext.replace("&lt;", "<").replace("&gt;", ">").replace("&amp;", "&") for e in theirs]
    assert message == [x.text for x in lines] or kind == ".srt"
    assert read_lyrics(path).lines == lines


@pytest.mark.parametrize("kind", [".lrc", ".vtt"])
def test_times_of_words_come_back(kind: str, tmp_path: Path) -> None:
    path = tmp_path / f"a{kind}"
    write_lyrics(LINES, path)
    back = read_lyrics(path).lines
    assert [x.start_s for x in back] == pytest.approx([x.start_s for x in LINES], abs=0.006)
    assert [x.end_s for x in back] == pytest.approx([x.end_s for x in LINES], abs=0.006)
    assert back[0].words_s == pytest.approx(LINES[0].words_s, abs=0.006) and back[0].text == LINES[0].text


def test_subtitles_written_by_another_are_read(tmp_path: Path) -> None:
    theirs = pysubs2.SSAFile()
    theirs.events = [
        pysubs2.SSAEvent(start=500, end=1500, text="{\\i1}strike{\\i0} it"),
        pysubs2.SSAEvent(2000, 3000, "hot"),
    ]
    for kind in ("srt", "vtt"):
        theirs.save(str(tmp_path / f"b.{kind}"), format_=kind)
        found = read_lyrics(tmp_path / f"b.{kind}").lines
        assert [(x.start_s, x.end_s, x.text) for x in found] == [(0.5, 1.5, "strike it"), (2.0, 3.0, "hot")]


@pytest.mark.parametrize(
    ("name", "data", "message"),
    [
        ("a.lrc", b"[00:03.00]late\n[00:01.00]early\n", "brought into order"),
        ("a.srt", b"1\n00:00:01,000 --> 00:00:04,000\na\n\n2\n00:00:02,000 --> 00:00:05,000\nb\n", "overlapping"),
        ("a.lrc", "[00:01.00]caf\xe9\n".encode("cp1252"), "Windows-1252"),
    ],
)
def test_what_is_put_right_in_a_file_is_said(name: str, data: bytes, message: str, tmp_path: Path) -> None:
    (tmp_path / name).write_bytes(data)
    found = read_lyrics(tmp_path / name)
    assert message in found.message and found.lines == tuple(sorted(found.lines))
    assert all(a.end_s <= b.start_s for a, b in zip(found.lines, found.lines[1:], strict=False))


@pytest.mark.parametrize("data", [b"", b"no times here", b"[99:99:99]", b"\xff\xfe\x00", b"WEBVTT", b"\x00" * 2000])
@pytest.mark.parametrize("kind", ["lrc", "srt", "vtt"])
def test_a_file_without_lines_is_refused_in_a_sentence(data: bytes, kind: str, tmp_path: Path) -> None:
    (tmp_path / f"a.{kind}").write_bytes(data)
    with pytest.raises(TempikError, match="holds no line with a time"):
        read_lyrics(tmp_path / f"a.{kind}")


def test_lrc_tags_offsets_and_repeated_lines(tmp_path: Path) -> None:
    path = tmp_path / "a.lrc"
    path.write_text("[ar:us]\n[offset:+500]\n[00:02.50][00:06.50]again\n[00:04.00]once\n[00:05.00]\n")
    found = read_lyrics(path).lines
    assert [(x.start_s, x.end_s, x.text) for x in found] == [
        (2.0, 3.5, "again"),
        (3.5, 4.5, "once"),
        (6.0, 10.0, "again"),
    ]


@given(
    st.lists(
        st.tuples(st.integers(0, 500_000), st.integers(60, 9000), st.text("abcäöאבم &<>", min_size=1, max_size=20))
    )
)
@settings(max_examples=examples(80), deadline=None)
def test_any_lines_come_back_from_each_kind_of_file(drawn_lines: list[tuple[int, int, str]]) -> None:
    import tempfile

    at, lines = 0, []
    for gap, long, text in drawn_lines[:20]:
        words = " ".join(text.split())
        if not words or words != words.strip():
            continue
        start = at + gap % 5000
        lines.append(Line(start / 1000, (start + long) / 1000, words))
        at = start + long
    if not lines:
        return
    with tempfile.TemporaryDirectory() as folder:
        for kind in (".srt", ".vtt", ".lrc"):
            path = Path(folder) / f"a{kind}"
            path.write_text(written(tuple(lines), kind), encoding="utf-8")
            back = read_lyrics(path).lines
            if any("<" in x.text for x in lines):
                continue  # a lone `<` begins a mark there
            assert [x.text for x in back] == [x.text for x in lines]
            assert [x.start_s for x in back] == pytest.approx([x.start_s for x in lines], abs=0.0051)


def test_a_lyric_file_is_laid_with_its_words_on_points(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    timeline = Timeline(reel)
    song = reel.soundtrack
    assert song is not None
    points = timeline.on_reel()
    lines = f"[00:{points[2].time_s:05.2f}]iron in fire\n[00:{points[6].time_s:05.2f}]strike\n[00:{points[8].time_s:05.2f}]\n"
    (tmp_path / "song.lrc").write_text(lines)
    save_reel(reel, tmp_path / "p.tempik")
    assert main(["titles", str(tmp_path / "p.tempik"), "--lyrics", str(tmp_path / "song.lrc")]) == 0
    capsys.readouterr()
    assert main(["titles", str(tmp_path / "p.tempik")]) == 0
    rows = list(csv.DictReader(io.StringIO(capsys.readouterr().out)))
    frames = [timeline.frame_of_point(p) for p in points]
    assert [r["text"] for r in rows] == ["iron in fire", "strike"]
    assert rows[0]["on_points"] == " ".join(map(str, frames[2:5])) and int(rows[1]["first"]) == frames[6]
    out = tmp_path / "back.lrc"
    assert main(["titles", str(tmp_path / "p.tempik"), "--write", str(out)]) == 0
    back = read_lyrics(out).lines
    assert back[0].words_s == pytest.approx([time_of(f, reel.rate) for f in frames[2:5]], abs=0.01)


@pytest.mark.parametrize(
    ("options", "message"),
    [
        (["--set", "align=nowhere"], "Align is one of"),
        (["--set", "enter=vanish"], "no way to come or go"),
        (["--set", "size=big"], "a number belongs"),
        (["--set", "size=99"], "size of 99"),
        (["--set", "colour=red"], "give one such as"),
        (["--clips", "7", "--set", "size=0.1"], "names no titles"),
        (["--lyrics", "no.txt"], ".lrc, .srt or .vtt"),
        (["--write", "no.doc"], ".lrc, .srt or .vtt"),
    ],
)
def test_bad_wishes_get_a_sentence_and_change_nothing(
    options: list[str], message: str, reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    made, _ = titles.with_title(reel, Title("Iron"), 0, 60)
    save_reel(made, tmp_path / "p.tempik")
    before = (tmp_path / "p.tempik").read_bytes()
    assert main(["titles", str(tmp_path / "p.tempik"), *options]) == 2
    assert message in capsys.readouterr().err and (tmp_path / "p.tempik").read_bytes() == before


def test_titles_are_kept_in_the_project_file(reel: Reel, tmp_path: Path) -> None:
    title = Title("Iron\nfire", outline=0.05, enter=Arrival("slide", 0.5, "beats", "left"), showing="lit", by="word")
    made, name = titles.with_title(reel, title, 10, 60)
    save_reel(made, tmp_path / "p.tempik")
    again = load_reel(tmp_path / "p.tempik")
    assert next(c for c in again.clips if c.id == name).title == title
    assert msgspec.json.decode((tmp_path / "p.tempik").read_bytes())["format"] == FORMAT


def test_a_title_is_laid_on_a_free_track_above(reel: Reel) -> None:
    made, first = titles.with_title(reel, Title("a"), 10, 60)
    made, second = titles.with_title(made, Title("b"), 30, 60)
    made, third = titles.with_title(made, Title("c"), 90, 30)
    tracks = {c.id: c.track for c in made.clips if c.title is not None}
    assert (tracks[first], tracks[second], tracks[third]) == (1, 2, 1)
    assert len([f for f in made.footage if f.kind == "title"]) == 1


@pytest.mark.film
def test_a_reel_with_titles_and_adjust_clips_is_exported_and_checked(reel: Reel, tmp_path: Path) -> None:
    """The exported file, decoded, has each word from its own frame on."""
    from tempik.check.rendered import check_rendered
    from tempik.edit.clips.masks import with_adjust
    from tempik.media import FrameReader
    from tempik.render import export

    made, name = titles.with_title(bare(reel), Title("one two three", shadow=0, size=0.2), 0, 120)
    made = titles.with_words_on_points(made, [name])
    made, _ = with_adjust(replace(made, length_s=4.0), 0, 30)
    timeline = Timeline(made)
    export(timeline, tmp_path / "o.mp4")
    placed = timeline.placed_clip(name)
    assert placed is not None
    frames = word_frames(timeline, placed)
    with FrameReader(str(tmp_path / "o.mp4")) as reader:
        inked = [int((reader.frame(n).y > 128).sum()) for n in range(max(frames) + 5)]
    grows = [n for n, (a, b) in enumerate(zip([0, *inked], inked, strict=False)) if b - a > 40]
    assert grows == frames
    report = check_rendered(timeline, tmp_path / "o.mp4")
    found = [e for e in report.events if e.kind == "word"]
    assert report.ok and [(e.what, e.frame) for e in found] == list(zip(["one", "two", "three"], frames, strict=True))
    assert all(e.tied and e.ok and e.measured_ms is not None for e in found[1:])


def test_a_file_in_which_words_come_late_is_caught(reel: Reel, tmp_path: Path) -> None:
    from tempik.check.rendered import check_rendered
    from tempik.render import export

    made, name = titles.with_title(bare(reel), Title("one two three", shadow=0, size=0.2), 0, 90)
    made = titles.with_words_on_points(replace(made, length_s=3.0), [name])
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None
    late = made
    for word in (2, 1):
        late = titles.with_word_at(late, name, word, word_frames(timeline, placed)[word] + 2)
    export(Timeline(late), tmp_path / "late.mp4")
    events = [e for e in check_rendered(timeline, tmp_path / "late.mp4").events if e.kind == "word"]
    assert not all(e.ok for e in events)


def test_a_titles_look_is_pasted_and_its_words_stay(reel: Reel) -> None:
    from tempik.edit.clips.pieces import with_attributes

    made, first = titles.with_title(reel, Title("one", size=0.2, colour="#ff8800", box=0.5), 0, 30)
    made, second = titles.with_title(made, Title("two"), 40, 30)
    source = next(c for c in made.clips if c.id == first)
    plain = made.clips[0].id
    pasted = with_attributes(made, source, [second, plain], ("title",))
    title = next(c.title for c in pasted.clips if c.id == second)
    assert title is not None and (title.text, title.size, title.colour, title.box) == ("two", 0.2, "#ff8800", 0.5)
    assert next(c for c in pasted.clips if c.id == plain) == made.clips[0]


@pytest.mark.slow
def test_a_title_of_any_size_is_drawn_within_bounded_memory(reel: Reel) -> None:
    """A stranger's project may ask for letters a hundred frames high."""
    text = " ".join("word" for _ in range(200))
    made, _ = titles.with_title(
        bare(reel), Title(text, size=3.0, wrap=10.0), 0, 30, framing=Framing(start=Position(zoom=100.0))
    )
    tracemalloc.start()
    shown(made, 3, 360)
    peak = tracemalloc.get_traced_memory()[1]
    tracemalloc.stop()
    assert peak < 600e6


@given(st.lists(st.tuples(st.integers(0, 200), st.integers(1, 9)), min_size=1, max_size=6), st.integers(1, 9))
@settings(max_examples=examples(80), deadline=None)
def test_each_word_lands_with_the_first_key_that_shows_it(keys: list[tuple[int, int]], count: int) -> None:
    """Whatever the keys: counts may go back, leave words out, or name more than there are."""
    reel = Reel(length_s=10.0, rate=Fraction(30))
    made, name = titles.with_title(reel, Title(" ".join(f"w{n}" for n in range(count))), 0, 300)
    at = dict(sorted(keys))
    track = tuple(Key(frame / 30, float(value), None, "hold") for frame, value in at.items())
    made = replace(made, clips=tuple(replace(c, keys={"word": track}) for c in made.clips))
    timeline = Timeline(made)
    placed = timeline.placed_clip(name)
    assert placed is not None
    wanted = [next((f for f, v in at.items() if v >= n + 1), max(at)) for n in range(count)]
    assert word_frames(timeline, placed) == wanted
