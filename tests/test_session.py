"""What is open: gestures are owned, comparing changes nothing, saves count, jobs answer, files are watched."""

import contextlib
import gc
import os
import signal
import stat
import subprocess
import sys
import threading
import time
import weakref
from fractions import Fraction
from pathlib import Path

import msgspec
import pytest
from PySide6.QtCore import QObject, Qt
from PySide6.QtWidgets import QApplication, QWidget
from pytestqt.qtbot import QtBot

from media_files import numbered, write_video
from tempik.accents.evaluated import EvaluatedLane
from tempik.desktop.session import jobs
from tempik.desktop.session.document import Project
from tempik.desktop.session.filmstrips import Filmstrips
from tempik.desktop.session.gesture import Gesture
from tempik.desktop.session.heap import Garbage, Heap
from tempik.desktop.session.jobs import Job, Stopped, Worker
from tempik.desktop.session.log import log_path
from tempik.desktop.session.media_watch import MediaWatch
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import pixmap_cache
from tempik.edit.accents.lanes import with_all_amounts
from tempik.edit.footage.facts import uses_of, without_footage
from tempik.edit.speed.speed import with_constant
from tempik.errors import TempikError
from tempik.project import history
from tempik.project.file import save_reel
from tempik.project.journal import Journal, Lock
from tempik.project.media_files import media_paths, missing_media, relink
from tempik.reel import Clip, Footage, Reel, by_id

pytestmark = pytest.mark.usefixtures("no_dialogs")
WAIT = 30_000


@pytest.fixture
def project(reel: Reel, tmp_path: Path) -> Project:
    save_reel(reel, tmp_path / "p.tempik")
    made = Project()
    made.open(tmp_path / "p.tempik")
    return made


# Gestures and comparisons


def test_of_two_gestures_only_the_one_that_is_open_can_settle(project: Project) -> None:
    slider, drag = Gesture(project), Gesture(project)
    assert slider.show(lambda reel: with_all_amounts(reel, 0.5)) and slider.open
    assert drag.show(lambda reel: with_all_amounts(reel, 1.5)) and not slider.open
    slider.settle("Amount")
    assert project.reel.amount == 1.5 and len(project.history.steps) == 1
    drag.settle("Drag")
    assert [s.done for s in project.history.steps[1:]] == ["Drag"]


def test_a_change_by_another_leaves_nothing_of_an_open_gesture_behind(project: Project) -> None:
    drag = Gesture(project)
    drag.show(lambda reel: with_all_amounts(reel, 0.25))
    clip = project.reel.clips[0].id
    assert project.change("Speed", lambda reel: with_constant(reel, [clip], 0.5))
    assert project.reel.amount == 1.0 and not drag.open
    drag.settle("Drag")
    assert [s.done for s in project.history.steps[1:]] == ["Speed"]


def test_a_reel_that_is_compared_with_is_never_committed(project: Project) -> None:
    """A click on a clip after "the speed before" once committed the old speed as a moved clip."""
    now = project.reel
    other = with_all_amounts(now, 0.1)
    project.compare(other)
    assert project.reel is other and project.compared
    held = Gesture(project)
    held.settle("Clip moved")
    assert len(project.history.steps) == 1
    held.show(lambda reel: reel)
    held.settle("Clip moved")
    assert project.reel == now and not project.compared and len(project.history.steps) == 1


def test_the_speed_before_then_a_click_on_the_clip_keeps_the_speed(opened: Window, qtbot: QtBot) -> None:
    from PySide6.QtCore import QPoint, Qt

    clip = opened.project.timeline.placed[1].clip.id
    opened.project.selection.select_clip(clip)
    opened.project.change("Slow", lambda reel: with_constant(reel, [clip], 0.5))
    opened.views.toggle_before()
    assert opened.project.compared
    placed = opened.project.timeline.placed_clip(clip)
    assert placed is not None
    x = opened.timeline.view.x((placed.first + placed.end) / 2 / 30)
    y = opened.timeline.layout_.picture_top() + 30
    qtbot.mouseClick(opened.timeline, Qt.MouseButton.LeftButton, pos=QPoint(round(x), y))
    assert opened.project.history.can_undo == "Slow"
    now = by_id(opened.project.history.reel.clips, clip)
    assert now is not None and now.curve.nodes[0].speed == 0.5


# Saving


def test_a_save_counts_though_no_earlier_saves_can_be_kept(opened: Window, tmp_path: Path) -> None:
    (tmp_path / "kept.saves").write_text("a file where the folder should be")
    opened.project.change("Amount", lambda reel: with_all_amounts(reel, 0.5))
    assert opened.recovery.save_to(tmp_path / "kept")
    assert not opened.project.unsaved and "earlier saves are not kept" in opened.foot.status.text()
    assert opened.projects.may_leave()


def test_a_save_keeps_unanswered_work_of_a_session_that_did_not_end(
    window: Window, reel: Reel, tmp_path: Path, qtbot: QtBot
) -> None:
    path = tmp_path / "r.tempik"
    save_reel(reel, path)
    lost = history.begin(reel).done(with_all_amounts(reel, 0.25), "Amount 25 %")
    Journal(path.with_name(".r.tempik.journal"), lost, path).leave()
    assert window.importer.open_project(path) and window.recovery.left is not None
    assert window.recovery.save_to(None)
    kept = [p.read_text() for p in (tmp_path / "r.saves").iterdir()]
    assert any('"amount": 0.25' in text for text in kept)


def test_a_session_that_was_killed_after_its_save_left_nothing_unsaved(
    window: Window, reel: Reel, tmp_path: Path
) -> None:
    path = tmp_path / "r.tempik"
    saved = with_all_amounts(reel, 0.25)
    save_reel(saved, path)
    Journal(path.with_name(".r.tempik.journal"), history.begin(reel).done(saved, "Amount 25 %"), path).leave()
    assert window.importer.open_project(path) and window.recovery.left is None
    assert "nsaved" not in window.foot.status.text() and not window.project.unsaved
    window.undo()
    assert window.project.reel.amount == reel.amount, "its steps can still be undone"


def test_where_left_work_cannot_be_kept_nothing_replaces_it(window: Window, reel: Reel, tmp_path: Path) -> None:
    path = tmp_path / "r.tempik"
    save_reel(reel, path)
    lost = history.begin(reel).done(with_all_amounts(reel, 0.25), "Amount 25 %")
    journal = path.with_name(".r.tempik.journal")
    Journal(journal, lost, path).leave()
    (tmp_path / "r.saves").write_text("in the way")
    window.importer.open_project(path)
    before = journal.read_bytes()
    assert not window.recovery.save_to(None)
    assert journal.read_bytes() == before and "Not saved" in window.foot.status.text()


# Opening a large project


@pytest.fixture
def large(reel: Reel, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A project that counts as large."""
    monkeypatch.setattr("tempik.desktop.session.importer.AT_ONCE_BYTES", 0)
    save_reel(with_all_amounts(reel, 0.75), tmp_path / "large.tempik")
    return tmp_path / "large.tempik"


def test_a_large_project_is_read_while_the_window_goes_on(window: Window, large: Path, qtbot: QtBot) -> None:
    assert window.importer.open_project(large)
    assert window.project.path is None and [j.title for j in window.worker.jobs] == ["Opening large.tempik"]
    qtbot.waitUntil(lambda: window.project.path == large, timeout=WAIT)
    assert window.project.reel.amount == 0.75 and not window.project.unsaved


def test_work_that_was_begun_while_a_project_was_read_is_not_replaced_by_it(
    window: Window, large: Path, qtbot: QtBot
) -> None:
    window.importer.open_project(large)
    window.project.change("Amount", lambda reel: with_all_amounts(reel, 0.25))
    qtbot.waitUntil(lambda: not window.worker.jobs, timeout=WAIT)
    assert window.project.reel.amount == 0.25 and window.project.path is None
    assert "large.tempik was not opened" in window.foot.status.text()


def test_a_large_project_that_is_damaged_is_told_by_its_name(window: Window, large: Path, qtbot: QtBot) -> None:
    large.write_bytes(large.read_bytes()[:-200])
    window.importer.open_project(large)
    qtbot.waitUntil(lambda: not window.worker.jobs, timeout=WAIT)
    assert "large.tempik" in window.foot.status.text() and window.project.path is None


def test_the_lock_is_never_held_by_two(tmp_path: Path) -> None:
    """A lock opened just before its owner took the file away once held a file that was no longer there."""
    project = tmp_path / "r.tempik"
    first = Lock(project)
    beside = tmp_path / ".r.tempik.lock"
    beside.unlink()  # as an owner does that lets go while another has opened the file already
    second = Lock(project)
    assert beside.exists()
    with pytest.raises(TempikError, match="another window"):
        Lock(project)
    first.close()
    second.close()


def test_a_journal_that_is_left_while_its_timer_fires_is_left(tmp_path: Path, reel: Reel) -> None:
    kept = Journal(tmp_path / "j", history.begin(reel), None)
    for _ in range(200):
        kept._sync = threading.Timer(0, kept._to_disk)
        kept._sync.start()
        kept.leave()


# Jobs


def test_a_cancelled_job_ends_and_the_others_go_on(qtbot: QtBot) -> None:
    worker = Worker(at_once=2)
    done: list[str] = []

    def long(job: Job) -> str:
        while True:
            job.report(0.1)
            time.sleep(0.01)

    endless = worker.start("Endless", long, lambda _: done.append("endless"))
    worker.start("Quick", lambda job: "quick", done.append)
    qtbot.waitUntil(lambda: done == ["quick"], timeout=WAIT)
    worker.cancel(endless)
    qtbot.waitUntil(lambda: not worker.jobs, timeout=WAIT)
    assert done == ["quick"]


def test_held_jobs_wait_and_go_on(qtbot: QtBot) -> None:
    """As long as there is any reason to wait."""
    worker = Worker()
    worker.hold(True)
    worker.hold(True, "playing")
    done: list[int] = []
    worker.start("Held", lambda job: job.report(0.5) or 1, done.append)
    worker.hold(False)
    qtbot.wait(120)
    assert done == []
    worker.hold(False, "playing")
    qtbot.waitUntil(lambda: done == [1], timeout=WAIT)


def test_a_worker_that_is_let_go_at_work_is_destroyed_by_the_interface_thread(qtbot: QtBot) -> None:
    """Else its last job's thread had it last, and destroyed it while the interface thread delivered what it said: a crash."""
    on: list[threading.Thread] = []
    for _ in range(300):
        worker = Worker()
        weakref.finalize(worker, lambda: on.append(threading.current_thread()))
        worker.start("Let go", lambda job: job.report(0.5))
        del worker
        QApplication.processEvents()
    qtbot.waitUntil(lambda: len(on) == 300, timeout=WAIT)
    assert set(on) == {threading.main_thread()}


def test_a_fault_in_a_job_is_said_and_logged(qtbot: QtBot, tmp_path: Path) -> None:
    worker = Worker()
    message: list[str] = []

    def faulty(job: Job) -> None:
        raise KeyError("anvil")

    worker.start("Reading the anvil", faulty, None, message.append)
    qtbot.waitUntil(lambda: bool(message), timeout=WAIT)
    assert "Reading the anvil failed" in message[0] and "Show log" in message[0]
    assert "KeyError" in log_path().read_text() and "def faulty" not in message[0]


def test_jobs_are_listed_each_with_its_own_cancel(window: Window, qtbot: QtBot) -> None:
    def long(job: Job) -> None:
        while True:
            job.report(0.4)
            time.sleep(0.01)

    first = window.worker.start("Heating the iron", long)
    second = window.background.start("Filling the trough", long)
    assert window.foot.all_jobs.isVisibleTo(window) and window.foot.all_jobs.text() == "2 jobs"
    window.foot.show_jobs()
    names = {b.accessibleName(): b for b in window.foot.panel.findChildren(type(window.foot.take_up))}
    names["Cancel Filling the trough"].click()
    assert second.cancelled and not first.cancelled
    qtbot.waitUntil(lambda: second not in window.background.jobs, timeout=WAIT)
    assert "Filling the trough: cancelled." in window.foot.status.text()
    window.worker.cancel(first)


def test_a_cancelled_filmstrip_comes_back_when_it_is_wanted_again(qtbot: QtBot, media: Path) -> None:
    worker = Worker()
    worker.hold(True)
    strips = Filmstrips(worker)
    piece = Footage("f1", str(media / "a.mp4"), 320, 180, Fraction(30), 5.0)
    strips.want(piece)
    worker.cancel(worker.jobs[0])
    qtbot.waitUntil(lambda: not worker.jobs, timeout=WAIT)
    worker.hold(False)
    strips.want(piece)
    assert not worker.jobs, "not by itself, at every change"
    strips.retry()
    strips.want(piece)
    qtbot.waitUntil(lambda: strips.at(piece.path, 1.0) is not None, timeout=WAIT)


# Media


def test_a_step_of_a_drag_asks_the_disk_for_nothing(
    project: Project, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    watch = MediaWatch(project, Worker())
    watch.check()
    qtbot.waitUntil(lambda: watch._job is None, timeout=WAIT)
    asked: list[str] = []
    seen = os.stat

    def noting(path: object, *a: object, **k: object) -> os.stat_result:
        if threading.current_thread() is threading.main_thread():
            asked.append(str(path))
        return seen(path, *a, **k)  # type: ignore[arg-type]

    monkeypatch.setattr(os, "stat", noting)
    drag = Gesture(project)
    for k in range(20):
        drag.show(lambda reel, k=k: with_all_amounts(reel, k / 20))
    media = {str(p) for p in media_paths(project.reel)}
    assert not media & set(asked)


def test_a_file_that_goes_missing_is_noticed_and_one_that_comes_back(qtbot: QtBot, reel: Reel, tmp_path: Path) -> None:
    path = write_video(tmp_path / "moved.mp4", numbered(64, 64), 20, 10)
    lost = relink(reel, reel.footage[0].path, str(path))
    save_reel(lost, tmp_path / "r.tempik")
    project = Project()
    watch = MediaWatch(project, Worker())
    project.open(tmp_path / "r.tempik")
    qtbot.waitUntil(lambda: watch._job is None, timeout=WAIT)
    assert not watch.missing
    Path(path).rename(tmp_path / "elsewhere.mp4")
    watch.check()
    qtbot.waitUntil(lambda: str(path) in watch.missing, timeout=WAIT)
    (tmp_path / "elsewhere.mp4").rename(path)
    watch.check()
    qtbot.waitUntil(lambda: not watch.missing, timeout=WAIT)


def test_every_path_of_a_reel_is_found_by_its_type(reel: Reel) -> None:
    """Paths are followed by the types of the records: song, footage, masks; a solid's colour is none."""
    solid = Footage("f9", "#f0b43c", 1, 1, Fraction(30), 1.0, kind="solid")
    rows = tuple(msgspec.structs.replace(r, mask="/m/mask.png") for r in reel.accent_lanes)
    whole = msgspec.structs.replace(reel, footage=(*reel.footage, solid), accent_lanes=rows)
    assert reel.soundtrack is not None
    assert media_paths(whole) == (reel.soundtrack.path, *(f.path for f in reel.footage), "/m/mask.png")
    assert "/m/mask.png" in missing_media(whole) and "#f0b43c" not in missing_media(whole)
    assert media_paths(relink(whole, "/m/mask.png", "/n/mask.png"))[-1] == "/n/mask.png"


def test_footage_is_removed_with_what_goes_with_it_said(opened: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    from PySide6.QtWidgets import QMessageBox

    piece = opened.project.reel.footage[0]
    lost = uses_of(opened.project.reel, piece.id)
    assert lost.clips > 0 and lost.cues == 1
    asked: list[str] = []

    def answer(box: QMessageBox) -> QMessageBox.StandardButton:
        asked.append(box.text())
        return QMessageBox.StandardButton.Yes if len(asked) > 1 else QMessageBox.StandardButton.Cancel

    monkeypatch.setattr(QMessageBox, "exec", answer)
    opened.project.selection.select_footage(piece.id)
    before = opened.project.reel
    opened.projects.remove_footage()
    assert opened.project.reel == before
    opened.projects.remove_footage()
    assert f"{lost.clips} clips" in asked[0] and "1 cue" in asked[0]
    assert by_id(opened.project.reel.footage, piece.id) is None
    assert not any(c.footage == piece.id for c in opened.project.reel.clips)
    opened.undo()
    assert opened.project.reel == before
    with pytest.raises(TempikError, match="clips use this footage"):
        without_footage(before, piece.id)


def test_a_read_only_folder_keeps_the_save_sentence(opened: Window, tmp_path: Path) -> None:
    if os.geteuid() == 0:
        pytest.skip("root may write anywhere")
    folder = tmp_path / "still"
    folder.mkdir()
    folder.chmod(stat.S_IREAD | stat.S_IEXEC)
    assert not opened.recovery.save_to(folder / "r")
    assert "could not be written" in opened.foot.status.text()


def test_a_job_that_ends_before_its_start_returns_is_known_to_have_ended(qtbot: QtBot, reel: Reel) -> None:
    """Media were looked for once and never again where the first look was over before anyone listened for its end."""
    worker, project, told = Worker(), Project(), list[str]()
    worker.changed.connect(lambda: time.sleep(0.05))  # the interface thread is held up, the job is not
    worker.start("quick", lambda job: 1, told.append, ended=lambda: told.append("ended"))
    qtbot.waitUntil(lambda: told == [1, "ended"], timeout=WAIT)
    watch = MediaWatch(project, worker)
    project.change("A reel", lambda _: reel)
    qtbot.waitUntil(lambda: not worker.jobs, timeout=WAIT)
    qtbot.waitUntil(lambda: watch._job is None, timeout=WAIT)


def test_a_thread_that_outlives_its_window_says_nothing_any_more(qtbot: QtBot, monkeypatch: pytest.MonkeyPatch) -> None:
    """Where a machine stood still for longer than threads are waited for, one spoke to a window that was being destroyed, and the process
    died."""
    monkeypatch.setattr(jobs, "_LONGEST_END_S", 0.05)
    worker, told, busy = Worker(), [], threading.Event()

    def deaf(job: Job) -> None:
        busy.set()
        time.sleep(0.5)
        with contextlib.suppress(Stopped):
            job.report(0.5)

    worker._spoken.connect(lambda: told.append("spoken"), Qt.ConnectionType.DirectConnection)
    worker.start("deaf", deaf)
    assert busy.wait(10)
    worker.close()
    told.clear()
    thread = worker._threads[0]
    thread.join(10)
    qtbot.wait(50)
    assert not thread.is_alive() and told == []


def test_what_a_job_held_is_let_go_once_it_has_ended(qtbot: QtBot) -> None:
    """A connection of the job's own kept it, its work and all that it had read for as long as the window stood."""

    class Heavy: ...

    def work(held: Heavy) -> None:
        worker.start("heavy", lambda job: held, lambda got: None)

    worker, heavy = Worker(), Heavy()
    seen = weakref.ref(heavy)
    work(heavy)
    del heavy
    qtbot.waitUntil(lambda: not worker.jobs, timeout=WAIT)
    qtbot.waitUntil(lambda: gc.collect() >= 0 and seen() is None, timeout=WAIT)


def test_a_worker_that_was_closed_runs_nothing_more(qtbot: QtBot) -> None:
    """A job that was stopped may ask for another one as it ends; the window is closed by then."""
    worker, ran = Worker(), []

    def again() -> None:
        worker.start("again", lambda job: ran.append("again"))

    worker.start("first", lambda job: job.stop_event.wait(WAIT / 1000) and ran.append("stopped"), ended=again)
    qtbot.waitUntil(lambda: bool(worker.jobs), timeout=WAIT)
    worker.close()
    assert not worker.jobs
    qtbot.wait(50)
    assert "again" not in ran


@pytest.mark.skipif(sys.platform != "linux", reason="priorities of threads are Linux's")
def test_what_is_done_in_the_background_gives_way(qtbot: QtBot) -> None:
    nice: list[int] = []

    def work(job: Job) -> None:
        own = threading.get_native_id()
        inner = threading.Thread(target=lambda: nice.append(os.getpriority(os.PRIO_PROCESS, threading.get_native_id())))
        inner.start()
        inner.join()
        nice.append(os.getpriority(os.PRIO_PROCESS, own))

    here = os.getpriority(os.PRIO_PROCESS, 0)
    worker = Worker(nice=5)
    worker.start("Sweeping the yard", work)
    qtbot.waitUntil(lambda: not worker.jobs, timeout=WAIT)
    assert nice == [min(here + 5, 19)] * 2 and os.getpriority(os.PRIO_PROCESS, 0) == here


@pytest.mark.skipif(sys.platform != "linux", reason="memory is read from /proc")
def test_memory_that_lies_idle_between_what_stays_goes_back_to_the_system_at_rest(qtbot: QtBot) -> None:
    def held_mb() -> float:
        pages = int(Path("/proc/self/statm").read_text().split()[1])
        return pages * os.sysconf("SC_PAGE_SIZE") / 1e6

    resting = [False]
    heap = Heap(lambda: resting[0])
    blocks = [bytes([n % 256]) * 3000 for n in range(30_000)]  # 90 MB
    stays = blocks[::100]
    full = held_mb()
    del blocks
    heap.look()
    assert held_mb() > full - 20  # something is being done: it would be asked for again
    resting[0] = True
    heap.look()
    assert held_mb() < full - 50
    assert len(stays) == 300


@pytest.mark.slow
def test_memory_that_is_due_goes_back_as_soon_as_the_window_is_at_rest(
    qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An hour of playing and stopping was looked at every 20 s: whenever that fell into playing, the next 20 s kept it all."""
    resting, given = [False], []
    parent = QObject()
    heap = Heap(lambda: resting[0], parent)
    monkeypatch.setattr(heap, "_trim", lambda _: given.append(1))
    qtbot.wait(1200)
    resting[0] = True
    qtbot.wait(1200)
    assert given == []  # it is not time yet
    heap._handed_back -= 20
    resting[0] = False
    qtbot.wait(1200)
    assert given == []
    resting[0] = True
    qtbot.waitUntil(lambda: given == [1], timeout=5000)
    qtbot.wait(1200)
    assert given == [1]


def test_pictures_painted_of_a_project_go_with_it(opened: Window, reel: Reel, tmp_path: Path) -> None:
    """Each opening left its clips and hits in the store of painted pictures, until that was full."""
    save_reel(reel, tmp_path / "again.tempik")

    def open_and_paint() -> list[object]:
        assert opened.importer.open_project(tmp_path / "again.tempik")
        opened.timeline.grab()
        return [part for store in pixmap_cache._KEPT for made_of, _picture in store.values() for part in made_of]

    open_and_paint()
    before = open_and_paint()
    for _ in range(4):
        after = open_and_paint()
    assert len(after) == len(before)
    # The same song's outline may serve again; what the project itself is made of may not.
    assert {type(part) for part in after} >= {Clip, EvaluatedLane}
    assert not [part for part in after if isinstance(part, Clip | EvaluatedLane) and any(part is old for old in before)]


def test_cycles_with_widgets_in_them_are_collected_by_the_interface_thread(qtbot: QtBot) -> None:
    """Python collects on whatever thread makes the next object: a widget destroyed by a thread that renders was the end."""

    class Ring(QWidget):
        def __init__(self) -> None:
            super().__init__()
            self.itself = self

    dropped: list[threading.Thread] = []
    gc.enable()
    try:
        garbage = Garbage(lambda: True)
        for _ in range(200):
            weakref.finalize(Ring(), lambda: dropped.append(threading.current_thread()))
        thread = threading.Thread(target=lambda: [[] for _ in range(400_000)])
        thread.start()
        thread.join()
        kept: list[list[int]] = [[] for _ in range(400_000)]
        garbage.look()
        assert kept and len(dropped) == 200
        assert set(dropped) == {threading.main_thread()}
    finally:
        gc.disable()


def test_a_crash_of_a_library_is_in_the_log_and_a_quiet_run_leaves_none(tmp_path: Path) -> None:
    """No exception tells of it: the window is gone, and nothing said where."""
    begin = "from tempik.desktop.session.log import log_crashes; log_crashes()"
    env = {**os.environ, "TEMPIK_STATE": str(tmp_path / "state"), "QT_QPA_PLATFORM": "offscreen"}
    crash = f"{begin}\ndef read_nowhere():\n    import ctypes; ctypes.string_at(0)\nread_nowhere()"
    done = subprocess.run([sys.executable, "-c", crash], env=env, capture_output=True, check=False)
    log = (tmp_path / "state" / "tempik.log").read_text()
    assert done.returncode == -signal.SIGSEGV and "Segmentation fault" in log and "in read_nowhere" in log
    (tmp_path / "state" / "tempik.log").unlink()
    subprocess.run([sys.executable, "-c", begin], env=env, check=True)
    assert not (tmp_path / "state" / "tempik.log").exists()
