"""`tempik sound`: a project's sounds as a table of where they hit, and every change of them and of the mix that the window makes."""

from __future__ import annotations

import argparse
import sys
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.cli.changing import project_of, ready, saved_or_shown
from tempik.cli.options import (
    Options,
    Parser,
    add_settings,
    add_several,
    count,
    number_in,
    project_verb,
    real,
    settled,
    together,
    values_given,
)
from tempik.cli.places import edge_named, numbered
from tempik.cli.rule_options import KINDS, RULE_OPTIONS, add_rule, with_paint_given, with_rule_given
from tempik.digits import parse_int
from tempik.errors import TempikError
from tempik.reel.sound import CHANNEL_SETTINGS, DUCKING_SETTINGS, SOUND_CLIP_SETTINGS, SOUND_LANE_SETTINGS

if TYPE_CHECKING:
    from tempik.edit.song.arranging import SongEditProposal
    from tempik.reel import Reel

COLUMNS = "lane,sound,hit_s,point_s,error_ms"
LIKENESS_RATE = 24000  # at which bars are compared
RULES = tuple(kind for kind in KINDS if kind != "frames")
# Settings that have options, and what these are called.
OF_LANE = {"vary_pitch": "vary_pitch", "vary_gain_db": "vary_gain", "beats": "beats"}
OF_CLIP = {"speed": "speed", "backward": "backward", "loop": "loop"}
FADES = {"fade_in_s": "fade_in", "fade_out_s": "fade_out"}
OF_CHANNEL = {"gain_db": "gain", "pan": "pan", "muted": "mute", "solo": "alone", "ducks": "ducks"}


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik sound` and its options."""
    does = "lay sounds on points, mix, write the sound alone; or list where sounds hit"
    made = project_verb(verbs, "sound", does)
    made.add_argument("--list", action="store_true", help="every sound of the shelf")
    made.add_argument("--add", metavar="NAME|FILE", help="add a lane; several with commas take turns by lot")
    made.add_argument("--lane", type=count, metavar="N", help="the lane to change, from 1")
    add_rule(made, "--beats-of-bar", RULES, ", lane:N (an accent lane's pulses)")
    add_settings(made, SOUND_LANE_SETTINGS, OF_LANE)
    made.add_argument("--lay", metavar="NAME|FILE", help="lay a sound on a sound track, its hit --at a point or time")
    made.add_argument("--at", metavar="BAR.BEAT|SECONDS")
    made.add_argument("--clip", type=count, metavar="N", help="the sound clip to change, from 1 in order of time")
    made.add_argument("--track", type=count, metavar="N", help="a sound track, from 1: for --lay, or as a channel")
    made.add_argument("--from", dest="from_s", type=real, metavar="SECONDS", help="slip: begin there in the sound")
    made.add_argument("--length", type=real, metavar="SECONDS")
    add_settings(made, SOUND_CLIP_SETTINGS, OF_CLIP)
    made.add_argument("--pitch", choices=("preserved", "follows"), help="of a clip that is played faster or slower")
    made.add_argument("--fade-in", type=real, metavar="SECONDS", help="of a lane's triggers, or of a clip")
    made.add_argument("--fade-out", type=real, metavar="SECONDS", help="of a lane's triggers, or of a clip")
    made.add_argument("--channel", choices=("song", "clips"), help="the channel that --gain, --pan, --mute … change")
    add_settings(made, CHANNEL_SETTINGS, OF_CHANNEL)
    add_settings(made, DUCKING_SETTINGS, {"threshold_db": "duck_over"})
    made.add_argument("--duck", type=real, metavar="DB", help="how far the song goes down")
    made.add_argument("--duck-times", metavar="ATTACK,RELEASE", help="milliseconds")
    made.add_argument("--loudness", metavar="LUFS|off")
    made.add_argument("--ceiling", metavar="DBTP|off")
    add_several(made, "--hit", "NAME=SECONDS", "move a sound's hit; 'found'")
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
        reel = _lane_changed(reel, numbered(reel.sound_lanes, options.lane, "sound lane").id, options)
    elif options.lay or options.clip is not None:
        reel = _clip_changed(reel, options)
    elif options.channel or options.track is not None:
        reel = _strip_changed(reel, options.channel or _track(reel, options.track), options)
    else:
        asked = [n for n in (*_OF_A_STRIP, *_OF_A_LANE, *_OF_A_CLIP) if options.is_given(n)]
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


_OF_A_STRIP = (*OF_CHANNEL.values(), "remove")
_OF_A_LANE = (*RULE_OPTIONS, "beats_of_bar", *OF_LANE.values())
_OF_A_CLIP = ("at", "from_s", "length", "pitch", "fade_in", "fade_out", *OF_CLIP.values())


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
    from tempik.edit.sounds.lanes import with_values, without_sound_lane

    if options.remove:
        return without_sound_lane(reel, lane)
    reel = with_rule_given(reel, lane, options, RULES)
    given = values_given(options, SOUND_LANE_SETTINGS, OF_LANE) | values_given(options, SOUND_CLIP_SETTINGS, FADES)
    reel = with_values(reel, lane, **given)
    return _strip_changed(with_paint_given(reel, lane, options), lane, options)


def _clip_changed(reel: Reel, options: argparse.Namespace) -> Reel:
    from tempik.edit.sounds import clips
    from tempik.timeline.sound_triggers import laid_sounds
    from tempik.timeline.timeline import timeline_of

    if options.lay:
        if options.at is None:
            raise TempikError("Where does it hit? Give --at BAR.BEAT or --at SECONDS.")
        reel, (sound,) = _sounds(reel, options.lay)
        track = _track(reel, options.track) if options.track is not None else None
        reel = clips.with_sound_clip(reel, sound, edge_named(reel, options.at), track)
        clip = reel.sound_clips[-1].id
    else:
        laid = laid_sounds(timeline_of(reel))
        clip = numbered(laid, options.clip, "sound clip").clip.id
        if options.remove:
            return clips.without_sound_clip(reel, clip)
        if options.at is not None:
            reel = clips.with_clip_moved(reel, clip, edge_named(reel, options.at))
    given = values_given(options, SOUND_CLIP_SETTINGS, {**OF_CLIP, **FADES, "gain_db": "gain"})
    if options.pitch is not None:
        given["preserve_pitch"] = options.pitch == "preserved"
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
    given = values_given(options, CHANNEL_SETTINGS, OF_CHANNEL)
    return with_channel(reel, strip, **given) if given else reel


def _mixed(reel: Reel, options: argparse.Namespace) -> Reel:
    from msgspec.structs import replace

    from tempik.edit.sounds.mixing import with_ducking, with_master

    duck = values_given(options, DUCKING_SETTINGS, {"threshold_db": "duck_over"})
    if options.duck is not None:
        duck["depth_db"] = abs(options.duck)
    if options.duck_times:
        attack, _, release = options.duck_times.partition(",")
        duck |= {"attack_ms": number_in(attack), "release_ms": number_in(release)}
    if duck:
        reel = with_ducking(reel, replace(reel.mix.ducking, **duck))
    master = {"loudness": reel.mix.loudness, "ceiling_db": reel.mix.ceiling_db}
    for name, text in (("loudness", options.loudness), ("ceiling_db", options.ceiling)):
        if text is not None:
            master[name] = None if text == "off" else number_in(text)
    if options.loudness is not None or options.ceiling is not None:
        reel = with_master(reel, master["loudness"], master["ceiling_db"])
    return reel


def _track(reel: Reel, number: int) -> str:
    return numbered(reel.sound_tracks, number, "sound track").id
