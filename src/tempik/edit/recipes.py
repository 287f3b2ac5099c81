"""Recipes: what takes several steps by hand, done in one; all that they make stays to be changed."""

from __future__ import annotations

from collections.abc import Callable, Collection
from typing import NamedTuple

from msgspec.structs import replace

from tempik.edit.clips.repeats import with_repeat
from tempik.edit.clips.slots import clip_of, lying_in, new_clip_id, on_reel, with_clips
from tempik.edit.clips.split_picture import with_split_picture
from tempik.edit.clips.windows import with_rim, with_window
from tempik.edit.titles import free_track, with_title
from tempik.errors import TempikError
from tempik.reel import Clip, Framing, Position, Reel, Rule, Title, by_id
from tempik.timeline.timeline import timeline_of

# A small picture: how wide of the frame's shorter side, how high against that, and how far from the frame's edges.
SMALL, SHAPE, ASIDE = 0.4, 1.25, 0.05
# Words that are wide enough to be seen on both sides of a subject, where its head and shoulders are.
BEHIND, HIGH = Title("TITLE", size=0.4, wrap=2.0, shadow=0.8), Framing(fit="stretch", start=Position(y=-0.12))
OUTLINE, GLOW = 0.008, 0.05


class Recipe(NamedTuple):
    """A name, what it does in one line, the edit of selected clips, and what its step is called."""

    name: str
    does: str
    edit: Callable[[Reel, Collection[str]], Reel]
    step: str


def small_picture(reel: Reel, clips: Collection[str]) -> Reel:
    """Show clips small in the upper right corner, in a window with round corners, an outline and a shadow: what they follow moves inside."""
    short = min(reel.width, reel.height)
    width, height = SMALL * short / reel.width, SMALL * SHAPE * short / reel.height
    reel = with_window(reel, clips, width=width, height=height, corner=0.2, zoom=1.0, x=0.0, y=0.0)
    reel = with_rim(reel, clips, outline=0.006, outline_colour="#ffffff", shadow=0.5)
    at = Position(
        1.0, 0.5 - width / 2 - ASIDE * short / reel.width, -0.5 + height / 2 + 2 * ASIDE * short / reel.height
    )
    out = []
    for name in clips:
        clip = clip_of(reel, name)
        framing = replace(clip.framing, fit="cover", start=at, end=None, crop=(0.0, 0.0, 0.0, 0.0))
        keys = {n: k for n, k in clip.keys.items() if n not in ("zoom", "x", "y", "turn_deg")}
        out.append(replace(clip, framing=framing, keys=keys))
    return with_clips(reel, out)


def outlined(reel: Reel, clips: Collection[str]) -> Reel:
    """Draw a line round what of clips shows. Raises TempikError where a clip fills the frame."""
    _ends_within(reel, clips, "an outline goes")
    return with_rim(reel, clips, outline=OUTLINE)


def glowing(reel: Reel, clips: Collection[str]) -> Reel:
    """Let light lie round what of clips shows. Raises TempikError where a clip fills the frame."""
    _ends_within(reel, clips, "a glow lies")
    return with_rim(reel, clips, glow=GLOW)


def words_behind(reel: Reel, clips: Collection[str]) -> Reel:
    """Let the title over a clip, or a new one, stand between the clip and its cut-out subject. Raises TempikError where nothing is cut out
    of the clip, or there are not tracks enough."""
    for name in clips:
        clip = clip_of(reel, name)
        if not clip.cutout:
            raise TempikError("Stroke over the subject first, and cut it out: words go behind what is cut out.")
        placed = on_reel(timeline_of(reel), name)
        span = placed.first, placed.end
        titles = [
            p.clip
            for t in range(clip.track + 1, len(reel.tracks))
            for p in lying_in(timeline_of(reel), t, *span)
            if p.clip.title is not None
        ]
        if not titles:
            reel, track = free_track(reel, span, clip.track)
            reel, made = with_title(reel, BEHIND, span[0], span[1] - span[0], track, HIGH)
            titles = [clip_of(reel, made)]
        reel, track = free_track(reel, span, max(t.track for t in titles))
        copy = replace(clip, id=new_clip_id(reel), track=track, group="", transition=None, leave=None)
        copy = replace(copy, sound=replace(copy.sound, on=False))
        reel = with_clips(reel, [replace(clip, cutout="", rim=None), copy])
    return reel


def on_downbeats(reel: Reel, clips: Collection[str]) -> Reel:
    """Lay clips again on every downbeat."""
    return with_repeat(reel, clips, Rule(of="bars", beats=(1,)))


def side_by_side(reel: Reel, clips: Collection[str]) -> Reel:
    """Show two to four clips at once. Raises TempikError for another number of clips."""
    return with_split_picture(reel, clips, "strips")


RECIPES = (
    Recipe("small picture", "Small in a corner, with round corners, a border and a shadow; a follow moves it inside", small_picture, "Small picture"),
    Recipe("words behind", "The title over it, or a new one, stands behind what is cut out", words_behind, "Words behind the subject"),
    Recipe("outline", "A line round a cut-out, a mask or a window", outlined, "Outline"),
    Recipe("glow", "Light round a cut-out, a mask or a window", glowing, "Glow"),
    Recipe("on downbeats", "The clips come again on every downbeat", on_downbeats, "Laid again on downbeats"),
    Recipe("split", "Two to four selected clips share the frame, side by side", side_by_side, "Picture split in strips"),
)  # fmt: skip


def recipe_named(name: str) -> Recipe:
    """Return a recipe. Raises TempikError for a name that there is not."""
    found = next((recipe for recipe in RECIPES if recipe.name == name), None)
    if found is None:
        raise TempikError(f"There is no recipe '{name}'; choose from {', '.join(r.name for r in RECIPES)}.")
    return found


def _ends_within(reel: Reel, clips: Collection[str], what: str) -> None:
    for name in clips:
        clip = clip_of(reel, name)
        if not _ends(reel, clip):
            raise TempikError(
                f"Nothing of this clip ends within the frame. Draw a mask, cut its subject out or make it small: {what} round that."
            )


def _ends(reel: Reel, clip: Clip) -> bool:
    footage, framing = by_id(reel.footage, clip.footage), clip.framing
    if clip.masks or clip.cutout or clip.clear is not None or framing.window is not None or clip.title is not None:
        return True
    small = framing.fit == "contain" or framing.start.zoom < 1 or any(framing.crop) or "zoom" in clip.keys
    return small or (footage is not None and footage.alpha)
