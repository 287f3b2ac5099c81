"""Orders with a name: those that come with Tempik, one's own, and the last one of each project."""

from __future__ import annotations

from pathlib import Path

import msgspec
from msgspec.structs import replace

from tempik.deliver.order import Order, checked
from tempik.disk.reading import read_whole
from tempik.disk.writing import make_folders, write_whole
from tempik.errors import TempikError
from tempik.project.file import order_in, state_folder
from tempik.project.library import checked_name

PRESETS: tuple[Order, ...] = (
    Order(name="To publish", format="h264", quality="standard", measure=True),
    Order(name="To look through", format="h264", quality="draft", short_px=540),
    Order(name="Upright, square and wide", shapes=("upright", "square", "wide"), format="h264", measure=True),
    Order(name="To send, 16 MB at most", format="h264", short_px=720, limit_mb=16.0),
    Order(name="To go on elsewhere", format="prores422", quality="high"),
    Order(name="To lay over", format="prores4444", clear=True),
    Order(name="Loop for a web page", format="webp", short_px=360),
)
MOST_KEPT, MOST_MB = 200, 4


class _Kept(msgspec.Struct, frozen=True, omit_defaults=True):
    presets: tuple[Order, ...] = ()
    last: dict[str, Order] = {}  # by the project's file, the latest last


def _file() -> Path:
    return state_folder() / "orders.json"


def _kept() -> _Kept:
    try:
        return msgspec.json.decode(read_whole(_file(), MOST_MB), type=_Kept)
    except (TempikError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return _Kept()


def _keep(kept: _Kept) -> None:
    try:
        make_folders(_file().parent)
    except OSError as error:
        raise TempikError(f"{_file()} could not be written ({error.strerror}); the order is not kept.") from error
    write_whole(_file(), msgspec.json.format(msgspec.json.encode(kept)))


def own_presets() -> list[Order]:
    """Return one's own orders, by name."""
    return sorted(_kept().presets, key=lambda order: order.name.casefold())


def preset_named(name: str) -> Order:
    """Return an order by its name. Raises TempikError where there is none."""
    found = next((o for o in (*PRESETS, *own_presets()) if o.name == name), None)
    if found is None:
        known = ", ".join(f"'{o.name}'" for o in (*PRESETS, *own_presets()))
        raise TempikError(f"There is no preset '{name}'; choose from {known}.")
    return found


def keep_preset(order: Order, name: str) -> Order:
    """Keep an order under a name, in place of one's own of that name; what is of one reel alone is left out. Raises TempikError."""
    name = checked_name(name, "preset", [o.name for o in PRESETS])
    named = replace(order, name=name, part=None, at_s=None)
    kept = _kept()
    _keep(msgspec.structs.replace(kept, presets=(*(o for o in kept.presets if o.name != name), named)[-MOST_KEPT:]))
    return named


def forget_preset(name: str) -> None:
    """Forget one of one's own orders. Raises TempikError where there is none of that name."""
    kept = _kept()
    left = tuple(o for o in kept.presets if o.name != name)
    if len(left) == len(kept.presets):
        raise TempikError(f"There is no preset of your own called '{name}'.")
    _keep(msgspec.structs.replace(kept, presets=left))


def remembered(project: Path | None) -> Order | None:
    """Return what was ordered of a project last, here or as its file says, None where nothing was."""
    if project is None:
        return None
    here = _kept().last.get(str(project.absolute()))
    return here if here is not None else _order_of_file(project)


def _order_of_file(project: Path) -> Order | None:
    """Return the order that a project's file has: it goes with the project, to another name and another machine."""
    message = order_in(project.absolute())
    try:
        order = msgspec.json.decode(message, type=Order) if message else None
        if order is not None:
            checked(order)
    except (TempikError, msgspec.MsgspecError, UnicodeDecodeError, RecursionError):
        return None
    return order


def as_kept(order: Order) -> bytes:
    """Return an order as a project's file has it."""
    return msgspec.json.encode(order)


def last_order(project: Path | None) -> Order:
    """Return what was ordered of a project last; of one that is new, the first of the presets."""
    return remembered(project) or replace(PRESETS[0], name="")


def remember_order(project: Path | None, order: Order) -> None:
    """Remember what was ordered of a project; where that cannot be written it is lost with the session."""
    if project is None:
        return
    kept, name = _kept(), str(project.absolute())
    last = {k: v for k, v in kept.last.items() if k != name} | {name: order}
    try:
        _keep(msgspec.structs.replace(kept, last=dict(list(last.items())[-MOST_KEPT:])))
    except TempikError:
        pass
