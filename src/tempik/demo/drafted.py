"""The demo's reel, drafted: a mood's draft of the song and the footage, its transitions, its title and its film of embers laid over it."""

from __future__ import annotations

from pathlib import Path

from msgspec.structs import replace

from tempik.assemble import gathered
from tempik.demo.footage import footage_name
from tempik.demo.scenes import SCENES
from tempik.demo.song import SONG
from tempik.edit import titles
from tempik.edit.clips import layers, place
from tempik.edit.drafting.make import DraftOptions, draft_in_mood
from tempik.edit.drafting.material import studies_of
from tempik.edit.drafting.moods import mood_named
from tempik.edit.transitions import laying
from tempik.reel import Arrival, Framing, Position, Reel, Title
from tempik.timeline.timeline import timeline_of
from tempik.transitions import new_transition

# The mood that the demo is drafted by, which draw of it, and the footage that is laid over the others alone.
MOOD, SEED, OVERLAY = "driving", 12, "embers"


def drafted_demo(folder: Path) -> Reel:
    """Return the demo's reel, drafted of the song and the footage that lie in a folder."""
    files = [str(folder / footage_name(s)) for s in SCENES]
    cues = [(str(folder / footage_name(s)), s.cue_s) for s in SCENES]
    song, pieces = gathered(str(folder / SONG), files, cues)
    options = DraftOptions(mood_named(MOOD), SEED)
    on_ground = [f for f in pieces if not f.name.startswith(OVERLAY)]
    drafted = draft_in_mood(song, on_ground, studies_of(on_ground), options).reel
    over = [f for f in pieces if f.name.startswith(OVERLAY)]
    reel = replace(drafted, footage=(*drafted.footage, *over))
    return _titled(_layered(_joined(reel)))


# The few transitions that are laid by hand, each near a bar where the footage goes on long enough for it.
JOINS = (
    (2, "light-dissolve", 10, ""), (7, "whip", 7, "down"), (11, "zoom-in", 8, ""), (15, "light-sweep", 9, ""),
)  # fmt: skip


# The demo's title, from one bar up to another, its words on the points from there on; and the bars over which embers fly.
TITLE = Title("Open day\nat the smithy", size=0.17, wrap=0.72, shadow=0.7, outline=0.0,
              enter=Arrival("pop", 5), leave=Arrival("rise", 8))  # fmt: skip
TITLE_BARS, EMBER_BARS = (3, 6), (9, 11)


def _layered(reel: Reel) -> Reel:
    """Return the demo's reel with a film of embers laid over the drop, by its light alone."""
    first, end = _bars(reel, EMBER_BARS)
    piece = next(f.id for f in reel.footage if f.name.startswith(OVERLAY))
    reel = place.with_clip_at(place.with_new_track(reel), piece, first, 1, frames=end - first)
    name = reel.clips[-1].id
    reel = layers.with_opacity(layers.with_blend(reel, [name], "screen"), [name], 0.85)
    reel = layers.with_fade(reel, [name], False, 4)
    return layers.with_fade(reel, [name], True, 1, "beats")


def _titled(reel: Reel) -> Reel:
    """Return the demo's reel with its title, each word on its own point."""
    first, end = _bars(reel, TITLE_BARS)
    high = Framing(fit="stretch", start=Position(x=-0.04, y=-0.24))
    reel, name = titles.with_title(reel, TITLE, first, end - first, 1, high)
    return titles.with_words_on_points(reel, [name])


def _bars(reel: Reel, bars: tuple[int, int]) -> tuple[int, int]:
    """Return the frames of the downbeats of two bars."""
    timeline = timeline_of(reel)
    at = {p.bar: timeline.frame_of_point(p) for p in timeline.on_reel() if p.beat == 1 and not p.part}
    return at[bars[0]], at[bars[1]]


def _joined(reel: Reel) -> Reel:
    """Return the demo's reel with a transition on a few of its cuts."""
    for bar, kind, frames, way in JOINS:
        timeline = timeline_of(reel)
        bars = {p.bar: timeline.frame_of_point(p) for p in timeline.on_reel() if p.beat == 1 and not p.part}
        starts = {p.clip.id: p.first for p in timeline.placed}
        for at in sorted(laying.cuts(timeline), key=lambda place: abs(starts[place.clip] - bars[bar])):
            transition = replace(new_transition(kind), length=float(frames), direction=way)
            made = laying.with_transitions(reel, {at: transition})
            if not any(
                placed_transition.missing
                for transitions in timeline_of(made).transitions
                for placed_transition in transitions
            ):
                reel = made
                break
    return reel
