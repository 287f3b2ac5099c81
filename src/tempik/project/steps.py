"""What a step changed, as a journal keeps it: whole fields, and of lists the records that are new or other."""

from __future__ import annotations

from typing import Any, get_args, get_origin

import msgspec

from tempik.disk.reading import printable, shortened
from tempik.project.file import decode_value, encode_value
from tempik.reel import Reel
from tempik.reel.validate import problems

# What a line that no journal has raises.
NO_LINE = (
    msgspec.MsgspecError, KeyError, TypeError, ValueError, AttributeError, IndexError, RecursionError, OverflowError,
)  # fmt: skip


def message_of_step(old: Reel, new: Reel) -> str:
    """Return why a step from one reel to another could not be read from a journal or a project again, as a sentence that says which thing
    it is; '' where it can. What cannot be kept is not done."""
    try:
        with_difference(old, msgspec.json.decode(line_of(difference(old, new))))
    except UnicodeEncodeError:
        return "This has a name that is no text (UTF-8); rename that file first."
    except NO_LINE as error:
        return f"This could not be kept: {shortened(error)}; nothing was changed."
    found = problems(new)
    return f"That cannot be: {printable(found[0])} Nothing was changed." if found else ""


def line_of(entry: dict[str, Any]) -> bytes:
    """Return an entry of a journal as its line."""
    return msgspec.json.encode(entry, enc_hook=encode_value) + b"\n"


def plain(value: Any) -> Any:
    """Return records as what JSON has."""
    return msgspec.to_builtins(value, enc_hook=encode_value)


_TYPES: dict[str, Any] = {f.name: f.type for f in msgspec.structs.fields(Reel)}


def _record_of(field: str) -> type | None:
    """Return the kind of record that a field of the reel is a list of, told by their ids; None for any other field."""
    kinds = get_args(_TYPES[field])
    kind = kinds[0] if get_origin(_TYPES[field]) is tuple and kinds else None
    return kind if kind is not None and "id" in getattr(kind, "__struct_fields__", ()) else None


# Of these fields a step keeps only the records that it changed.
LISTS = frozenset(f for f in _TYPES if _record_of(f) is not None)


def difference(old: Reel, new: Reel) -> dict[str, Any]:
    """Return what a step changed: whole fields, of lists the records that are new or other and the order of all."""
    out: dict[str, Any] = {}
    for field in Reel.__struct_fields__:
        a, b = getattr(old, field), getattr(new, field)
        if a is b or a == b:
            continue
        if field in LISTS:
            kept = {r.id: r for r in a}
            out[field] = {
                "order": [r.id for r in b],
                "put": [plain(r) for r in b if kept.get(r.id) is not r and kept.get(r.id) != r],
            }
        elif field == "soundtrack" and a is not None and b is not None:
            out[field] = {
                "part": {
                    f: plain(getattr(b, f))
                    for f in b.__struct_fields__
                    if getattr(a, f) is not getattr(b, f) and getattr(a, f) != getattr(b, f)
                }
            }
        else:
            out[field] = {"whole": plain(b)}
    return out


def with_difference(reel: Reel, changed: dict[str, Any]) -> Reel:
    """Return the reel with what `difference` returned. Raises what msgspec raises on anything else."""
    fields: dict[str, Any] = {}
    for field, change in changed.items():
        kind = _record_of(field)
        if kind is not None and "order" in change:
            have = {r.id: r for r in getattr(reel, field)}
            have |= {r["id"]: msgspec.convert(r, kind, dec_hook=decode_value) for r in change["put"]}
            fields[field] = tuple(have[name] for name in change["order"])
        elif "part" in change:
            song = reel.soundtrack
            if song is None:
                raise KeyError("soundtrack")
            types = {f.name: f.type for f in msgspec.structs.fields(type(song))}
            parts = {k: msgspec.convert(v, types[k], dec_hook=decode_value) for k, v in change["part"].items()}
            fields[field] = msgspec.structs.replace(song, **parts)
        else:
            fields[field] = msgspec.convert(change["whole"], _TYPES[field], dec_hook=decode_value)
    return msgspec.structs.replace(reel, **fields)
