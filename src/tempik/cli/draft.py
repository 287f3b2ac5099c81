"""`tempik draft`: a reel of a song and footage, by a mood or by a plain rule; a project drafted anew. `tempik moods`: the moods."""

from __future__ import annotations

import argparse
import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.cli.kinds import rate_of, size_of
from tempik.cli.options import Options, Parser, count, number_in, real, settled, together
from tempik.cli.places import chosen_clips, chosen_of
from tempik.digits import parse_int
from tempik.errors import TempikError
from tempik.time import parse_rate

if TYPE_CHECKING:
    from tempik.edit.drafting.make import DraftOptions, MoodDraft
    from tempik.edit.song.stretches import Stretch
    from tempik.media import FootageStudy
    from tempik.reel import Reel, Soundtrack
    from tempik.rhythm.song_edits import SongEdit

LIKENESS_RATE = 24000
WISHED_S = 15.0
ARRANGED = "arranged"


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik draft` and `tempik moods` with their options."""
    made = verbs.add_parser("draft", help="make a reel of a song and footage, or draft a project anew")
    made.add_argument("project", type=Path, nargs="?", help="a project to draft anew; what is locked stays")
    made.add_argument("--song")
    made.add_argument("--footage", nargs="+", action="extend", default=[])
    made.add_argument("--cue", action="append", default=[], type=_cue, metavar="FILE=SECONDS")
    made.add_argument("--from", dest="start", type=real, metavar="SECONDS")
    made.add_argument("--length", type=real, metavar="SECONDS")
    made.add_argument("--stretches", action="store_true", help="list stretches of the song of that length, and stop")
    made.add_argument("--stretch", metavar="N", help=f"take the N-th of them, or '{ARRANGED}': the song made that long")
    made.add_argument("--size", type=size_of, default=(1080, 1920), metavar="WxH")
    made.add_argument("--rate", type=rate_of, default=parse_rate("30"), metavar="R")
    made.add_argument("--mood", metavar="NAME", help="how it feels: see tempik moods")
    made.add_argument("--seed", type=count, metavar="N", help="another number draws another reel")
    made.add_argument("--strength", type=real, metavar="X", help="from 0, calm, to 2, wild (1)")
    made.add_argument(
        "--in-order", action="store_true", help="footage in the order of the shot list, or as it is given"
    )
    made.add_argument("--over", metavar="FROM-TO", help="of a project: only this stretch of it, in seconds")
    made.add_argument(
        "--lock",
        action="append",
        default=[],
        metavar="WHAT",
        help="of a project: clips:2,4-6, lanes:1 or sounds:1 stay",
    )
    made.add_argument(
        "--unlock", action="append", default=[], metavar="WHAT", help="of a project: what was locked is so no longer"
    )
    made.add_argument(
        "--swap", metavar="CLIP[=N]", help="of a project: show the N-th best in a clip, by place (the next best)"
    )
    made.add_argument("--why", action="store_true", help="say why each clip is there")
    made.add_argument("--every", type=count, default=4, metavar="N", help="without a mood: beats in a slot (4)")
    made.add_argument("--accent", action="append", default=[], type=_accent, metavar="NAME[:N]", help="without a mood")
    made.add_argument(
        "-o", "--output", type=Path, metavar="P", help="the project to write; of a project, another than it"
    )
    made.set_defaults(misused=made.error)
    moods = verbs.add_parser("moods", help="list the moods of drafts, or keep one of one's own")
    moods.add_argument("--show", metavar="NAME", help="write a mood's table")
    moods.add_argument(
        "--keep", type=Path, metavar="FILE", help="keep a mood that was written to a file, changed or not"
    )
    moods.add_argument("--forget", metavar="NAME", help="take one of one's own away")
    moods.add_argument("-o", "--output", type=Path, metavar="FILE", help="where --show writes to")


def _cue(text: str) -> tuple[str, float]:
    name, _, seconds = text.rpartition("=")
    try:
        return name, number_in(seconds)
    except TempikError:
        raise argparse.ArgumentTypeError(f"'{text}' is not a cue; give FILE=SECONDS") from None


def _accent(text: str) -> tuple[str, int]:
    name, _, every = text.partition(":")
    number = parse_int(every) if every else 1
    if number is None or number < 1:
        raise argparse.ArgumentTypeError(f"'{text}' is not an accent; give NAME or NAME:N with N of 1 or more")
    return name, number


def run(options: Options) -> int:
    """Draft a reel, or a project anew. Raises TempikError with one sentence."""
    if options.project is not None:
        return _of_project(options)
    if options.song is None:
        options.misused("a draft needs --song FILE, or a project to draft anew")
    if options.stretches:
        return _listed(options)
    if not options.footage:
        options.misused("a draft needs --footage FILES")
    if options.output is None:
        options.misused("where should the reel go? Give -o PROJECT.tempik")
    return _by_rule(options) if options.mood is None else _by_mood(options)


def _serving(files: list[str]) -> list[str]:
    """Return the files that serve as footage, and say which do not. Raises TempikError when none does."""
    from tempik.assemble import serving

    good, message = serving(files)
    if not good:
        raise TempikError(message[0])
    _say_notes(message)
    return [facts.path for facts in good]


def _by_rule(options: argparse.Namespace) -> int:
    from tempik.assemble import assemble
    from tempik.edit.draft import RuleDraftOptions
    from tempik.project.file import save_reel

    width, height = options.size
    draft_options = RuleDraftOptions(
        every=options.every, start_s=options.start or 0.0, length_s=options.length, width=width, height=height,
        rate=options.rate, accents=tuple(options.accent),
    )  # fmt: skip
    settled(options, "cue")
    draft = assemble(options.song, _serving(options.footage), options.cue, draft_options)
    save_reel(draft.reel, options.output)
    _say_notes(draft.notes)
    print(options.output)
    return 0


def _by_mood(options: argparse.Namespace) -> int:
    from tempik.assemble import gathered
    from tempik.edit.drafting.make import DraftOptions, draft_in_mood, drafted_anew
    from tempik.edit.drafting.material import studies_of
    from tempik.edit.song.arranging import with_song_edit
    from tempik.project.moods import any_mood
    from tempik.reel import Reel

    mood = any_mood(options.mood)
    song, pieces = gathered(options.song, _serving(options.footage), options.cue)
    studies = studies_of(pieces)
    width, height = options.size
    strength = 1.0 if options.strength is None else options.strength
    draft_options = DraftOptions(
        mood, options.seed or 0, options.start or 0.0, options.length, width, height, options.rate, strength, options.in_order
    )  # fmt: skip
    if options.stretch == ARRANGED:
        song_edit = _song_edit(song, options.length or WISHED_S)
        plain = Reel(
            width=width,
            height=height,
            rate=options.rate,
            length_s=song.length_s,
            soundtrack=song,
            footage=tuple(pieces),
        )
        reel = with_song_edit(plain, song_edit)
        return _written(
            drafted_anew(reel, studies, draft_options._replace(start_s=0.0, length_s=reel.length_s)), studies, options
        )
    if options.stretch is not None:
        found = _stretch(song, options.length or WISHED_S, options.stretch)
        draft_options = draft_options._replace(start_s=found.start_s, length_s=found.length_s)
    return _written(draft_in_mood(song, pieces, studies, draft_options), studies, options)


def _written(made: MoodDraft, studies: dict[str, FootageStudy], options: argparse.Namespace) -> int:
    from tempik.edit.drafting.why import why_clip
    from tempik.project.file import save_reel

    settled(options, "why")
    save_reel(made.reel, options.output)
    _say_notes(made.notes)
    if options.why:
        for clip in made.clips:
            print(f"{clip}: {why_clip(made.reel, clip, studies)}", file=sys.stderr)
    print(options.output)
    return 0


def _say_notes(notes: Sequence[str]) -> None:
    for note in notes:
        print(f"note: {note}", file=sys.stderr)


# Stretches


def _listed(options: argparse.Namespace) -> int:
    from tempik.assemble import gathered
    from tempik.edit.song.stretches import suggested_stretches

    song, _ = gathered(options.song, [], [])
    wanted_s = options.length or WISHED_S
    settled(options)
    lines = ["stretch,from_s,length_s,why"]
    found = suggested_stretches(song, wanted_s)
    lines += [f"{n},{s.start_s:.3f},{s.length_s:.3f},{s.why.replace(', ', '; ')}" for n, s in enumerate(found, 1)]
    try:
        song_edit = _song_edit(song, wanted_s)
        lines.append(
            f"{ARRANGED},0.000,{song_edit.length_s:.3f},the whole song with {len(song_edit.splices)} transitions"
        )
    except TempikError as error:
        print(f"note: {error}", file=sys.stderr)
    print("\n".join(lines))
    return 0


def _stretch(song: Soundtrack, wanted_s: float, text: str) -> Stretch:
    from tempik.edit.song.stretches import suggested_stretches

    found = suggested_stretches(song, wanted_s)
    number = parse_int(text)
    if number is None or not 1 <= number <= len(found):
        raise TempikError(f"There is no stretch '{text}'; give 1 to {len(found)}, or '{ARRANGED}' (see --stretches).")
    return found[number - 1]


def _song_edit(song: Soundtrack, wanted_s: float) -> SongEdit:
    from tempik.edit.song.arranging import proposals
    from tempik.media import decode_sound

    samples = decode_sound(song.path, LIKENESS_RATE, mono=True, whole=True).samples
    return proposals(song, samples, LIKENESS_RATE, wanted_s)[0].song_edit


# A project drafted anew


def _of_project(options: Options) -> int:
    from tempik.edit.drafting.make import drafted_anew
    from tempik.edit.drafting.material import studies_of
    from tempik.edit.drafting.swap import swapped
    from tempik.project.file import load_reel, save_reel
    from tempik.reel import by_id

    reel = load_reel(options.project)
    options.output = options.output or options.project
    for texts, kept in ((options.lock, True), (options.unlock, False)):
        for text in texts:
            reel = _locked(reel, text, kept)
    asked = options.mood is not None or options.seed is not None or options.strength is not None or options.over
    if not asked and options.swap is None:
        if not options.lock and not options.unlock:
            if options.why:
                settled(options)
                return _all_why(reel)
            raise TempikError(
                "What should be drafted? Give --mood NAME, --seed N for another, --lock, --swap or --why."
            )
        settled(options)
        save_reel(reel, options.output)
        print(options.output)
        return 0
    studies = studies_of([f for f in reel.footage if not f.without_file])
    together(options, "swap", "mood")
    together(options, "swap", "over")
    if options.swap is not None:
        clip, by = _asked(reel, options.swap)
        reel, chance, number, of_all = swapped(reel, clip, studies, by)
        if not 1 <= by < of_all:
            raise TempikError(
                f"There are {of_all - 1} others for that clip; give --swap {options.swap.partition('=')[0]}=1 to {of_all - 1}."
            )
        piece = by_id(reel.footage, chance.piece.id)
        print(f"note: {piece.name if piece else ''}, for {chance.why}: {number} of {of_all}", file=sys.stderr)
        settled(options)
        save_reel(reel, options.output)
        print(options.output)
        return 0
    return _written(drafted_anew(reel, studies, _options_for(reel, options)), studies, options)


def _options_for(reel: Reel, options: argparse.Namespace) -> DraftOptions:
    """Return what is asked of a project, the rest as it was drafted last."""
    from tempik.edit.drafting.make import DraftOptions
    from tempik.edit.reel import song_of
    from tempik.project.moods import any_mood

    draft, song = reel.draft, song_of(reel)
    if options.mood is None and (draft is None or not draft.mood):
        raise TempikError("This project was not drafted by a mood yet; give --mood NAME.")
    mood = any_mood(options.mood or (draft.mood if draft is not None else ""))
    same = draft is not None and draft.mood == mood.name
    seed = options.seed if options.seed is not None else (draft.seed + 1 if same and draft is not None else 0)
    found = None if options.stretch is None else _stretch(song, options.length or reel.length_s, options.stretch)
    start_s = found.start_s if found is not None else song.start_s if options.start is None else options.start
    length_s = found.length_s if found is not None else options.length or reel.length_s
    strength = options.strength if options.strength is not None else reel.amount
    over = _seconds(options.over) if options.over else None
    ordered = options.in_order or (draft is not None and draft.ordered)
    return DraftOptions(mood, seed, start_s, length_s, reel.width, reel.height, reel.rate, strength, ordered, over)


def _seconds(text: str) -> tuple[float, float]:
    first, _, last = text.partition("-")
    try:
        return number_in(first), number_in(last)
    except TempikError:
        raise TempikError(f"'{text}' is no stretch; give FROM-TO in seconds of the reel, such as 4-8.5.") from None


def _locked(reel: Reel, text: str, locked: bool) -> Reel:
    from tempik.edit.drafting.locking import with_locked

    what, _, places = text.partition(":")
    if what == "clips" and places:
        return with_locked(reel, chosen_clips(reel, places), locked=locked)
    if what == "lanes" and places:
        return with_locked(reel, lanes=chosen_of([r.id for r in reel.accent_lanes], places, "lanes"), locked=locked)
    if what == "sounds" and places:
        return with_locked(
            reel, lanes=chosen_of([r.id for r in reel.sound_lanes], places, "lanes of sounds"), locked=locked
        )
    raise TempikError(
        f"'{text}' is nothing that stays; give clips:2,4-6, lanes:1 or sounds:1, by place in their tables."
    )


def _asked(reel: Reel, text: str) -> tuple[str, int]:
    """Return the clip that is to show something else, and by how many places."""
    place, _, number = text.partition("=")
    by = parse_int(number) if number else 1
    clips = chosen_clips(reel, place)
    if by is None or len(clips) != 1:
        raise TempikError(
            f"'{text}' is no clip to change; give its place, and =N for the N-th best after what it shows."
        )
    return clips[0], by


def _all_why(reel: Reel) -> int:
    """Say why everything is there."""
    from tempik.edit.drafting.material import studies_of
    from tempik.edit.drafting.why import why_clip, why_lane, why_reel, why_sound_lane, why_transition
    from tempik.timeline.timeline import timeline_of

    studies = studies_of([f for f in reel.footage if not f.without_file])
    for number, placed in enumerate(timeline_of(reel).placed, 1):
        print(f"clip {number}: {why_clip(reel, placed.clip.id, studies)}")
        if placed.clip.transition is not None:
            print(f"cut {number}: {why_transition(reel, placed.clip.id)}")
    for number, lane in enumerate(reel.accent_lanes, 1):
        print(f"lane {number}: {why_lane(reel, lane)}")
    for number, sounds in enumerate(reel.sound_lanes, 1):
        print(f"sound {number}: {why_sound_lane(reel, sounds)}")
    if message := why_reel(reel):
        print(f"reel: {message}")
    return 0


# Moods


def run_moods(options: Options) -> int:
    """List moods, or keep, write or forget one of one's own. Raises TempikError with one sentence."""
    from tempik.edit.drafting.moods import MOODS
    from tempik.project.moods import any_mood, kept_mood, own_moods, read_mood, removed_mood, write_mood

    if options.show is not None:
        mood = any_mood(options.show)
        settled(options)
        if options.output is None:
            raise TempikError("Where should the mood be written? Give -o FILE.tempikmood.")
        write_mood(mood, options.output)
        print(options.output)
    elif options.keep is not None:
        mood = read_mood(options.keep)
        settled(options)
        print(kept_mood(mood, mood.name).name)
    elif options.forget is not None:
        any_mood(options.forget)
        settled(options)
        removed_mood(options.forget)
    else:
        if options.is_given("output"):
            raise TempikError("-o says where --show writes a mood to; give --show NAME.")
        lines = ["mood,does", *(f"{m.name},{m.does.replace(',', ';')}" for m in (*MOODS, *own_moods()))]
        print("\n".join(lines))
    return 0
