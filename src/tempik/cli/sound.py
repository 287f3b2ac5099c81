"""`tempik sound`: a project's sounds as a table of where they hit, and every change of them and of the mix that the window makes."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Any

from tempik.cli.changing import project_of, ready, saved_or_shown
from tempik.cli.options import Options, Parser, count, number_in, real, settled, together
from tempik.digits import parse_int
from tempik.errors import TempikError

if TYPE_CHECKING:
    from tempik.edit.song.arranging import SongEditProposal
    from tempik.reel import Edge, Reel

COLUMNS = "lane,sound,hit_s,point_s,error_ms"
LIKENESS_RATE = 24000  # at which bars are compared
RULES = ("points", "bars", "onsets", "drops", "cuts", "transitions", "starts", "ends", "pins", "hand")


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik sound` and its options."""
    made = verbs.add_parser("sound", help="lay sounds on points, mix, write the sound alone; or list where sounds hit")
    made.add_argument("project", type=Path, nargs="?")
    made.add_argument("--list", action="store_true", help="every sound of the shelf")
    made.add_argument("--add", metavar="NAME|FILE", help="add a lane; several with commas take turns by lot")
    made.add_argument("--lane", type=count, metavar="N", help="the lane to change, from 1")
    made.add_argument(
        "--on", metavar="RULE", help=f"what fires it: {', '.join(RULES)}, lane:N (an accent lane's pulses)"
    )
    made.add_argument("--every", type=count, metavar="N")
    made.add_argument("--offset", type=count, metavar="N")
    made.add_argument("--beats-of-bar", metavar="2,4", help="of --on bars")
    made.add_argument("--at-least", type=real, metavar="PERCENT", help="strength of the point")
    made.add_argument("--paint", action="append", default=[], metavar="BAR.BEAT=PERCENT", help="0 silences a point")
    made.add_argument("--vary-pitch", type=real, metavar="SEMITONES")
    made.add_argument("--vary-gain", type=real, metavar="DB")
    made.add_argument("--seed", type=count)
    made.add_argument("--beats", type=real, metavar="N", help="how many beats a riser climbs over; 0 is its own")
    made.add_argument("--lay", metavar="NAME|FILE", help="lay a sound on a sound track, its hit --at a point or time")
    made.add_argument("--at", metavar="BAR.BEAT|SECONDS")
    made.add_argument("--clip", type=count, metavar="N", help="the sound clip to change, from 1 in order of time")
    made.add_argument("--track", type=count, metavar="N", help="a sound track, from 1: for --lay, or as a channel")
    made.add_argument("--from", dest="from_s", type=real, metavar="SECONDS", help="slip: begin there in the sound")
    made.add_argument("--length", type=real, metavar="SECONDS")
    made.add_argument("--speed", type=real, metavar="TIMES")
    made.add_argument("--pitch", choices=("preserved", "follows"), help="of a clip that is played faster or slower")
    made.add_argument("--backward", choices=("on", "off"))
    made.add_argument("--loop", choices=("on", "off"))
    made.add_argument("--fade-in", type=real, metavar="SECONDS")
    made.add_argument("--fade-out", type=real, metavar="SECONDS")
    made.add_argument("--channel", choices=("song", "clips"), help="the channel that --gain, --pan, --mute … change")
    made.add_argument("--gain", type=real, metavar="DB")
    made.add_argument("--pan", type=real, metavar="PERCENT", help="-100 left, 100 right")
    made.add_argument("--mute", choices=("on", "off"))
    made.add_argument("--alone", choices=("on", "off"))
    made.add_argument("--ducks", choices=("on", "off"), help="the song goes down under it")
    made.add_argument("--duck", type=real, metavar="DB", help="how far the song goes down")
    made.add_argument("--duck-over", type=real, metavar="DB", help="under what is louder than this")
    made.add_argument("--duck-times", metavar="ATTACK,RELEASE", help="milliseconds")
    made.add_argument("--loudness", metavar="LUFS|off")
    made.add_argument("--ceiling", metavar="DBTP|off")
    made.add_argument("--hit", action="append", default=[], metavar="NAME=SECONDS", help="move a sound's hit; 'found'")
    made.add_argument("--remove", action="store_true")
    made.add_argument(
        "--arrange", type=real, metavar="SECONDS", help="make the song so long; without -o the ways are listed"
    )
    made.add_argument("--way", type=count, default=1, metavar="N", help="which of the ways of --arrange, from 1")
    made.add_argument("--drop-bars", metavar="5-8", help="leave bars out of the song")
    made.add_argument("--bars-again", metavar="5-8", help="have bars heard once more")
    made.add_argument("--move-bars", metavar="5-8:13", help="have bars heard before another")
    made.add_argument("--whole-song", action="store_true", help="have the song heard as its file has it")
    made.add_argument("--levels", action="store_true", help="how loud the mix is")
    made.add_argument("--write", type=Path, metavar="FILE", help="write the reel's sound alone, as .wav or .flac")
    made.add_argument("-o", "--output", type=Path, metavar="P", help="another project than PROJECT to write to")


def run(options: Options) -> int:
    """List or change. Raises TempikError with one sentence."""
    if options.list:
        settled(options)
        sys.stdout.write(shelf_text())
        return 0
    reel = project_of(options, "--list for the sounds there are")
    changed = _changed(_arranged(reel, options), options)
    if options.arrange is not None and options.output is None:
        settled(options)
        return 0  # the ways were listed
    ready(reel, changed, options, "levels", "write")
    if options.levels:
        sys.stdout.write(levels_text(changed))
    if options.write is not None:
        from tempik.render.sound_file import write_sound
        from tempik.timeline.timeline import timeline_of

        write_sound(timeline_of(changed), options.write)
        print(options.write)
    return saved_or_shown(reel, changed, options, table, ("lane", "clip", "track", "channel"), ("levels", "write"))


def shelf_text() -> str:
    """Return every sound of the shelf, one line each."""
    from tempik.sounds.shelf import SHELF

    lines = [
        f"{k.name}: {k.does} ({', '.join(k.tags)}{f'; {k.beats:g} beats' if k.beats else ''})" for k in SHELF.values()
    ]
    return "\n".join(lines) + "\n"


def table(reel: Reel) -> str:
    """Return where every sound hits, as CSV."""
    from tempik.check.landing import sounds
    from tempik.timeline.timeline import timeline_of

    names = {r.id: str(n) for n, r in enumerate(reel.sound_lanes, 1)}
    names |= {t.id: f"track {n}" for n, t in enumerate(reel.sound_tracks, 1)}
    lines = [COLUMNS]
    for e in sorted(sounds(timeline_of(reel)), key=lambda e: e.time_s):
        lines.append(f"{names[e.lane]},{e.what},{e.time_s:.6f},{e.point_s:.6f},{e.error_ms:.3f}")
    return "\n".join(lines) + "\n"


def levels_text(reel: Reel) -> str:
    """Return how loud the mix is, before and after it is mastered."""
    from tempik.render.mixdown import Mixdown
    from tempik.sounds.loudness import Meter
    from tempik.timeline.timeline import timeline_of

    mixdown = Mixdown(timeline_of(reel))
    gain = mixdown.gain()
    meter = Meter()
    for block in mixdown.blocks(gain):
        meter.add(block)
    lines = ["what,integrated_lufs,momentary_lufs,short_term_lufs,true_peak_dbtp"]
    for what, found in (("mixed", mixdown.levels()), ("mastered", meter.found())):
        lines.append(f"{what},{found.integrated:.2f},{found.momentary:.2f},{found.short:.2f},{found.peak_db:.2f}")
    return "\n".join(lines) + "\n"


def _arranged(reel: Reel, options: argparse.Namespace) -> Reel:
    """Return the reel with its song in another order, where that is asked for."""
    from tempik.edit.song import arranging

    if options.arrange is not None:
        found = _ways(reel, options.arrange)
        if options.output is None:
            lines = ["way,length_s,splices,heard"]
            lines += [
                f"{n},{p.song_edit.length_s:.3f},{p.why.replace(', ', '; ')},{p.heard}" for n, p in enumerate(found, 1)
            ]
            sys.stdout.write("\n".join(lines) + "\n")
            return reel
        if not 1 <= options.way <= len(found):
            raise TempikError(f"There is no way {options.way}; {len(found)} were found.")
        reel = arranging.with_song_edit(reel, found[options.way - 1].song_edit)
    if options.drop_bars:
        reel = arranging.without_bars(reel, *_bars(reel, options.drop_bars))
    if options.bars_again:
        reel = arranging.with_bars_again(reel, *_bars(reel, options.bars_again))
    if options.move_bars:
        bars, _, before = options.move_bars.partition(":")
        reel = arranging.with_bars_moved(reel, *_bars(reel, bars), _bars(reel, before)[0])
    return arranging.with_whole_song(reel) if options.whole_song else reel


def _ways(reel: Reel, wanted_s: float) -> list[SongEditProposal]:
    from tempik.edit.reel import song_of
    from tempik.edit.song.arranging import proposals
    from tempik.media import Sound, decode_sound
    from tempik.render.song_sound import song_samples

    song = song_of(reel)
    sound = decode_sound(song.path, LIKENESS_RATE, mono=True, whole=True)
    return proposals(song, Sound(song_samples(song, sound), LIKENESS_RATE).samples, LIKENESS_RATE, wanted_s)


def _bars(reel: Reel, text: str) -> tuple[float, float]:
    """Return from where to where some bars are heard, in seconds of the song, by the numbers that the ruler has."""
    from tempik.edit.reel import song_of
    from tempik.reel import beats_between

    song = song_of(reel)
    starts = {p.bar: p.time_s for p in beats_between(song, 0.0, song.length_s) if p.beat == 1}
    first, _, last = text.partition("-")
    a, b = parse_int(first), parse_int(last or first)
    if a not in starts or b not in starts or a is None or b is None or b < a:
        raise TempikError(
            f"There are no bars {text}; the song has {min(starts, default=0)} to {max(starts, default=0)}."
        )
    return starts[a], starts.get(b + 1, song.length_s)


def _changed(reel: Reel, options: Options) -> Reel:
    from tempik.edit.sounds.files import with_hit
    from tempik.edit.sounds.lanes import with_sound_lane
    from tempik.timeline.sound_triggers import sound_length

    together(options, "add", "lane", "lay", "clip", "channel")
    if options.add:
        reel, names = _sounds(reel, options.add)
        reel = with_sound_lane(reel, names)
        reel = _lane_changed(reel, reel.sound_lanes[-1].id, options)
    elif options.lane is not None:
        if not 1 <= options.lane <= len(reel.sound_lanes):
            raise TempikError(f"There is no sound lane {options.lane}; the project has {len(reel.sound_lanes)}.")
        reel = _lane_changed(reel, reel.sound_lanes[options.lane - 1].id, options)
    elif options.lay or options.clip is not None:
        reel = _clip_changed(reel, options)
    elif options.channel or options.track is not None:
        reel = _strip_changed(reel, options.channel or _track(reel, options.track), options)
    else:
        asked = [n for n in (*_OF_A_STRIP, *_OF_A_ROW, *_OF_A_CLIP) if options.is_given(n)]
        if asked:
            raise TempikError(
                f"What does --{asked[0].replace('_', '-')} change? Give --lane N, --clip N, --track N or --channel."
            )
    for text in options.hit:
        name, _, value = text.partition("=")
        reel, (sound,) = _sounds(reel, name)
        hit_s = None if value == "found" else number_in(value, text)
        if hit_s is not None and not 0 <= hit_s <= sound_length(reel, sound):
            raise TempikError(
                f"The sound is {sound_length(reel, sound):.3g} s long; its hit cannot lie at {hit_s:g} s."
            )
        reel = with_hit(reel, sound, hit_s)
    return _mixed(reel, options)


_OF_A_STRIP = ("gain", "pan", "mute", "alone", "ducks", "remove")
_OF_A_ROW = ("on", "every", "offset", "beats_of_bar", "at_least", "paint", "vary_pitch", "vary_gain", "seed", "beats")
_OF_A_CLIP = ("at", "from_s", "length", "speed", "pitch", "backward", "loop", "fade_in", "fade_out")


def _sounds(reel: Reel, text: str) -> tuple[Reel, list[str]]:
    """Return names of sounds, files among them being put on the reel's shelf."""
    from tempik.edit.sounds.files import heard_file, with_sound_file
    from tempik.sounds.shelf import SHELF, sound_named

    names = []
    for name in text.split(","):
        if name in SHELF or any(s.id == name for s in reel.sounds):
            names.append(name)
        elif "." in name or "/" in name:
            reel, own = with_sound_file(reel, heard_file(name))
            names.append(own)
        else:
            names.append(sound_named(name).name)
    return reel, names


def _lane_changed(reel: Reel, lane: str, options: argparse.Namespace) -> Reel:
    from tempik.edit import ruled
    from tempik.edit.accents.painting import with_painted
    from tempik.edit.sounds.lanes import with_values, without_sound_lane

    if options.remove:
        return without_sound_lane(reel, lane)
    reel = _with_rule(reel, lane, options)
    given = {
        "vary_pitch": options.vary_pitch, "vary_gain_db": options.vary_gain, "beats": options.beats,
        "fade_in_s": options.fade_in, "fade_out_s": options.fade_out,
    }  # fmt: skip
    reel = with_values(reel, lane, **{n: v for n, v in given.items() if v is not None})
    if options.seed is not None:
        reel = ruled.with_seed(reel, lane, options.seed)
    for text in options.paint:
        label, _, value = text.partition("=")
        reel = with_painted(reel, lane, _point(reel, label), number_in(value) / 100)
    return _strip_changed(reel, lane, options)


def _with_rule(reel: Reel, lane: str, options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit import ruled

    changes: dict[str, Any] = {}
    if options.on is not None:
        kind, _, number = options.on.partition(":")
        if kind == "lane":
            at = parse_int(number)
            if at is None or not 1 <= at <= len(reel.accent_lanes):
                raise TempikError(f"There is no accent lane {number}; the project has {len(reel.accent_lanes)}.")
            changes |= {"of": "pulses", "lane": reel.accent_lanes[at - 1].id}
        elif kind not in RULES:
            raise TempikError(f"A sound cannot fire on '{options.on}'; choose from {', '.join(RULES)}, lane:N.")
        else:
            changes["of"] = kind
    for name in ("every", "offset"):
        if getattr(options, name) is not None:
            changes[name] = getattr(options, name)
    if options.beats_of_bar:
        numbers = [parse_int(t) for t in options.beats_of_bar.split(",")]
        if not all(numbers):
            raise TempikError(f"'{options.beats_of_bar}' is no list of beats; give one such as 2,4.")
        changes["beats"] = tuple(n for n in numbers if n)
    if options.at_least is not None:
        changes["at_least"] = options.at_least / 100
    rule = ruled.any_lane(reel, lane).rule
    return ruled.with_rule(reel, lane, replace(rule, **changes)) if changes else reel


def _clip_changed(reel: Reel, options: argparse.Namespace) -> Reel:
    from tempik.edit.sounds import clips
    from tempik.timeline.sound_triggers import laid_sounds
    from tempik.timeline.timeline import timeline_of

    if options.lay:
        if options.at is None:
            raise TempikError("Where does it hit? Give --at BAR.BEAT or --at SECONDS.")
        reel, (sound,) = _sounds(reel, options.lay)
        track = _track(reel, options.track) if options.track is not None else None
        reel = clips.with_sound_clip(reel, sound, _edge(reel, options.at), track)
        clip = reel.sound_clips[-1].id
    else:
        laid = laid_sounds(timeline_of(reel))
        if not 1 <= options.clip <= len(laid):
            raise TempikError(f"There is no sound clip {options.clip}; the project has {len(laid)}.")
        clip = laid[options.clip - 1].clip.id
        if options.remove:
            return clips.without_sound_clip(reel, clip)
        if options.at is not None:
            reel = clips.with_clip_moved(reel, clip, _edge(reel, options.at))
    given: dict[str, Any] = {
        "gain_db": options.gain, "fade_in_s": options.fade_in, "fade_out_s": options.fade_out, "speed": options.speed,
    }  # fmt: skip
    for name in ("backward", "loop"):
        given[name] = None if getattr(options, name) is None else getattr(options, name) == "on"
    given["preserve_pitch"] = None if options.pitch is None else options.pitch == "preserved"
    given = {n: v for n, v in given.items() if v is not None}
    if given:
        reel = clips.with_clip_values(reel, clip, **given)
    if options.from_s is not None:
        reel = clips.with_slipped(reel, clip, options.from_s - clips.sound_clip_of(reel, clip).from_s)
    if options.length is not None:
        laid_clip = clips.laid_of(timeline_of(reel), clips.sound_clip_of(reel, clip))
        reel = clips.with_end_trimmed(reel, clip, laid_clip.begin_s + options.length)
    return reel


def _strip_changed(reel: Reel, strip: str, options: argparse.Namespace) -> Reel:
    from tempik.edit.sounds.clips import without_sound_track
    from tempik.edit.sounds.mixing import with_channel

    if options.remove and options.track is not None:
        return without_sound_track(reel, strip)
    given: dict[str, Any] = {"gain_db": options.gain, "pan": None if options.pan is None else options.pan / 100}
    for name, option in (("muted", options.mute), ("solo", options.alone), ("ducks", options.ducks)):
        given[name] = None if option is None else option == "on"
    given = {n: v for n, v in given.items() if v is not None}
    return with_channel(reel, strip, **given) if given else reel


def _mixed(reel: Reel, options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit.sounds.mixing import with_ducking, with_master

    duck = reel.mix.ducking
    if options.duck is not None:
        duck = replace(duck, depth_db=abs(options.duck))
    if options.duck_over is not None:
        duck = replace(duck, threshold_db=options.duck_over)
    if options.duck_times:
        attack, _, release = options.duck_times.partition(",")
        duck = replace(duck, attack_ms=number_in(attack), release_ms=number_in(release))
    if duck is not reel.mix.ducking:
        reel = with_ducking(reel, duck)
    loudness, ceiling = reel.mix.loudness, reel.mix.ceiling_db
    if options.loudness is not None:
        loudness = None if options.loudness == "off" else number_in(options.loudness)
    if options.ceiling is not None:
        ceiling = None if options.ceiling == "off" else number_in(options.ceiling)
    if (loudness, ceiling) != (reel.mix.loudness, reel.mix.ceiling_db):
        reel = with_master(reel, loudness, ceiling)
    return reel


def _track(reel: Reel, number: int) -> str:
    if not 1 <= number <= len(reel.sound_tracks):
        raise TempikError(f"There is no sound track {number}; the project has {len(reel.sound_tracks)}.")
    return reel.sound_tracks[number - 1].id


def _point(reel: Reel, label: str) -> str:
    from tempik.timeline.timeline import timeline_of

    points = {p.label: p.id for p in timeline_of(reel).points}
    if label not in points:
        raise TempikError(f"There is no point {label} in use; give one such as {next(iter(points), '1.1')}.")
    return points[label]


def _edge(reel: Reel, text: str) -> Edge:
    """Return a place: a point by its label where there is one, else seconds of the reel."""
    from tempik.reel import Edge
    from tempik.timeline.timeline import timeline_of

    timeline = timeline_of(reel)
    found = next((p for p in timeline.on_reel() if p.label == text), None)
    if found is not None:
        return Edge(timeline.reel_s(found), found.id)
    at_s = number_in(text)
    if not 0 <= at_s < reel.length_s:
        raise TempikError(f"The reel is {reel.length_s:g} s long; a sound cannot hit at {at_s:g} s of it.")
    return Edge(at_s)
