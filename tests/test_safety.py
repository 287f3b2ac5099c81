"""Nothing is lost: a process killed at any moment leaves a journal that brings back exactly the state before it."""

import os
import signal
import subprocess
import sys
import time
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec.structs import replace

from examples import examples
from tempik.edit import reel as change
from tempik.edit.accents import lanes as accent_lanes
from tempik.edit.clips import place, trim
from tempik.edit.footage.facts import with_note, with_shots
from tempik.edit.song import points
from tempik.edit.song.stretches import with_stretch
from tempik.errors import TempikError
from tempik.project import history
from tempik.project.file import load_reel, save_reel
from tempik.project.journal import Journal, Lock, journal_path, left_behind, new_unnamed
from tempik.project.steps import difference, with_difference
from tempik.project.versions import keep_version, version_reel, versions
from tempik.reel import Reel
from tempik.render import ExportSettings, export
from tempik.timeline.timeline import Timeline
from test_cutting import made

STEPS = (
    lambda r, n: trim.with_split(r, [20 + 7 * n % 400]),
    lambda r, n: accent_lanes.with_lane(r, "flash", n % 4),
    lambda r, n: place.with_solid(r, 10 + n, 5),
    lambda r, n: points.with_point(r, 1.0 + 0.01 * n),
    lambda r, n: change.with_settings(r, 1080, 1080, Fraction(24 + n % 7)),
    lambda r, n: with_note(r, "f1", f"note {n}"),
    lambda r, n: with_shots(r, [f"shot {n}", "steam"]),
    lambda r, n: with_stretch(r, 0.1 * (n % 5), 14.0),
    lambda r, n: trim.without_clips(r, [r.clips[0].id]) if len(r.clips) > 2 else r,
    lambda r, n: place.with_new_track(r) if len(r.tracks) < 4 else r,
)


@settings(max_examples=examples(40), deadline=None)
@given(st.lists(st.tuples(st.integers(-2, len(STEPS) - 1), st.integers(0, 60)), min_size=1, max_size=14))
def test_a_journal_brings_back_every_step_and_every_undo(
    tmp_path_factory: pytest.TempPathFactory, moves: list[tuple[int, int]]
) -> None:
    folder = tmp_path_factory.mktemp("j")
    now = history.begin(made())
    journal = Journal(folder / "a.journal", now, folder / "r.tempik")
    for kind, n in moves:
        if kind == -1:
            now = now.undone()
        elif kind == -2:
            now = now.gone_to(n % len(now.steps))
        else:
            try:
                now = now.done(STEPS[kind](now.reel, n), f"step {kind}")
            except TempikError:
                continue
        journal.note(now)
    journal.leave()
    (folder / ".r.tempik.journal").write_bytes((folder / "a.journal").read_bytes())
    found = left_behind(folder / "r.tempik")
    if len(now.steps) < 2:
        assert found is None
    else:
        assert found is not None and found.history == now


def test_a_step_is_written_as_what_it_changed_and_a_torn_line_is_left_out(tmp_path: Path) -> None:
    reel = made()
    moved = points.with_point(reel, 2.2)
    assert with_difference(reel, difference(reel, moved)) == moved
    assert len(str(difference(reel, moved))) < 400, "the song's analysis is not written again"
    now = history.begin(reel)
    project = tmp_path / "r.tempik"
    journal = Journal(journal_path(project), now, project)
    for n in range(3):
        now = now.done(trim.with_split(now.reel, [30 + n]), f"cut {n}")
        journal.note(now)
    journal.leave()
    whole = journal_path(project).read_bytes()
    for cut in range(len(whole) - 1, len(whole) - 200, -23):
        journal_path(project).write_bytes(whole[:cut])
        found = left_behind(project)
        assert found is not None and found.history.steps == now.steps[: len(found.history.steps)]
        assert len(found.history.steps) == 3, "only the torn step is gone"
    journal_path(project).write_bytes(b"nonsense\n" + whole)
    assert left_behind(project) is None


# A process that edits, saves now and then, and says after each step which state it is in. It is killed from outside.
EDITOR = """
import sys, time
from pathlib import Path
from tempik.edit.clips import trim
from tempik.project import history
from tempik.project.journal import Journal, Lock, journal_path
from tempik.project.file import load_reel, save_reel
sys.path.insert(0, sys.argv[2])
from test_safety import STEPS
from tempik.errors import TempikError
project = Path(sys.argv[1])
lock = Lock(project)
now = history.begin(load_reel(project))
journal = Journal(journal_path(project), now, project)
n = 0
while True:
    n += 1
    try:
        now = now.done(STEPS[n % len(STEPS)](now.reel, n), f"step {n}")
    except TempikError:
        continue
    journal.note(now)
    print(n, len(now.reel.clips), flush=True)
    if n % 9 == 0:
        save_reel(now.reel, project)
        journal = Journal(journal_path(project), now, project)
        print("saved", n, flush=True)
"""


@pytest.mark.slow
@pytest.mark.parametrize("wait_s", [0.02, 0.05, 0.11, 0.17, 0.23, 0.31])
def test_a_killed_process_loses_no_step_and_leaves_a_project_that_opens(tmp_path: Path, wait_s: float) -> None:
    project = tmp_path / "r.tempik"
    save_reel(made(), project)
    run = subprocess.Popen(
        [sys.executable, "-c", EDITOR, str(project), str(Path(__file__).parent)], stdout=subprocess.PIPE, text=True
    )
    assert run.stdout is not None
    first = run.stdout.readline()
    assert first
    with pytest.raises(TempikError, match="open in another window"):
        Lock(project)
    assert left_behind(project) is None, "a journal that is being written is nobody's to take up"
    time.sleep(wait_s)
    run.send_signal(signal.SIGKILL)
    lines = [first, *run.stdout.read().splitlines()]
    run.wait(10)
    last = max(int(line.split()[-1] if line.startswith("saved") else line.split()[0]) for line in lines if line.strip())
    load_reel(project)
    found = left_behind(project)
    assert found is not None
    done = int(found.history.can_undo.split()[-1])
    assert done >= last, "every step that was shown is there"
    Lock(project).close()


@pytest.mark.film
def test_a_killed_export_leaves_the_older_file(reel: Reel, tmp_path: Path) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    out = tmp_path / "o.mp4"
    out.write_bytes(b"older")
    run = subprocess.Popen(
        [
            sys.executable,
            "-m",
            "tempik.cli",
            "export",
            str(tmp_path / "r.tempik"),
            "-o",
            str(out),
            "--progress",
            "json",
        ],
        stdout=subprocess.PIPE,
    )
    assert run.stdout is not None and run.stdout.readline()
    run.send_signal(signal.SIGKILL)
    run.wait(10)
    assert out.read_bytes() == b"older" and list(tmp_path.glob(".o.*.part"))
    export(Timeline(load_reel(tmp_path / "r.tempik")), out, ExportSettings((90, 160), "draft"))
    assert out.read_bytes() != b"older" and not list(tmp_path.glob(".o.*.part")), "what was left of it is swept up"


def test_each_save_is_kept_and_can_be_brought_back(reel: Reel, tmp_path: Path) -> None:
    project = tmp_path / "it's ünnamed.tempik"
    first = reel
    second = change.with_settings(reel, 180, 180, Fraction(24))
    for state in (first, second):
        save_reel(state, project)
        keep_version(state, project)
    kept = versions(project)
    assert len(kept) == 2
    assert [version_reel(v) for v in sorted(kept, key=lambda v: v.path.name)] in ([first, second], [second, first])
    os.utime(kept[0].path, (time.time() + 5, time.time() + 5))
    assert versions(project)[0].path == kept[0].path, "the latest comes first"


def test_a_journal_that_cannot_be_written_is_said_once(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path / "file" / "state"))
    (tmp_path / "file").write_text("in the way")
    with pytest.raises(TempikError, match="save often"):
        Journal(journal_path(None, new_unnamed()), history.begin(replace(made(), clips=())), None)
