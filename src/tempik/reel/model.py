"""The reel: frozen records of everything that makes an edit.

Nothing derived is kept. A clip's edges are tied to rhythm points (or stand at an instant of the reel),
its source start follows from its pins, and its frames follow from the reel's rate, so moving a point,
swapping the rate or changing the song's stretch re-derives all of it (`tempik.timeline`).

Times called `time_s` inside a soundtrack are seconds of the song; inside footage, seconds of that file's
own clock; on an edge, seconds of the reel.
"""

from __future__ import annotations

from fractions import Fraction
from typing import Literal, TypeVar

import msgspec

from tempik.digits import parse_int
from tempik.reel.grade import ColourOf, Grade
from tempik.reel.lanes import AccentLane, Bundle, Edge, Key, MediaPath, MotionTrack, Rule
from tempik.reel.mask import Clear, Cutout, Mask
from tempik.reel.sound import Mix, SoundClip, SoundFile, SoundLane, SoundTrack
from tempik.reel.soundtrack import Point, PointChoice, Soundtrack
from tempik.reel.title import Title
from tempik.reel.transition import Transition
from tempik.reel.window import PictureWindow, Rim


class Cue(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """An instant of a piece of footage that matters: the strike, the landing, the turn."""

    id: str
    time_s: float
    name: str = ""


FootageKind = Literal["video", "still", "solid", "title", "adjust", "nest"]


class Footage(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A source file with what was measured of it. Sizes are as shown: after the clockwise `rotation_deg`.

    A `solid` has no file: `path` is its colour, such as `#000000`. A `title` has none either, its words are each clip's own;
    an `adjust` shows what lies below, for accents and framing of its slot; a `nest` shows clips of its own, its size, rate and
    length being the timeline's to say. `read_rate` says how fast the file was really shot,
    where it was written already slowed. `repeats` are the numbers of frames that only repeat the one before; with
    `skip_repeats` they are left out and the others stand evenly. `grade` makes its colours normal wherever it is shown, after
    `colour` has said how its values are meant.
    """

    id: str
    path: MediaPath
    width: int
    height: int
    rate: Fraction
    length_s: float
    rotation_deg: int = 0
    has_sound: bool = False
    cues: tuple[Cue, ...] = ()
    kind: FootageKind = "video"
    read_rate: Fraction | None = None
    skip_repeats: bool = False
    repeats: tuple[int, ...] = ()
    frames: int = 0
    bytes: int = 0
    key: str = ""
    variable: bool = False
    alpha: bool = False
    warning: str = ""
    tag: str = ""
    note: str = ""
    shot: str = ""
    dismissed: tuple[float, ...] = ()
    motion_tracks: tuple[MotionTrack, ...] = ()
    cutouts: tuple[Cutout, ...] = ()
    nest: Nest | None = None
    grade: Grade | None = None
    colour: ColourOf = ColourOf()

    @property
    def true_rate(self) -> Fraction:
        """Different pictures a second of what was filmed."""
        rate = self.read_rate or self.rate
        if self.skip_repeats and self.frames:
            rate = (rate * (self.frames - len(self.repeats)) / self.frames).limit_denominator(1001)
        return rate

    @property
    def conform_ratio(self) -> float:
        """Seconds of the file that pass in a second as filmed: above 1 where the file is slowed already."""
        return float(self.read_rate / self.rate) if self.read_rate else 1.0

    @property
    def endless(self) -> bool:
        """Whether it fills any slot: stills and solids never run out."""
        return self.kind not in ("video", "nest")

    @property
    def without_file(self) -> bool:
        """Whether `path` names no file."""
        return self.kind in ("solid", "title", "adjust", "nest")

    @property
    def as_frame(self) -> bool:
        """Whether its picture is the frame itself, whatever the frame's shape."""
        return self.kind in ("title", "adjust", "nest")

    @property
    def name(self) -> str:
        """What it is called on screen: the file's name, or in words what has no file."""
        if self.kind == "nest":
            return self.path
        if self.as_frame:
            return "title" if self.kind == "title" else "adjust"
        if self.kind == "solid":
            return "blank" if self.path.lower() == "#000000" else f"solid {self.path}"
        return self.path.rsplit("/", 1)[-1]


class PlannedShot(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A line of the shot list: footage is attached to it by its id."""

    id: str
    text: str


class Node(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A speed at a share of the clip's slot. Softness is the share of the segment that eases, 0 to 1."""

    at: float
    speed: float
    soft_in: float = 0.0
    soft_out: float = 0.0
    hold: bool = False


class Curve(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Playback speed over the slot; 1 is as shot, negative plays backward. Nodes are in order of `at`."""

    nodes: tuple[Node, ...] = (Node(0.0, 1.0),)


class SpeedShape(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A form of speed for any clip: its nodes' speeds are multiples of the clip's own.

    `focus` is the share at which what it is named after happens, to be laid on a point. `turning` shapes play every
    second piece backward. `does` says in one line what it does.
    """

    name: str
    nodes: tuple[Node, ...]
    focus: float = 0.5
    turning: bool = False
    does: str = ""


Align = Literal["clip", "point", "pin", "every"]


class Shaped(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A clip's use of a shape: its speed on the average, how much of the shape (0 to 2), and what it is laid on.

    `align`: the clip as a whole; one `point`; the clip's first pin; or every n-th chosen point inside the clip, which
    plays the shape once between each two. The curve follows these wherever they move.
    """

    shape: SpeedShape
    speed: float = 1.0
    amount: float = 1.0
    align: Align = "clip"
    point: str = ""
    every: int = 1


Interpolation = Literal["nearest", "blend", "flow"]
Pitch = Literal["preserved", "follows"]


class ClipSound(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How a clip's own sound is heard under its speed: with its pitch kept, or falling and rising with the speed.

    It begins `lead_s` before its picture does (after it where that is below 0) and ends `trail_s` after it, with a fade at either
    end; `crossfade_ms` is how long it is crossfaded at its edges, as the reel's are where it is None.
    """

    on: bool = False
    gain_db: float = 0.0
    pitch: Pitch = "preserved"
    fade_in_s: float = 0.0
    fade_out_s: float = 0.0
    lead_s: float = 0.0
    trail_s: float = 0.0
    crossfade_ms: float | None = None


class Pin(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A tie: this cue of the clip's footage is on screen at the frame of this point."""

    cue: str
    point: str


Fit = Literal["cover", "contain", "stretch"]
Ease = Literal["even", "soft", "slow start", "slow end"]


class Position(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """Where the picture stands in the frame: zoom about the middle, then moved by shares of the frame's width and
    height, then turned clockwise."""

    zoom: float = 1.0
    x: float = 0.0
    y: float = 0.0
    turn_deg: float = 0.0


class Framing(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How a clip's picture fills the frame. With `end` it moves from `start` to `end` over the slot.

    `crop` is the shares of the picture cut off at its left, top, right and bottom. With a `window` it fills that in place of the frame, and
    start and end are the window's.
    """

    fit: Fit = "cover"
    start: Position = Position()
    end: Position | None = None
    ease: Ease = "soft"
    flip_x: bool = False
    flip_y: bool = False
    crop: tuple[float, float, float, float] = (0.0, 0.0, 0.0, 0.0)
    window: PictureWindow | None = None


class Follow(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A framing that keeps a tracked patch of the footage at a place of the frame (shares of its width and height), as far
    as the picture reaches; `calm` is how much its path is smoothed, in seconds of the reel. Where the clip's place has keys,
    they hold."""

    track: str
    x: float = 0.5
    y: float = 0.45
    calm: float = 0.6


class ShapeFraming(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """How a clip stands in the frame of one shape: its framing, what it follows, the `keys` of its place, and of a title how large it is
    and at which width its lines are broken."""

    framing: Framing = Framing()
    follow: Follow | None = None
    keys: dict[str, tuple[Key, ...]] = {}
    size: float | None = None
    wrap: float | None = None


class ShownShape(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """That a reel is shown in a frame of another shape than its own: the shape's name, and the reel's own size."""

    name: str
    width: int
    height: int


class RepeatRule(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A clip laid again at whatever a rule fires on, as it lies about what it begins on itself. `without` names what it is
    left out of by hand."""

    rule: Rule = Rule()
    without: tuple[str, ...] = ()


Beyond = Literal["hold", "loop"]


class Clip(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A stretch of footage on the reel. `source_s` is what its first frame shows while it has no pin.

    `part` is the stretch of the curve that the slot shows, in shares of the curve: a clip that was split or trimmed
    keeps its shape, of which it shows a part. `shaped` makes the curve where it is given. `interpolation` is how frames between
    two of the footage's are made, the reel's way when None. `beyond` is what is shown past the footage's ends: its end
    frame held, or the footage round again. `track` counts tracks upward; `group` names clips that go together. `transition` is
    what happens over its start, `leave` over its end where no clip follows. `blend` is how it is laid over what lies below (a
    mode of the W3C's *Compositing and Blending Level 1*, or plus-lighter), `opacity` how much of it shows. `keys` hold, over
    time, its `opacity`, its `zoom`, `x`, `y` and `turn_deg` in the frame in place of the framing's, how many `word`s of its
    `title` are shown, and how much of its `grade`. `masks`, `clear` and `cutout` (one of its footage's) say where it
    shows. `in_place` is of a nest: while it plays at its own speed it shows each instant of the reel at that instant. `follow`
    keeps a subject in the frame, `repeat` lays it on points too. One that is `locked` stays as it is where the reel is drafted anew.
    `rim` lies round what of it shows. `shapes` says how it stands in frames of other shapes than the reel's, by their names, where that was
    set by hand.
    """

    id: str
    footage: str
    start: Edge
    end: Edge
    source_s: float = 0.0
    curve: Curve = Curve()
    pins: tuple[Pin, ...] = ()
    part: tuple[float, float] = (0.0, 1.0)
    track: int = 0
    framing: Framing = Framing()
    group: str = ""
    shaped: Shaped | None = None
    interpolation: Interpolation | None = None
    beyond: Beyond = "hold"
    sound: ClipSound = ClipSound()
    transition: Transition | None = None
    leave: Transition | None = None
    blend: str = "normal"
    opacity: float = 1.0
    keys: dict[str, tuple[Key, ...]] = {}
    title: Title | None = None
    masks: tuple[Mask, ...] = ()
    clear: Clear | None = None
    cutout: str = ""
    follow: Follow | None = None
    repeat: RepeatRule | None = None
    in_place: bool = False
    grade: Grade | None = None
    locked: bool = False
    rim: Rim | None = None
    shapes: dict[str, ShapeFraming] = {}


class VideoTrack(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """A track of clips. A locked one is not changed, a hidden one not shown."""

    locked: bool = False
    hidden: bool = False


class Nest(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What lies in a nest: clips, tracks and accent lanes as a reel has them, on the points and in the time of the reel, of
    which it spans `start` to `end`. While the nest is open, what it was opened out of stands here in its place."""

    start: Edge
    end: Edge
    clips: tuple[Clip, ...] = ()
    tracks: tuple[VideoTrack, ...] = (VideoTrack(),)
    accent_lanes: tuple[AccentLane, ...] = ()


class Drafted(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """What a draft by a mood made, so that another can take its place: the mood's name, the draw's `seed`, how wild it was (0 to 2),
    whether the order of the footage was kept, and the ids of lanes and cues (each with its footage's) and the choices of points that it set."""

    mood: str
    seed: int = 0
    strength: float = 1.0
    ordered: bool = False
    accent_lanes: tuple[str, ...] = ()
    sound_lanes: tuple[str, ...] = ()
    cues: tuple[tuple[str, str], ...] = ()
    choices: tuple[PointChoice, ...] = ()


class Reel(msgspec.Struct, frozen=True, omit_defaults=True, forbid_unknown_fields=True):
    """The edit being made. `opened` names the nests that are open, each within the one before: clips, tracks and lanes are
    those of the last. `look` is the grade of the whole, `look_keys` how much of it shows over time.
    `crossfade_ms` is how long the sounds of neighbouring clips are crossfaded. `sounds` are the user's own on the shelf, `hits` where the
    hits of others were put by hand (seconds of the sound, by name). `draft` says which draft was made last.

    `amount` is how strong all accents together are, 0 to 2; `shutter_deg` the angle of the shutter that blurs what
    moves, 0 for none. `shown` is of a reel that is looked at in another shape, and of none that is kept.
    """

    width: int = 1080
    height: int = 1920
    rate: Fraction = Fraction(30)
    length_s: float = 0.0
    soundtrack: Soundtrack | None = None
    footage: tuple[Footage, ...] = ()
    clips: tuple[Clip, ...] = ()
    accent_lanes: tuple[AccentLane, ...] = ()
    tracks: tuple[VideoTrack, ...] = (VideoTrack(),)
    shots: tuple[PlannedShot, ...] = ()
    interpolation: Interpolation = "nearest"
    crossfade_ms: float = 5.0
    bundles: tuple[Bundle, ...] = ()
    amount: float = 1.0
    shutter_deg: float = 0.0
    opened: tuple[str, ...] = ()
    look: Grade | None = None
    look_keys: tuple[Key, ...] = ()
    sounds: tuple[SoundFile, ...] = ()
    hits: dict[str, float] = {}
    sound_lanes: tuple[SoundLane, ...] = ()
    sound_tracks: tuple[SoundTrack, ...] = ()
    sound_clips: tuple[SoundClip, ...] = ()
    mix: Mix = Mix()
    draft: Drafted | None = None
    shown: ShownShape | None = None


R = TypeVar(
    "R", Point, Cue, Footage, Clip, AccentLane, PlannedShot, Bundle, MotionTrack, Mask, Cutout, SoundFile, SoundLane,
    SoundTrack, SoundClip,
)  # fmt: skip


def by_id(records: tuple[R, ...], wanted: str | None) -> R | None:
    """Return the record with that id, or None."""
    for record in records:
        if record.id == wanted:
            return record
    return None


def new_id(prefix: str, taken: tuple[str, ...] | set[str]) -> str:
    """Return the first free id such as `c12`: small and stable, so that project files diff well."""
    numbers = [parse_int(t[len(prefix) :]) or 0 for t in taken if t.startswith(prefix)]
    return f"{prefix}{max(0, *numbers, 0) + 1}"
