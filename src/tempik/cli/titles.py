"""`tempik titles`: a project's titles as a table, laid and changed, their words on points; lyrics and subtitles in and out."""

from __future__ import annotations

import argparse
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.cli.changing import add_shape, changed_in_shape, project_of, ready, saved_or_shown
from tempik.cli.options import Options, Parser, add_several, number_in, project_verb, real, settled, together
from tempik.cli.places import chosen_of
from tempik.disk.reading import shortened
from tempik.errors import TempikError
from tempik.reel.title import ARRIVAL_SETTINGS, TITLE_SETTINGS, WORD_SETTINGS
from tempik.settings import read

if TYPE_CHECKING:
    from tempik.reel import Arrival, Reel

NEAR_S = 0.15  # a word lands on the point so near to where it is wanted
COLUMNS = "clip,track,first,end,words,on_points,font,text"


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik titles` and its options."""
    does = "list titles, lay or change them, put words on points, read or write lyrics"
    made = project_verb(verbs, "titles", does)
    made.add_argument("--fonts", action="store_true", help="every font family there is, ours first, with its styles")
    made.add_argument("--add", metavar="TEXT", help="lay a title; \\n begins a line")
    made.add_argument("--lyrics", type=Path, metavar="FILE", help="lay the lines of a .lrc, .srt or .vtt file")
    made.add_argument("--named", action="store_true", help="make words of the points that have names")
    made.add_argument(
        "--times", choices=("song", "reel"), help="whose times a file has: LRC the song's, others the reel's"
    )
    made.add_argument("--from", dest="from_s", type=real, default=0.0, metavar="SECONDS", help="of the reel")
    made.add_argument("--length", type=real, metavar="SECONDS", help="to the reel's end without")
    made.add_argument("--clips", metavar="2,4-6", help="the titles to change, by place in the table; all without")
    add_several(made, "--set", "NAME=VALUE", "such as size=0.2, font='EB Garamond', enter=rise")
    made.add_argument(
        "--words", choices=("each", "even", "off"), help="words on each next point, evenly, or all at once"
    )
    made.add_argument("--look", metavar="NAME", help="set titles as a look does; see --looks")
    made.add_argument("--looks", action="store_true", help="the looks of titles there are, ours and your own")
    made.add_argument("--keep-look", metavar="NAME", help="keep the look of a title (--clips N) among your own")
    made.add_argument("--forget-look", metavar="NAME", help="take a look away from your own")
    made.add_argument("--read-look", type=Path, metavar="FILE", help="keep the look of a file among your own")
    made.add_argument("--write-look", type=Path, metavar="FILE", help="write the look of a title (--clips N) to a file")
    add_shape(made)
    made.add_argument("--word", metavar="2,4-6", help="words of a title (--clips N), for the options that follow")
    add_several(made, "--style", "NAME=VALUE", "set those words off: colour=#ffb347, colour=title, size=140 (percent)")
    made.add_argument(
        "--word-to", type=real, metavar="SECONDS", help="let that word land there, or on the point near it"
    )
    made.add_argument("--join", action="store_true", help="make one word of those words")
    made.add_argument(
        "--part", type=int, metavar="LETTERS", help="part that word after so many letters; 0: in its middle"
    )
    made.add_argument("--write", type=Path, metavar="FILE", help="write the titles as .lrc, .srt or .vtt")


def run(options: Options) -> int:
    """List or change. Raises TempikError with one sentence."""
    if options.fonts:
        from tempik.titles.fonts import families

        settled(options)
        print("\n".join(f"{name}: {', '.join(f.style for f in faces)}" for name, faces in families().items()))
        return 0
    if options.looks or options.forget_look is not None or options.read_look is not None:
        return _looks(options)
    reel = project_of(options, "--fonts for the fonts there are, --looks for looks")
    changed = changed_in_shape(reel, options, _changed)
    wished = options.write is not None and _of_song(options, options.write)
    ready(reel, changed, options, "write", "keep_look", "write_look")
    if options.keep_look is not None or options.write_look is not None:
        _look_given_out(changed, options)
    if options.write is not None:
        from tempik.edit.titles import lines_of
        from tempik.project.lyrics import write_lyrics

        write_lyrics(lines_of(changed, wished), options.write)
        print(options.write)
    return saved_or_shown(
        reel, changed, options, table, ("clips", "shape"), ("write", "times", "keep_look", "write_look")
    )


def _look_given_out(reel: Reel, options: Options) -> None:
    """Keep the look of a title among one's own, or write it to a file."""
    from tempik.edit.clips.slots import clip_of
    from tempik.edit.title_words import look_of
    from tempik.project.title_looks import kept_title_look, write_title_look

    clip = clip_of(reel, _one(reel, options))
    if options.keep_look is not None:
        options.note(f"kept as '{kept_title_look(look_of(clip, options.keep_look)).name}'.")
    if options.write_look is not None:
        write_title_look(look_of(clip, options.write_look.stem), options.write_look)
        print(options.write_look)


def _looks(options: Options) -> int:
    """List the looks of titles, or take one away, or in from a file."""
    from tempik.project.title_looks import kept_title_look, own_title_looks, read_title_look, removed_title_look
    from tempik.titles.looks import LOOKS

    if options.forget_look is not None:
        removed_title_look(options.forget_look)
    if options.read_look is not None:
        kept_title_look(read_title_look(options.read_look))
    settled(options)
    print("\n".join(f"{look.name}: {look.does}" for look in (*LOOKS, *own_title_looks())))
    return 0


def _one(reel: Reel, options: Options) -> str:
    """Return the one title that is meant. Raises TempikError where several are."""
    names = _chosen(reel, options.clips)
    if len(names) != 1:
        raise TempikError(f"Words and looks are those of one title; say which with --clips 1 to {len(_titles(reel))}.")
    return names[0]


def table(reel: Reel) -> str:
    """Return the titles as CSV, by their first frames."""
    import csv
    import io

    from tempik.timeline.timeline import timeline_of
    from tempik.timeline.wording import word_frames
    from tempik.titles import words_of

    timeline = timeline_of(reel)
    out = io.StringIO()
    writer = csv.writer(out, lineterminator="\n")
    writer.writerow(COLUMNS.split(","))
    for number, name in enumerate(_titles(reel), 1):
        placed = timeline.placed_clip(name)
        assert placed is not None and placed.clip.title is not None
        title, frames = placed.clip.title, word_frames(timeline, placed)
        where = (number, placed.clip.track + 1, placed.first, placed.end, len(words_of(title.text)))
        writer.writerow((*where, " ".join(map(str, frames)), title.font, title.text.replace("\n", " / ")))
    return out.getvalue()


def _titles(reel: Reel) -> list[str]:
    from tempik.timeline.timeline import timeline_of

    return [p.clip.id for p in timeline_of(reel).placed if p.clip.title is not None]


def _of_song(options: argparse.Namespace, path: Path) -> bool:
    if options.times is not None:
        return bool(options.times == "song")
    return path.suffix.lower() == ".lrc"


def _changed(reel: Reel, options: Options) -> Reel:
    from tempik.edit import titles
    from tempik.project.lyrics import read_lyrics
    from tempik.reel import Title
    from tempik.time import frame_of

    names: list[str] | None = None
    together(options, "add", "lyrics", "named", "clips")
    if options.add is not None:
        if not options.add.replace("\\n", " ").strip():
            raise TempikError("A title without words shows nothing; give --add some.")
        first = frame_of(options.from_s, reel.rate)
        length_s = options.length if options.length is not None else reel.length_s - options.from_s
        reel, name = titles.with_title(
            reel, Title(options.add.replace("\\n", "\n")), first, frame_of(length_s, reel.rate), framing=titles.LOW
        )
        names = [name]
        options.note(f"laid as title {1 + _titles(reel).index(name)}.")
    if options.lyrics is not None:
        found = read_lyrics(options.lyrics)
        if found.message:
            options.note(found.message)
        reel, names = titles.with_lines(reel, found.lines, of_song=_of_song(options, options.lyrics))
    if options.named:
        reel, names = titles.with_named_points(reel)
    wants = bool(options.set or options.words)
    if names is None and wants:
        names = _chosen(reel, options.clips)
    if options.look is not None:
        from tempik.project.title_looks import title_look_named

        names = names or _chosen(reel, options.clips)
        reel, without = titles.with_title_look(reel, names, title_look_named(options.look))
        if without:
            options.note("no chosen point lies in the slot of some titles; their words come at once.")
    if options.set:
        reel = _with_settings(reel, names or [], options.set)
    if options.words == "off":
        reel = titles.without_words_on_points(reel, names or [])
    elif options.words is not None:
        reel = titles.with_words_on_points(reel, names or [], options.words == "even")
    if options.word is not None:
        reel = _with_words(reel, names[0] if names and len(names) == 1 else _one(reel, options), options)
    elif options.style or options.join or options.part is not None or options.word_to is not None:
        raise TempikError("--style, --word-to, --join and --part are of words; say which with --word.")
    return reel


def _with_words(reel: Reel, name: str, options: Options) -> Reel:
    """Set words of a title off, join or part them, let one land elsewhere."""
    from tempik.edit import title_words
    from tempik.edit.titles import with_word_at
    from tempik.time import frame_of
    from tempik.titles import words_of

    title = title_words.title_of(reel, name)[1]
    words = [int(w) for w in chosen_of([str(n) for n in range(len(words_of(title.text)))], options.word, "words")]
    together(options, "join", "part")
    if not (options.style or options.join or options.part is not None or options.word_to is not None):
        raise TempikError("--word says which; say what with --style, --word-to, --join or --part.")
    if (options.part is not None or options.word_to is not None) and len(words) != 1:
        raise TempikError("--part and --word-to are of one word; give --word one number.")
    for text in options.style or ():
        reel = title_words.with_word_style(reel, name, words, **_style(text))
    if options.word_to is not None:
        near = round(NEAR_S * float(reel.rate))
        reel = with_word_at(reel, name, words[0], frame_of(options.word_to, reel.rate), near)
    if options.join:
        if words != list(range(words[0], words[-1] + 1)):
            raise TempikError("Words that are joined follow each other; give --word such as 2-3.")
        reel = title_words.with_words_joined(reel, name, words[0], words[-1])
    if options.part is not None:
        reel = title_words.with_word_parted(reel, name, words[0], options.part or None)
    return reel


def _style(text: str) -> dict[str, object]:
    name, equals, value = text.partition("=")
    if not equals or name not in WORD_SETTINGS:
        raise TempikError(f"'{text}' sets no word off; give colour=#ffb347, colour=title or size=140.")
    if name == "colour" and value == "title":
        return {name: None}
    return {name: read(WORD_SETTINGS[name], value)}


def _chosen(reel: Reel, text: str | None) -> list[str]:
    names = _titles(reel)
    if not names:
        raise TempikError("There is no title on the reel; lay one with --add, --lyrics or --named.")
    return chosen_of(names, text, "titles") if text and text != "all" else names


def _with_settings(reel: Reel, names: list[str], given: list[str]) -> Reel:
    """Set fields of titles by name; `enter`, `leave` take a kind, a length such as 8 or 0.5b, and a way: rise:8:up."""
    from tempik.edit.titles import with_title_fields
    from tempik.reel import Title

    for text in given:
        name, equals, value = text.partition("=")
        if not equals or name not in Title.__struct_fields__ or name == "text":
            known = ", ".join(f for f in Title.__struct_fields__ if f != "text")
            raise TempikError(f"'{text}' sets nothing of a title; give NAME=VALUE with one of {known}.")
        wanted: object = value
        if name in ("enter", "leave"):
            wanted = _arrival(value)
        elif name in TITLE_SETTINGS:
            setting = TITLE_SETTINGS[name]
            wanted = number_in(value, text) if setting.kind == "number" else read(setting, value)
        elif name == "font":
            _check_font(value)
        reel = with_title_fields(reel, names, **{name: wanted})
    return reel


def _check_font(name: str) -> None:
    from tempik.titles.fonts import families

    if name not in families():
        raise TempikError(f"There is no font family '{shortened(name)}' here; see tempik titles --fonts.")


def _arrival(text: str) -> Arrival:
    import re

    from tempik.reel import Arrival
    from tempik.titles import ARRIVALS

    name, *rest = text.split(":")
    if name not in ARRIVALS or len(rest) > 2:
        raise TempikError(
            f"'{text}' is no way to come or go; give {', '.join(ARRIVALS)}, such as rise:8:up or pop:0.5b."
        )
    fields: dict[str, object] = {"kind": name}
    for part in rest:
        length = re.fullmatch(r"(\d+(?:\.\d+)?)(b|f|)", part)
        if length is not None:
            fields |= {"length": float(length[1]), "unit": "beats" if length[2] == "b" else "frames"}
        elif part in ARRIVAL_SETTINGS["way"].choices:
            fields["way"] = part
        else:
            raise TempikError(f"'{part}' is neither a length such as 8 or 0.5b nor a way: up, down, left, right.")
    return Arrival(**fields)  # type: ignore[arg-type]
