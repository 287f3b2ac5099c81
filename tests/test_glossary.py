"""One name a concept: the glossary is what the code says, and what it has done away with does not come back."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import msgspec
import pytest

from sources import tree_of
from tempik.reel import grade, lanes, mask, model, sound, soundtrack, title, transition

ROOT = Path(__file__).parents[1]
GLOSSARY = (ROOT / "docs" / "glossary.md").read_text(encoding="utf-8")
SOURCES = sorted((ROOT / "src").rglob("*.py"))
# Names that nothing may be defined under: fields, arguments, functions, methods.
BANNED = {
    "accent_row", "accent_rows", "sound_row", "sound_rows", "row_id", "with_row", "seam", "seams", "seam_of", "seam_ms", "tall", "fired",
    "struck", "struck_of", "strike", "strikes", "sounding", "join", "joins", "join_of", "with_joins", "crossing", "mood_wish",
    "said", "desk", "bench", "legs", "leg", "keeps_pitch",
}  # fmt: skip
# Where such a word means what it says elsewhere in the trade or in a library.
ALLOWED = {
    ("titles/words.py", "joins"),  # letters of a script that join
    ("accents/pulses.py", "sounding"),
    ("rhythm/features.py", "struck"),
    ("rhythm/bars.py", "struck"),
    ("rhythm/score.py", "struck"),
    ("rhythm/plain.py", "struck"),
    ("rhythm/refine.py", "struck"),
    ("sounds/shelf.py", "struck"),
    ("demo/song.py", "strike"),
}


def rows() -> list[list[str]]:
    lines = [line for line in GLOSSARY.splitlines() if line.startswith("| ") and not line.startswith("| term")]
    return [[cell.strip() for cell in line.strip("|").split("|")] for line in lines]


def defined(tree: ast.Module) -> Iterator[tuple[str, int]]:
    """Yield every name that a module defines, with its line."""
    for node in ast.walk(tree):
        if isinstance(node, (ast.FunctionDef, ast.ClassDef)):
            yield node.name, node.lineno
        elif isinstance(node, ast.arg):
            yield node.arg, node.lineno
        elif isinstance(node, ast.Name) and isinstance(node.ctx, ast.Store):
            yield node.id, node.lineno
        elif isinstance(node, ast.Attribute) and isinstance(node.ctx, ast.Store):
            yield node.attr, node.lineno


def classes() -> dict[str, list[str]]:
    """Every class of the sources by name, with the files that define it."""
    out: dict[str, list[str]] = {}
    for path in SOURCES:
        for node in ast.walk(tree_of(path)):
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                out.setdefault(node.name, []).append(str(path.relative_to(ROOT)))
    return out


def test_nothing_is_defined_under_a_name_that_was_done_away_with() -> None:
    wrong = []
    for path in SOURCES:
        where = path.relative_to(ROOT / "src" / "tempik").as_posix()
        for name, line in defined(tree_of(path)):
            if name in BANNED and (where, name) not in ALLOWED:
                wrong.append(f"{where}:{line} {name}")
    assert not wrong, "\n".join(wrong)


def test_no_class_has_a_name_that_the_glossary_replaced() -> None:
    gone = {word for row in rows() for word in re.findall(r"\b[A-Z]\w+", row[3])}
    kept = {word for row in rows() for word in re.findall(r"`([A-Z]\w+)`", row[1])}
    assert gone and not (gone - kept) & set(classes())


def test_a_class_name_means_one_thing() -> None:
    assert {name: files for name, files in classes().items() if len(files) > 1} == {}


def test_what_the_glossary_names_is_there() -> None:
    sources = "\n".join(path.read_text(encoding="utf-8") for path in SOURCES)
    words = set(re.findall(r"\w+", sources))
    missing = [name for row in rows() for name in re.findall(r"`(\w+)`", row[1]) if name not in words]
    assert missing == []


@pytest.mark.parametrize("module", [model, lanes, sound, soundtrack, mask, grade, title, transition])
def test_every_record_of_a_reel_is_in_the_glossary(module: object) -> None:
    """Small parts of others, which no person speaks of, may go without."""
    small = {
        "Edge",
        "Length",
        "Limit",
        "Key",
        "Follow",
        "Stroke",
        "Clear",
        "Wheel",
        "Amount",
        "Drafted",
        "Ducking",
        "ClipSound",
        "Mix",
    }
    small |= {
        "Envelope",
        "Rule",
        "MotionTrack",
        "PointEdit",
        "SongPiece",
        "Soundtrack",
        "Arrival",
        "Title",
        "ColourOf",
        "SoundFile",
    }
    named = set(re.findall(r"`(\w+)`", GLOSSARY))
    records = {
        name
        for name, found in vars(module).items()
        if isinstance(found, type) and issubclass(found, msgspec.Struct) and found is not msgspec.Struct
    }
    assert records and records - named - small - {"Analysis", "Beat", "Onset", "Section", "Rival"} == set()
