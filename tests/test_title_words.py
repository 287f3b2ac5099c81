"""Words of titles one by one: set off, joined and parted, on points of their own while the text changes; looks; typed in the picture."""

from collections.abc import Callable
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec.structs import replace
from PySide6.QtCore import QPoint, QPointF, Qt
from PySide6.QtTest import QTest
from pytestqt.qtbot import QtBot

from tempik.cli.main import main
from tempik.desktop.pages.titles.page import TitlesPage, warnings_of
from tempik.desktop.pages.titles.tiles import few_words
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets.tile_grid import TileGrid
from tempik.edit import title_words, titles
from tempik.edit.clips.slots import clip_of
from tempik.errors import TempikError
from tempik.media.picture import solid, to_rgb
from tempik.project.file import load_reel, save_reel
from tempik.project.lyrics import read_lyrics, write_lyrics
from tempik.project.title_looks import (
    kept_title_look,
    own_title_looks,
    read_title_look,
    title_look_named,
    write_title_look,
)
from tempik.reel import Clip, Reel, Title, WordStyle
from tempik.reel.validate import problems
from tempik.render.sample import sample_title, title_frames
from tempik.timeline.extents import corners_of, ems_to_frame
from tempik.timeline.timeline import Timeline
from tempik.timeline.wording import word_frames, wording_at
from tempik.titles import drawn, laid_out, words_of
from tempik.titles.layout import carets_of, nearest_place
from tempik.titles.line import Line
from tempik.titles.looks import LOOKS, ready_look
from tempik.titles.words import PARTED, spans_of


def laid(reel: Reel, text: str, frames: int = 120) -> tuple[Reel, str]:
    """A title at the reel's beginning, its words on the first points."""
    reel, name = titles.with_title(reel, Title(text), 0, frames)
    return titles.with_words_on_points(reel, [name]), name


def landing(reel: Reel, name: str) -> dict[str, int]:
    """On which frame each word of a title lands."""
    timeline = Timeline(reel)
    placed = timeline.placed_clip(name)
    assert placed is not None and placed.clip.title is not None
    return dict(zip(words_of(placed.clip.title.text), word_frames(timeline, placed), strict=True))


def title_in(reel: Reel, name: str) -> Title:
    title = clip_of(reel, name).title
    assert title is not None
    return title


# Set off


def test_a_word_of_its_own_colour_and_size_is_drawn_so_and_its_edges_are_not_mixed_with_the_others() -> None:
    plain = Title("iron iron", shadow=0, size=0.15)
    made = drawn(replace(plain, words=(WordStyle(1, "#ff0000", 1.5),)), 80)
    assert made is not None
    seen = made.rgba[made.rgba[:, :, 3] > 0][:, :3]
    assert {tuple(c) for c in seen.tolist()} == {
        (255, 255, 255),
        (255, 0, 0),
    }  # no pink between letters and what is clear
    first, second = laid_out(replace(plain, words=(WordStyle(1, None, 1.5),))).pieces
    assert second.width == pytest.approx(first.width * 1.5) and second.y == first.y


def test_a_line_is_as_high_as_its_largest_word_and_all_lies_within_the_block() -> None:
    small = laid_out(Title("one two\nthree"))
    large = laid_out(Title("one two\nthree", words=(WordStyle(2, None, 2.0),)))
    assert large.pieces[-1].y - large.pieces[0].y == pytest.approx(2 * (small.pieces[-1].y - small.pieces[0].y))
    assert large.height == pytest.approx(large.pieces[-1].y + 2 * large.descent)


def test_what_sets_a_word_off_is_kept_in_the_file_and_checked(reel: Reel, tmp_path: Path) -> None:
    reel, name = laid(reel, "Open day at the smithy")
    reel = title_words.with_word_style(reel, name, [1, 4], colour="#ffb347", size=1.4)
    save_reel(reel, tmp_path / "a.tempik")
    assert load_reel(tmp_path / "a.tempik") == reel
    back = title_words.with_word_style(reel, name, [1, 4], colour=None, size=1.0)
    assert title_in(back, name).words == ()
    for wrong in ((WordStyle(1), WordStyle(1)), (WordStyle(0, "red"),), (WordStyle(0, None, 90.0),)):
        assert list(problems(titles_replaced(reel, name, replace(title_in(reel, name), words=wrong))))
    with pytest.raises(TempikError, match="5 words"):
        title_words.with_word_style(reel, name, [5], size=2.0)


def titles_replaced(reel: Reel, name: str, title: Title) -> Reel:
    return replace(reel, clips=tuple(replace(c, title=title) if c.id == name else c for c in reel.clips))


# Joined and parted


def test_joined_words_are_one_and_parted_words_two_without_being_drawn_otherwise(reel: Reel) -> None:
    reel, name = laid(reel, "Open day at the smithy")
    before = landing(reel, name)
    joined = title_words.with_words_joined(reel, name, 1, 2)
    assert words_of(title_in(joined, name).text) == ("Open", "day\u00a0at", "the", "smithy")
    assert landing(joined, name)["the"] == before["the"] and landing(joined, name)["day\u00a0at"] == before["day"]
    parted = title_words.with_word_parted(reel, name, 4, 3)
    assert words_of(title_in(parted, name).text)[-2:] == ("smi", "thy")
    assert landing(parted, name)["smi"] == landing(parted, name)["thy"] == before["smithy"]
    again = titles.with_word_at(parted, name, 5, before["smithy"] + 20)
    assert landing(again, name) == {k: v for k, v in before.items() if k != "smithy"} | {
        "smi": before["smithy"], "thy": before["smithy"] + 20,
    }  # fmt: skip
    one, two = (drawn(replace(title_in(r, name), shadow=0), 60) for r in (reel, parted))
    assert one is not None and two is not None
    assert one.rgba.shape == two.rgba.shape and np.abs(one.rgba.astype(int) - two.rgba).max() <= 255
    assert np.mean(np.abs(one.rgba[:, :, 3].astype(int) - two.rgba[:, :, 3])) < 1.0
    assert title_in(title_words.with_words_joined(parted, name, 4, 5), name).text == "Open day at the smithy"
    assert words_of(title_in(title_words.with_word_parted(joined, name, 1), name).text) == words_of(
        "Open day at the smithy"
    )


def test_a_parted_word_is_broken_no_sooner_than_a_whole_one() -> None:
    for size in (0.1, 0.14, 0.17, 0.2, 0.25, 0.3):
        lines = [
            {p.word: p.line for p in laid_out(Title(text, size=size, wrap=0.72)).pieces}
            for text in ("Open day at the smithy now", f"Open day at the smi{PARTED}thy now")
        ]
        whole, parted = lines
        assert parted[4] == parted[5] == whole[4] and parted[6] == whole[5], size


@pytest.mark.parametrize(
    "wish, says",
    [
        (lambda r, n: title_words.with_words_joined(r, n, 4, 5), "no word to join"),
        (lambda r, n: title_words.with_word_parted(r, n, 0, 9), "4 letters"),
        (lambda r, n: title_words.with_word_parted(r, n, 9), "5 words"),
        (lambda r, n: titles.with_word_at(r, n, 7, 10), "5 words"),
    ],
)
def test_what_cannot_be_joined_or_parted_is_said(wish: Callable[[Reel, str], Reel], says: str, reel: Reel) -> None:
    reel, name = laid(reel, "Open day at the smithy")
    with pytest.raises(TempikError, match=says):
        wish(reel, name)


def test_words_without_spaces_are_joined_by_what_is_not_seen(reel: Reel) -> None:
    reel, name = laid(reel, "鉄を打つ")
    joined = title_words.with_words_joined(reel, name, 0, 1)
    assert len(words_of(title_in(joined, name).text)) == len(words_of("鉄を打つ")) - 1
    assert title_in(title_words.with_word_parted(joined, name, 0), name).text == "鉄を打つ"


# While the text changes


def test_words_keep_their_points_and_colours_while_others_are_typed(reel: Reel) -> None:
    reel, name = laid(reel, "Open day at the smithy", 200)
    reel = title_words.with_word_style(reel, name, [4], colour="#ffb347")
    before = landing(reel, name)
    for text, lands in (
        ("Open day at our old smithy", {"Open": "Open", "at": "at", "our": "the", "old": "the", "smithy": "smithy"}),
        ("Open at the smithy", {"Open": "Open", "at": "at", "the": "the", "smithy": "smithy"}),
        ("Now open day at the smithy", {"day": "day", "the": "the", "smithy": "smithy"}),
        ("Open days at the smithy", {"days": "day", "at": "at", "smithy": "smithy"}),
    ):
        now = titles.with_title_fields(reel, [name], text=text)
        assert {w: landing(now, name)[w] for w in lands} == {w: before[old] for w, old in lands.items()}
        assert [words_of(text)[s.word] for s in title_in(now, name).words] == ["smithy"]


def test_points_of_words_that_were_deleted_at_the_end_are_there_for_those_typed_anew(reel: Reel) -> None:
    reel, name = laid(reel, "Open day at the smithy")
    before = list(landing(reel, name).values())
    cut = titles.with_title_fields(reel, [name], text="F")
    typed = titles.with_title_fields(cut, [name], text="Fire and iron at noon")
    assert list(landing(typed, name).values()) == before


@given(
    st.lists(st.sampled_from(list("abcde")), max_size=7),
    st.lists(st.sampled_from(list("abcde")), min_size=1, max_size=7),
)
def test_whatever_is_typed_the_reel_stays_sound_and_words_in_order(reel_words: list[str], new: list[str]) -> None:
    reel = Reel(length_s=8.0)
    reel, name = titles.with_title(reel, Title(" ".join(reel_words or ["a"])), 0, 200)
    for number in range(len(reel_words)):
        reel = titles.with_word_at(reel, name, number, 10 * number + 3)
    now = titles.with_title_fields(reel, [name], text=" ".join(new))
    frames = list(word_frames(Timeline(now), Timeline(now).placed_clip(name) or pytest.fail("gone")))
    assert not list(problems(now)) and frames == sorted(frames)


def test_a_word_dragged_from_a_title_that_comes_at_once_takes_those_after_it_along(reel: Reel) -> None:
    reel, name = titles.with_title(reel, Title("Open day at the smithy"), 0, 120)
    reel = titles.with_word_at(reel, name, 3, 50)
    assert list(landing(reel, name).values()) == [0, 0, 0, 50, 50]


# Looks


@pytest.mark.parametrize("look", LOOKS, ids=lambda look: look.name)
def test_every_look_moves_or_stands_on_ones_own_words_and_is_seen(look: object, reel: Reel) -> None:
    found = ready_look(getattr(look, "name", ""))
    assert found is not None
    reel, name = titles.with_title(reel, Title("Open day at the smithy"), 0, 150)
    made, without = titles.with_title_look(reel, [name], found)
    title = title_in(made, name)
    assert title.text == "Open day at the smithy" and without == [] and not list(problems(made))
    below = solid(92, 62, 96)
    frames = [
        to_rgb(sample_title(below, title, bool(found.on_points), n)) for n in range(0, title_frames(title) - 6, 3)
    ]
    plain = to_rgb(below)
    assert max(np.abs(f.astype(int) - plain).mean() for f in frames) > 3
    moves = title.enter.kind != "none" or bool(found.on_points)
    assert (np.abs(frames[0].astype(int) - frames[-2]).max() > 20) == moves


def test_a_look_keeps_points_that_a_title_has_and_says_where_there_are_none_to_take(reel: Reel) -> None:
    on_points, name = laid(reel, "Open day")
    plain, alone = ready_look("plain"), ready_look("alone")
    assert plain is not None and alone is not None
    assert landing(titles.with_title_look(on_points, [name], plain)[0], name) == landing(on_points, name)
    empty = Reel(length_s=4.0)
    empty, other = titles.with_title(empty, Title("Open day"), 0, 60)
    made, without = titles.with_title_look(empty, [other], alone)
    assert without == [other] and title_in(made, other).showing == "one"


def test_a_look_of_ones_own_comes_back_with_its_turns(
    reel: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    reel, name = laid(reel, "Open day now")
    reel = title_words.with_word_style(reel, name, [1], colour="#ffb347", size=1.3)
    kept = kept_title_look(title_words.look_of(clip_of(reel, name), "smithy"))
    assert own_title_looks() == [kept] and title_look_named("Smithy") == kept
    other, second = titles.with_title(reel, Title("four words and more"), 200, 60)
    made, _ = titles.with_title_look(other, [second], kept)
    assert [s.word for s in title_in(made, second).words] == [1]
    write_title_look(kept, tmp_path / "a.tempiktitle")
    assert read_title_look(tmp_path / "a.tempiktitle") == kept
    (tmp_path / "b.tempiktitle").write_text('{"format": 1, "title": {"size": "large"}}')
    with pytest.raises(TempikError, match="damaged"):
        read_title_look(tmp_path / "b.tempiktitle")
    with pytest.raises(TempikError, match="comes with Tempik"):
        kept_title_look(kept._replace(name="plain"))


# Files


@pytest.mark.parametrize("kind", [".lrc", ".vtt"])
def test_syllables_and_joined_words_keep_their_times_in_a_file(kind: str, tmp_path: Path) -> None:
    line = Line(1.0, 4.0, f"O{PARTED}pen our\u00a0day", (1.0, 1.5, 2.0))
    write_lyrics((line,), tmp_path / f"a{kind}")
    text = (tmp_path / f"a{kind}").read_text()
    assert PARTED not in text and "\u00a0" not in text
    (back,) = read_lyrics(tmp_path / f"a{kind}").lines
    assert back.text == f"O{PARTED}pen our day" and back.words_s == (1.0, 1.5, 2.0, 2.0)


def test_words_and_looks_from_the_command_line(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path))
    monkeypatch.setenv("XDG_DATA_HOME", str(tmp_path))
    path = str(tmp_path / "a.tempik")
    reel, name = laid(reel, "Open day at the smithy", 200)
    save_reel(reel, Path(path))

    def now() -> Title:
        return title_in(load_reel(Path(path)), name)

    assert main(["titles", path, "--word", "2,5", "--style", "colour=#ffb347", "--style", "size=140"]) == 0
    assert now().words == (WordStyle(1, "#ffb347", 1.4), WordStyle(4, "#ffb347", 1.4))
    assert main(["titles", path, "--word", "2", "--style", "colour=title"]) == 0 and now().words[0].colour is None
    assert main(["titles", path, "--word", "3-4", "--join"]) == 0 and len(words_of(now().text)) == 4
    assert main(["titles", path, "--word", "4", "--part", "3"]) == 0 and words_of(now().text)[-1] == "thy"
    assert main(["titles", path, "--word", "5", "--word-to", "3"]) == 0
    assert landing(load_reel(Path(path)), name)["thy"] == pytest.approx(90, abs=5)
    assert main(["titles", path, "--keep-look", "mine"]) == 0 and main(["titles", path, "--look", "book"]) == 0
    assert now().font == "EB Garamond"
    assert main(["titles", path, "--look", "mine"]) == 0 and now().font == "Yanone Kaffeesatz"
    capsys.readouterr()
    assert main(["titles", "--looks"]) == 0 and "mine: your own" in capsys.readouterr().out
    given = tmp_path / "given.tempiktitle"
    assert main(["titles", path, "--write-look", str(given)]) == 0
    assert main(["titles", "--forget-look", "mine"]) == 0
    assert main(["titles", "--read-look", str(given)]) == 0 and "given: your own" in capsys.readouterr().out
    for wrong, says in (
        (["--look", "mine"], "no look of titles 'mine'"),
        (["--word", "9", "--join"], "names no words"),
        (["--style", "size=140"], "--word"),
        (["--read-look", path], "is no look of titles"),
        (["--word", "1", "--style", "weight=9"], "sets no word off"),
        (["--word", "1"], "say what"),
        (["--word", "1,3", "--join"], "follow each other"),
        (["--word", "1-2", "--part", "2"], "one word"),
    ):
        capsys.readouterr()
        assert main(["titles", path, *wrong]) != 0 and says in capsys.readouterr().err


# Where one types


@pytest.mark.parametrize(
    "text", ["Open day \nat the smithy", "a", "", "ברזל ואש ab", "鉄を打つ", "wrapped words that need two lines"]
)
def test_a_caret_stands_before_every_letter_and_is_found_again_by_its_place(text: str) -> None:
    title = Title(text, size=0.15)
    carets = carets_of(title)
    assert len(carets) == len(text) + 1
    for number, caret in enumerate(carets):
        assert caret.bottom > caret.top
        found = carets[nearest_place(title, caret.x, (caret.top + caret.bottom) / 2)]
        assert (found.x, found.top) == pytest.approx((caret.x, caret.top)), number


def test_carets_go_along_with_what_stands_in_the_frame(reel: Reel) -> None:
    reel, name = titles.with_title(reel, Title("Open day"), 0, 60)
    timeline = Timeline(reel)
    placed = timeline.placed_clip(name)
    assert placed is not None and placed.clip.title is not None
    matrix = ems_to_frame(placed.clip.title, timeline.framing_at(placed, 0).start, timeline.height_ratio)
    first, last = carets_of(placed.clip.title)[0], carets_of(placed.clip.title)[-1]
    corners = corners_of(timeline, placed, 0)
    assert (matrix @ [first.x, first.top, 1])[:2] == pytest.approx(corners[0])
    assert (matrix @ [last.x, last.bottom, 1])[:2] == pytest.approx(corners[2])


# The page


@pytest.fixture
def page(opened: Window) -> TitlesPage:
    """A title over the first points, its words on them, on the page."""
    opened.project.change("title", lambda r: laid(r, "Open day at the smithy", 200)[0])
    clip = next(c for c in opened.project.reel.clips if c.title is not None)
    opened.project.selection.select_clip(clip.id)
    opened.project.playhead.go(190)
    opened.commands["show_titles"].trigger()
    return opened.page(TitlesPage)


def shown_title(window: Window) -> tuple[Clip, Title]:
    clip = window.project.selection.clip
    assert clip is not None and clip.title is not None
    return clip, clip.title


def press_tile(tiles: TileGrid, name: str) -> None:
    """Click the tile of a name."""
    number = next(n for n, item in enumerate(tiles.items) if tiles.name_of(item) == name)
    QTest.mouseClick(tiles, Qt.MouseButton.LeftButton, pos=tiles.box(number).center().toPoint())


def spot(page: TitlesPage, word: int) -> QPoint:
    return page.strip.chips()[word].box.center().toPoint()


def test_chips_are_chosen_coloured_made_larger_and_dragged_with_a_step_each(
    page: TitlesPage, opened: Window, qtbot: QtBot
) -> None:
    strip, steps = page.strip, len(opened.project.history.steps)
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=spot(page, 1))
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.ControlModifier, spot(page, 4))
    assert strip.chosen == {1, 4}
    page.word_bar.colour.told.emit("#ffb347")
    page.word_bar.size_box.setValue(140)
    assert shown_title(opened)[1].words == (WordStyle(1, "#ffb347", 1.4), WordStyle(4, "#ffb347", 1.4))
    assert len(opened.project.history.steps) == steps + 2
    timeline = opened.project.timeline
    frames = sorted(timeline.frame_of_point(p) for p in timeline.on_reel())
    QTest.mouseClick(strip, Qt.MouseButton.LeftButton, pos=spot(page, 4))
    begin, wanted = spot(page, 4), strip.across(frames[6]) - strip.across(strip.chips()[4].frame)
    QTest.mousePress(strip, Qt.MouseButton.LeftButton, pos=begin)
    for share in (0.5, 1.0):
        QTest.mouseMove(strip, begin + QPoint(round(wanted * share), 0))
        qtbot.wait(20)
    QTest.mouseRelease(strip, Qt.MouseButton.LeftButton, pos=begin + QPoint(round(wanted), 0))
    assert landing(opened.project.reel, shown_title(opened)[0].id)["smithy"] == frames[6]
    assert len(opened.project.history.steps) == steps + 3


def test_words_are_joined_and_parted_by_buttons(page: TitlesPage, opened: Window) -> None:
    QTest.mouseClick(page.strip, Qt.MouseButton.LeftButton, pos=spot(page, 2))
    assert page.word_bar.joining.isEnabled() and page.word_bar.parting.isEnabled()
    QTest.mouseClick(page.word_bar.joining, Qt.MouseButton.LeftButton)
    assert words_of(shown_title(opened)[1].text) == ("Open", "day", "at\u00a0the", "smithy") and page.strip.chosen == {
        2
    }
    QTest.mouseClick(page.word_bar.parting, Qt.MouseButton.LeftButton)
    assert words_of(shown_title(opened)[1].text) == words_of("Open day at the smithy")
    QTest.mouseClick(page.strip, Qt.MouseButton.LeftButton, pos=spot(page, 4))
    QTest.mouseClick(page.word_bar.parting, Qt.MouseButton.LeftButton)
    assert words_of(shown_title(opened)[1].text)[-2:] == ("smi", "thy")
    assert not page.word_bar.joining.isEnabled() or page.strip.chosen != {5}


def test_a_chosen_word_goes_from_point_to_point_by_keys(page: TitlesPage, opened: Window) -> None:
    page.strip.setFocus()
    for _ in range(5):
        QTest.keyClick(page.strip, Qt.Key.Key_Right)
    assert page.strip.chosen == {4}
    before = landing(opened.project.reel, shown_title(opened)[0].id)["smithy"]
    QTest.keyClick(page.strip, Qt.Key.Key_Right, Qt.KeyboardModifier.ShiftModifier)
    after = landing(opened.project.reel, shown_title(opened)[0].id)["smithy"]
    points = sorted(opened.project.timeline.frame_of_point(p) for p in opened.project.timeline.on_reel())
    assert after == next(f for f in points if f > before)


def test_a_look_and_ways_to_come_and_go_are_pressed_and_one_of_ones_own_is_kept(
    page: TitlesPage, opened: Window
) -> None:
    press_tile(page.looks, "embers")
    assert shown_title(opened)[1].colour == "#ffb347" and shown_title(opened)[1].text == "Open day at the smithy"
    page.fields.pane.button(1).click()
    press_tile(page.fields.arrivals["leave"].tiles, "slide")
    assert shown_title(opened)[1].leave.kind == "slide"
    page.commands.looks.keep("smithy evening")
    assert page.looks.items[-1].name == "smithy evening"
    opened.undo()
    opened.undo()
    press_tile(page.looks, "smithy evening")
    assert (shown_title(opened)[1].colour, shown_title(opened)[1].leave.kind) == ("#ffb347", "slide")


def test_a_look_goes_to_another_machine_as_a_file(page: TitlesPage, opened: Window, tmp_path: Path) -> None:
    page.commands.looks.write(tmp_path / "ours.tempiktitle")
    page.commands.looks.read(tmp_path / "ours.tempiktitle")
    assert [look.name for look in own_title_looks()] == ["ours"] and "ours" in opened.foot.status.text()
    assert any(page.looks.name_of(item) == "ours" for item in page.looks.items)
    page.commands.looks.forget(own_title_looks()[0])


def test_tiles_have_the_first_words_in_two_lines() -> None:
    assert few_words("Open day at the smithy") == "Open day at\nthe smithy" and few_words("a\nb c") == "a\nb c"
    assert few_words(" ") == "your words" and len(words_of(few_words("word " * 40))) == 6


def seen_at(window: Window, x: float, y: float) -> QPoint:
    box = window.preview.frame_box()
    return QPointF(box.left() + x * box.width(), box.top() + y * box.height()).toPoint()


def test_words_are_typed_in_the_picture_and_the_bar_at_the_title_sets_it(
    page: TitlesPage, opened: Window, qtbot: QtBot
) -> None:
    clip, title = shown_title(opened)
    timeline, preview = opened.project.timeline, opened.preview
    placed = timeline.placed_clip(clip.id)
    assert placed is not None
    matrix = ems_to_frame(title, timeline.framing_at(placed, 190).start, timeline.height_ratio)
    end = carets_of(title)[spans_of(title.text)[1][1]]  # after "day"
    x, y, _ = matrix @ [end.x, (end.top + end.bottom) / 2, 1]
    QTest.mouseClick(preview, Qt.MouseButton.LeftButton, pos=seen_at(opened, x, y))
    QTest.mouseDClick(preview, Qt.MouseButton.LeftButton, pos=seen_at(opened, x, y))
    qtbot.waitUntil(lambda: page.tool.writing.typing)
    preview.setFocus()
    steps = len(opened.project.history.steps)
    QTest.keyClicks(preview, "s S")
    assert shown_title(opened)[1].text == "Open days S at the smithy"
    QTest.keyClick(preview, Qt.Key.Key_Backspace)
    QTest.keyClick(preview, Qt.Key.Key_Escape)
    assert not page.tool.writing.typing and shown_title(opened)[1].text == "Open days  at the smithy"
    assert len(opened.project.history.steps) == steps + 1  # typed in one go: one step
    preview.repaint()
    qtbot.waitUntil(page.bar.isVisible)
    page.bar.size_box.setValue(20)
    assert shown_title(opened)[1].size == 0.2
    opened.commands["show_frame"].trigger()
    assert not page.bar.isVisible()


def test_words_that_have_not_come_are_seen_while_they_are_typed(page: TitlesPage, opened: Window, qtbot: QtBot) -> None:
    """One typed unseen in an empty box where the words' points lay later."""
    clip, _ = shown_title(opened)
    opened.project.playhead.go(0)
    placed = opened.project.timeline.placed_clip(clip.id)
    assert placed is not None and not wording_at(opened.project.timeline, placed, 0)
    extent = corners_of(opened.project.timeline, placed, 0)
    middle = seen_at(opened, *extent.mean(axis=0))
    before = opened.preview.grab().toImage()
    QTest.mouseDClick(opened.preview, Qt.MouseButton.LeftButton, pos=middle)
    page.tool.writing.begin(QPointF(*extent.mean(axis=0)))
    page.tool.writing._blink.stop()
    after = opened.preview.grab().toImage()
    corners = [seen_at(opened, *corner) for corner in extent]
    across, down = range(corners[0].x() + 4, corners[2].x() - 4), range(corners[0].y() + 4, corners[2].y() - 4)
    lit = sum(after.pixelColor(x, y).value() > before.pixelColor(x, y).value() + 30 for x in across for y in down)
    assert lit > 0.05 * len(across) * len(down), "letters are there, not the caret alone"


def test_a_word_that_is_seen_alone_has_a_box_of_its_own(reel: Reel) -> None:
    made, name = laid(reel, "Open day at the smithy", 200)
    alone = titles.with_title_fields(made, [name], showing="one")
    timeline = Timeline(alone)
    placed = timeline.placed_clip(name)
    assert placed is not None
    frames = word_frames(timeline, placed)
    assert len(set(frames)) >= 3
    widths = [np.ptp(corners_of(timeline, placed, frame)[:, 0]) for frame in (0, frames[0], frames[1])]
    whole = Timeline(made).placed_clip(name)
    assert whole is not None
    assert widths[0] == widths[1] > widths[2], "Open, which will be the first, and day"
    assert widths[1] < np.ptp(corners_of(Timeline(made), whole, 0)[:, 0])
    long = replace(title_in(alone, name), size=0.2)
    place = timeline.framing_at(placed, frames[0]).start
    beyond = "It reaches beyond what phones leave free; make it smaller or move it."
    assert beyond in warnings_of(long, replace(place, y=0.26), 16 / 9) and not warnings_of(
        long, replace(place, y=0.26), 16 / 9, alone=True
    )
