"""`tempik grade`: the grades of a project as a table, and changes of them."""

from __future__ import annotations

import argparse
import re
from pathlib import Path
from typing import TYPE_CHECKING

from tempik.cli.changing import project_of, ready, saved_or_shown
from tempik.cli.options import Options, Parser, add_several, count, number_in, project_verb, settled
from tempik.cli.places import chosen_clips, chosen_of
from tempik.disk.reading import shortened
from tempik.errors import TempikError

if TYPE_CHECKING:
    from tempik.edit.grading.grades import Where
    from tempik.reel import Grade, Reel

CURVE_NAMES = {
    "luma": "luma_curve", "red": "red_curve", "green": "green_curve", "blue": "blue_curve",
    "hue-saturation": "hue_saturation", "hue-hue": "hue_hue",
}  # fmt: skip
WHEEL_NAMES = {"dark": "dark_wheel", "middle": "middle_wheel", "light": "light_wheel"}
COLOURS = ("split_dark", "split_light")


def add_parser(verbs: argparse._SubParsersAction[Parser]) -> None:
    """Declare `tempik grade` and its options."""
    made = project_verb(verbs, "grade", "list the grades of a project, or change them")
    made.add_argument("--list", action="store_true", help="every number of a grade, with its bounds")
    made.add_argument("--looks", action="store_true", help="every look there is")
    made.add_argument(
        "--on", default="reel", metavar="WHAT", help="reel, clips:2,4-6 or footage:1,3, by place in the table"
    )
    add_several(made, "--set", "NAME=VALUE", "a number of --list, as shares; or a colour")
    add_several(made, "--curve", "NAME=X:Y,…", f"of {', '.join(CURVE_NAMES)}; no points: none")
    add_several(made, "--wheel", "NAME=X,Y,LEVEL", "of dark, middle, light")
    made.add_argument("--lut", metavar="FILE.cube", help="'' for none")
    made.add_argument("--look", metavar="NAME", help="a look of --looks, or a file")
    add_several(made, "--key", "FRAME=PERCENT", "how much of it shows")
    made.add_argument("--from", dest="source", metavar="WHAT", help="copy the grade of another, such as clips:2")
    made.add_argument("--parts", metavar="light,white", help="of --from, only these parts")
    made.add_argument("--match", metavar="N", help="make the clips' colours like those of the clip at this place")
    made.add_argument("--even", action="store_true", help="make the light of the clips even")
    made.add_argument("--even-along", action="store_true", help="take slow changes of light out of each clip")
    add_several(made, "--colour", "NAME=VALUE", "how footage is meant: matrix, range, light")
    made.add_argument("--off", action="store_true", help="take the grade off")
    made.add_argument("--keep", metavar="NAME", help="keep the grade as a look of one's own")
    made.add_argument("--write-cube", type=Path, metavar="FILE.cube", help="write what the grade does to colours")
    made.add_argument("--size", type=count, default=33, help="values a side of that file")


def run(options: Options) -> int:
    """List or change. Raises TempikError with one sentence."""
    if options.list or options.looks:
        settled(options)
        print(_looks_text() if options.looks else _amounts_text())
        return 0
    reel = project_of(options, "--list or --looks for what there is")
    where = _where(reel, options.on)
    changed = _changed(reel, where, options)
    ready(reel, changed, options, *(("keep", "write_cube", "size") if options.write_cube else ("keep",)))
    if options.keep is not None or options.write_cube is not None:
        from tempik.edit.grading.grades import grade_at

        _given_out(grade_at(changed, where), options)
    return saved_or_shown(reel, changed, options, table, ("on",), ("keep", "write_cube", "size"))


def _amounts_text() -> str:
    from tempik.reel.grade import AMOUNTS, NEUTRAL

    lines = ["name,neutral,low,high,what"]
    lines += [f"{n},{getattr(NEUTRAL, n):g},{a.low:g},{a.high:g},{a.title}: {a.does}" for n, a in AMOUNTS.items()]
    return "\n".join(lines)


def _looks_text() -> str:
    from tempik.grade.looks import LOOKS
    from tempik.project.looks import own_looks

    return "\n".join([*(f"{x.name}: {x.does}" for x in LOOKS), *(f"{x.name}: one's own" for x in own_looks())])


def table(reel: Reel) -> str:
    """Return what is graded as CSV: the reel, its footage, its clips by their first frames."""
    from tempik.timeline.timeline import timeline_of

    lines = ["what,name,grade,colour"]
    lines.append(f"reel,,{text_of(reel.look)}{_keys_text(len(reel.look_keys))},")
    for number, piece in enumerate((f for f in reel.footage if not f.as_frame), 1):
        lines.append(f"footage:{number},{piece.name},{text_of(piece.grade)},{_meant(piece)}")
    for number, placed in enumerate(timeline_of(reel).placed, 1):
        keys = _keys_text(len(placed.clip.keys.get("grade", ())) + len(placed.clip.keys.get("exposure", ())))
        lines.append(f"clips:{number},{placed.footage.name},{text_of(placed.clip.grade)}{keys},")
    return "\n".join(lines) + "\n"


def _keys_text(count: int) -> str:
    return f" ({count} keys)" if count else ""


def text_of(grade: Grade | None) -> str:
    """Return what a grade sets, in a line without commas; '' for none."""
    from tempik.reel.grade import NEUTRAL

    if grade is None:
        return ""
    out = []
    for name in grade.__struct_fields__:
        value = getattr(grade, name)
        if value != getattr(NEUTRAL, name):
            if isinstance(value, float):
                out.append(f"{name}={value:g}")
            elif name == "lut":
                out.append(f"lut={Path(value).name}")
            else:
                out.append(name)
    return " ".join(out)


def _meant(piece: object) -> str:
    from tempik.media.meaning import Colour
    from tempik.media.probe import colour_meaning
    from tempik.reel import Footage

    assert isinstance(piece, Footage)
    if piece.without_file:
        return ""
    try:
        told = piece.colour
        return colour_meaning(piece.path, Colour(told.matrix, told.range, told.light)).text.replace(",", " ·")
    except TempikError:
        return "missing"


def _where(reel: Reel, text: str) -> Where:
    from tempik.edit.grading.grades import THE_REEL, Where

    what, _, places = text.partition(":")
    if what == "reel" and not places:
        return THE_REEL
    if what == "clips" and places:
        return Where("clips", tuple(chosen_clips(reel, places)))
    if what == "footage" and places:
        pieces = [f.id for f in reel.footage if not f.as_frame]
        return Where("footage", tuple(chosen_of(pieces, places, "footage")))
    raise TempikError(f"'{text}' is nothing that is graded; give reel, clips:2,4-6 or footage:1.")


def _changed(reel: Reel, where: Where, options: argparse.Namespace) -> Reel:
    from tempik.edit.grading import grades

    if options.off:
        reel = grades.with_grade(reel, where, None)
    if options.look is not None:
        reel = grades.with_grade(reel, where, _look(options.look))
    if options.source is not None:
        reel = _copied(reel, where, options)
    if options.lut is not None:
        reel = grades.with_lut(reel, where, options.lut)
    fields = _fields(options)
    if fields:
        reel = grades.with_grade_fields(reel, where, **fields)
    for text in options.colour:
        name, value = _named(text, ("matrix", "range", "light"))
        if where.whose != "footage":
            raise TempikError("Colours are meant so or so by footage: give --on footage:1.")
        for piece in where.ids:
            reel = grades.with_colour(reel, piece, **{name: _meaning(name, value)})
    reel = _measured(reel, where, options)
    for text in options.key:
        found = re.fullmatch(r"(\d{1,7})=(\d+(?:\.\d+)?)", text)
        if found is None:
            raise TempikError(f"'{text}' is not of the form FRAME=PERCENT, such as 30=50.")
        reel = grades.with_amount_key(reel, where, int(found[1]), float(found[2]) / 100, within=1)
    return reel


def _meaning(name: str, value: str) -> str:
    """Return how a file's values are meant by the words that the table has for it, or by its own."""
    from tempik.media.meaning import NAMES

    told = value.strip().removesuffix(" range").lower()
    return next((key for key, words in NAMES.items() if told == words.lower() and name != "range"), told)


def _look(name: str) -> Grade:
    from tempik.project.looks import SUFFIX, look_named, read_look

    return read_look(Path(name)).grade if name.endswith(SUFFIX) else look_named(name)


def _copied(reel: Reel, where: Where, options: argparse.Namespace) -> Reel:
    from tempik.edit.grading.grades import grade_at, with_parts
    from tempik.reel.grade import PARTS

    wanted = options.parts.split(",") if options.parts else list(PARTS)
    odd = [p for p in wanted if p not in PARTS]
    if odd:
        raise TempikError(f"There is no part '{odd[0]}' of a grade; choose from {', '.join(PARTS)}.")
    return with_parts(reel, where, grade_at(reel, _where(reel, options.source)), wanted)


def _measured(reel: Reel, where: Where, options: argparse.Namespace) -> Reel:
    from tempik.edit.grading import matching

    if not (options.match or options.even or options.even_along):
        return reel
    if where.whose != "clips":
        raise TempikError("Which clips? Give --on clips:2,4-6.")
    if options.match:
        reel = matching.with_match(reel, where.ids, chosen_clips(reel, options.match)[0])
    if options.even:
        reel = matching.with_even_series(reel, where.ids)
    if options.even_along:
        for name in where.ids:
            reel = matching.with_even_light(reel, name)
    return reel


def _fields(options: argparse.Namespace) -> dict[str, object]:
    from tempik.reel import Wheel
    from tempik.reel.grade import AMOUNTS

    fields: dict[str, object] = {}
    for text in options.set:
        name, value = _named(text, (*AMOUNTS, *COLOURS))
        fields[name] = value if name in COLOURS else number_in(value, text)
    for text in options.curve:
        name, value = _named(text, CURVE_NAMES)
        dots = [part.split(":") for part in value.split(",") if part]
        if any(len(d) != 2 for d in dots):
            raise TempikError(f"'{text}' is no curve; give points such as luma=0:0,0.5:0.6,1:1.")
        at = [number_in(x, text) for x, _ in dots]
        if len(set(at)) < len(at):
            raise TempikError(f"'{shortened(text)}' has two points at one place; a curve goes through one.")
        fields[CURVE_NAMES[name]] = tuple(sorted((number_in(x, text), number_in(y, text)) for x, y in dots))
    for text in options.wheel:
        name, value = _named(text, WHEEL_NAMES)
        numbers = [number_in(part, text) for part in value.split(",")]
        if len(numbers) != 3:
            raise TempikError(f"'{text}' is no balance; give X,Y,LEVEL such as dark=0.1,0,-0.05.")
        fields[WHEEL_NAMES[name]] = Wheel(*numbers)
    return fields


def _named(text: str, names: object) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    known = list(names)  # type: ignore[call-overload]
    if not sign or name not in known:
        raise TempikError(f"'{text}' is not NAME=VALUE with a name of {', '.join(known)}.")
    return name, value


def _given_out(grade: Grade, options: argparse.Namespace) -> None:
    from tempik.grade.cube import written_cube
    from tempik.grade.pointwise import function_of
    from tempik.project.looks import kept_look

    if options.keep is not None:
        kept_look(options.keep, grade)
        print(f"kept the look '{options.keep}'")
    if options.write_cube is not None:
        written_cube(function_of((grade,)), options.write_cube, options.write_cube.stem, options.size)
        print(options.write_cube)
