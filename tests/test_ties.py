"""Keys of clips, of masks, and words of titles stay true whatever becomes of the points that they stand on."""

from collections.abc import Callable
from fractions import Fraction

import pytest
from msgspec.structs import replace

from tempik.edit import titles
from tempik.edit.clips.layers import with_clip_key
from tempik.edit.song import points as edits
from tempik.edit.song.carry_over import with_song
from tempik.edit.song.readings import heard_anew, readings_of, with_reading_heard
from tempik.edit.ties import keys_of
from tempik.reel import Key, Mask, Reel, RepeatRule, Soundtrack, Title
from tempik.reel.validate import problems
from tempik.rhythm.records import Beat
from tempik.timeline.timeline import Timeline


@pytest.fixture
def tied(reel: Reel) -> Reel:
    """A reel with keys on found points and on one placed by hand, a mask with keys, and words on points."""
    reel = edits.with_point(reel, 2.2)
    timeline = Timeline(reel)
    by_hand = next(p for p in timeline.on_reel() if p.kind == "hand")
    placed = next(p for p in timeline.placed if p.first <= timeline.frame_of_point(by_hand) < p.end)
    reel = with_clip_key(reel, placed.clip.id, "opacity", timeline.frame_of_point(by_hand), 0.5)
    inside = [p for p in timeline.on_reel() if placed.first < timeline.frame_of_point(p) < placed.end]
    for number, point in enumerate(inside):
        reel = with_clip_key(reel, placed.clip.id, "zoom", timeline.frame_of_point(point), 1 + number / 10)
    keys = {"x": (Key(by_hand.time_s, 0.4, by_hand.id), Key(inside[-1].time_s, 0.6, inside[-1].id))}
    mask, again = Mask("m1", keys=keys), RepeatRule(without=(inside[0].id,))
    clips = tuple(replace(c, masks=(mask,), repeat=again) if c.id == placed.clip.id else c for c in reel.clips)
    reel, name = titles.with_title(replace(reel, clips=clips), Title("one two three four"), 0, 140)
    reel = titles.with_words_on_points(reel, [name])
    assert sum(k.point is not None for c in reel.clips for k in keys_of(c)) >= 7 and not problems(reel)
    return reel


def half_as_many(song: Soundtrack) -> tuple[Beat, ...]:
    beats = song.heard.beats if song.heard is not None else ()
    return tuple(replace(b, time_s=b.time_s + 0.01) for b in beats[::2])


def bare_song(reel: Reel) -> Reel:
    assert reel.soundtrack is not None
    return with_song(reel, replace(reel.soundtrack, heard=None, start_s=0.5, placed=(), edits=()))


def another_song(reel: Reel) -> Reel:
    song = reel.soundtrack
    assert song is not None and song.heard is not None
    slower = replace(song.heard, beats=tuple(replace(b, time_s=b.time_s * 1.1) for b in song.heard.beats))
    return with_song(reel, replace(song, heard=slower, length_s=song.length_s * 1.1, placed=()))


def anew(reel: Reel) -> Reel:
    song = reel.soundtrack
    assert song is not None and song.heard is not None
    return heard_anew(reel, replace(song.heard, beats=half_as_many(song)))


CHANGES: dict[str, Callable[[Reel], Reel]] = {
    "all points placed by hand go": lambda r: edits.without_points(r, [p.id for p in r.soundtrack.placed]),  # type: ignore[union-attr]
    "found points go": lambda r: edits.without_points(r, [p.id for p in Timeline(r).on_reel()[2:6]]),
    "half as many beats": lambda r: edits.with_pace(r, Fraction(1, 2)),
    "twice as many beats": lambda r: edits.with_pace(r, Fraction(2)),
    "half a beat later": edits.with_half_a_beat,
    "one even grid": lambda r: edits.with_beat_source(r, "grid"),
    "own beats": lambda r: edits.with_own_beats(r, half_as_many(r.soundtrack)),  # type: ignore[arg-type]
    "bars of three": lambda r: edits.with_metre(r, 3),
    "each reading": lambda r: with_reading_heard(r, len(readings_of(r.soundtrack)) - 1),  # type: ignore[arg-type]
    "heard anew": anew,
    "another song": another_song,
    "a song without beats": bare_song,
}


@pytest.mark.parametrize("change", CHANGES.values(), ids=CHANGES.keys())
def test_keys_never_name_a_point_that_is_gone(tied: Reel, change: Callable[[Reel], Reel]) -> None:
    """A project with such a key would be refused as damaged when it is next opened."""
    made = change(tied)
    assert problems(made) == []
    assert sum(1 for c in made.clips for _ in keys_of(c)) == sum(1 for c in tied.clips for _ in keys_of(c))


def test_a_key_stays_where_it_was_when_its_point_goes(tied: Reel) -> None:
    before = Timeline(tied)
    placed = next(p for p in before.placed if "opacity" in p.clip.keys)
    after = Timeline(CHANGES["all points placed by hand go"](tied))
    again = after.placed_clip(placed.clip.id)
    assert again is not None and after.keyed(again)["opacity"] == before.keyed(placed)["opacity"]


def test_keys_go_over_to_another_song_by_the_beat(tied: Reel) -> None:
    before, after = Timeline(tied), Timeline(another_song(tied))
    placed = next(p for p in before.placed if p.clip.title is not None)
    again = after.placed_clip(placed.clip.id)
    assert again is not None
    labels = [[t.point_at(f, 1).label for f, _, _ in t.keyed(p)["word"]] for t, p in ((before, placed), (after, again))]  # type: ignore[union-attr]
    assert labels[0] == labels[1]
