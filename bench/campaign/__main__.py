"""./run campaign [PART …] [--share S]: power, disks, damage, others, commands, strangers, kills, soak, or all; S of 0.1 does a tenth."""

from __future__ import annotations

import argparse
import gc
import os
import sys
import tempfile
import time
from collections.abc import Callable
from pathlib import Path

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")


def say(what: str, measured: str, met: bool) -> bool:
    print(f"{what:42} {measured:72} {'held' if met else 'DID NOT HOLD'}", flush=True)
    return met


def told(wrong: list[str]) -> None:
    for each in wrong[:10]:
        print(f"    {each[:300]}", flush=True)


def damage(folder: Path, share: float) -> bool:
    from bench.campaign import cases
    from bench.campaign.damage import LONGEST_S, MOST_MB, tried

    (folder / "m").mkdir(exist_ok=True)
    kinds: list[tuple[str, int, Callable[[int], cases.OrderedFile]]] = [
        ("project", 10_000, lambda n: cases.project_cases(n, folder / "m", 1)),
        ("journal", 1_000, lambda n: cases.journal_cases(n, folder / "m", 2)),
        ("media", 2_000, lambda n: cases.media_cases(n, 3)),
        ("points", 700, lambda n: cases.points_cases(n, 4)),
        ("shape", 300, lambda n: cases.shape_cases(n, folder / "m", 5)),
    ]
    held = True
    for kind, count, make in kinds:
        found = tried(kind, make(max(1, round(count * share))), folder)
        text = f"{found.cases} files: {found.opened} opened, {found.refused} refused, {len(found.wrong)} wrong; "
        text += f"{found.slowest_s:.1f} s, {found.most_mb:.0f} MB at most"
        well = not found.wrong and found.slowest_s <= LONGEST_S and found.most_mb <= MOST_MB
        held &= say(f"damage: {kind}", text, well)
        told(found.wrong)
    return held


def others(folder: Path, share: float) -> bool:
    from bench.campaign.damage import LONGEST_S, MOST_MB, tried
    from bench.campaign.others import other_cases

    (folder / "m").mkdir(exist_ok=True)
    found = tried("other", other_cases(max(1, round(2000 * share)), folder / "m", 6), folder)
    text = f"{found.cases} files: {found.opened} opened, {found.refused} refused, {len(found.wrong)} wrong; "
    text += f"{found.slowest_s:.1f} s, {found.most_mb:.0f} MB at most"
    held = say("files of others", text, not found.wrong and found.slowest_s <= LONGEST_S and found.most_mb <= MOST_MB)
    told(found.wrong)
    return held


def commands(folder: Path, share: float) -> bool:
    from bench.campaign.commands import run

    found = run(folder, max(1, round(2000 * share)))
    ended = ", ".join(f"{count} with {code}" for code, count in sorted(found.ended.items()))
    held = say(
        "command lines",
        f"{found.lines}: ended {ended}; {len(found.wrong)} wrong; {found.slowest_s:.1f} s at most",
        not found.wrong,
    )
    told(found.wrong)
    return held


def strangers(folder: Path, share: float) -> bool:
    from bench.campaign.strangers import run

    (folder / "m").mkdir(exist_ok=True)
    found = run(folder, max(3, round(300 * share)))
    held = say("attempts of a stranger", f"{found.tried} tried, {len(found.wrong)} got in", not found.wrong)
    told(found.wrong)
    return held


def power(folder: Path, share: float) -> bool:
    from bench.campaign import cases
    from bench.campaign.power import run

    (folder / "m").mkdir(exist_ok=True)
    held = True
    for name, cuts in run(cases.small_reel(folder / "m"), folder):
        held &= say(f"power cuts: {name}", f"{cuts.states} states, {len(cuts.broken)} broke a promise", not cuts.broken)
        told(cuts.broken)
    return held


def kills(folder: Path, share: float) -> bool:
    from bench.campaign import cases
    from bench.campaign.kills import run

    (folder / "m").mkdir(exist_ok=True)
    found = run(folder, cases.small_reel(folder / "m"), max(1, round(500 * share)))
    where = ", ".join(f"{n} in {what}" for what, n in sorted(found.at.items(), key=lambda a: -a[1]))
    held = say(
        "kills of the window",
        f"{found.kills} kills, {found.steps} steps shown, {len(found.wrong)} wrong",
        not found.wrong,
    )
    print(f"    {where}")
    told(found.wrong)
    return held


def disks(folder: Path, share: float) -> bool:
    from PySide6.QtWidgets import QApplication

    from bench.campaign import cases
    from bench.campaign.disks import full_disks, may_mount, vanishing

    gc.disable()  # as in the window
    application = QApplication.instance() or QApplication([])
    (folder / "m").mkdir(exist_ok=True)
    reel = cases.small_reel(folder / "m")
    parts = [("folders that vanish", vanishing(folder, reel))]
    if may_mount():
        parts.append(("full disks", full_disks(folder, reel, range(8, 400, max(4, round(8 / max(share, 0.01)))))))
    else:
        print("full disks: not tried; mounting small ones needs root")
    held = True
    for name, found in parts:
        text = f"{found.tried} tried: {found.done} done, {found.refused} refused, {len(found.wrong)} wrong"
        held &= say(name, text, not found.wrong)
        told(found.wrong)
    del application
    return held


def soak(folder: Path, share: float) -> bool:
    from bench.campaign import cases
    from bench.campaign.soak import run
    from tempik.project.file import save_reel

    (folder / "m").mkdir(exist_ok=True)
    save_reel(cases.small_reel(folder / "m"), folder / "r.tempik")
    length_s = max(60.0, 7200 * share)
    found = run(folder / "r.tempik", length_s)
    text = f"{length_s:.0f} s, {found.acts} acts: {found.second_mb:.0f} → {found.last_mb:.0f} MB, "
    text += f"{found.second_threads} → {found.last_threads} threads and {found.second_files} → {found.last_files} files at least"
    held = say("soak, second to last quarter", text, found.flat)
    print(f"    MB in the middle of each eighth: {', '.join(map(str, found.course_mb))}")
    print(f"    at most: {', '.join(map(str, found.most_mb))}")
    return held


PARTS = {
    "power": power, "disks": disks, "damage": damage, "others": others, "commands": commands, "strangers": strangers,
    "kills": kills, "soak": soak,
}  # fmt: skip


def main() -> int:
    parser = argparse.ArgumentParser(prog="./run campaign", description=__doc__)
    parser.add_argument("parts", nargs="*", choices=[*PARTS, []], help="all when none is given")
    parser.add_argument("--share", type=float, default=1.0, help="how much of each part, 1 for all of it")
    options = parser.parse_args()
    held = True
    for name in options.parts or PARTS:
        began = time.monotonic()
        with tempfile.TemporaryDirectory() as folder:
            os.environ["TEMPIK_CACHE"], os.environ["TEMPIK_STATE"] = f"{folder}/cache", f"{folder}/state"
            held &= PARTS[name](Path(folder), options.share)
        print(f"    {name}: {time.monotonic() - began:.0f} s", flush=True)
        gc.collect()
    return 0 if held else 1


if __name__ == "__main__":
    sys.exit(main())
