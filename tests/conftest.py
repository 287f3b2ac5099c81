"""What every test stands on: a cache of its own, small media, and the demo written once a run."""

from __future__ import annotations

import gc
import os
import time
from collections.abc import Iterator
from fractions import Fraction
from pathlib import Path

import pytest
from hypothesis import settings

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")

from PySide6.QtCore import QCoreApplication, QEvent
from PySide6.QtWidgets import QApplication, QMessageBox
from pytestqt.qtbot import QtBot

from examples import ALL, SOME
from media_files import beat_song, numbered, write_sound, write_video
from tempik.assemble import assemble
from tempik.demo import demo_is_whole, write_demo
from tempik.desktop.shell.window import Window
from tempik.desktop.widgets import theme
from tempik.edit.draft import RuleDraftOptions
from tempik.media.inspecting import look_over
from tempik.project.file import save_reel
from tempik.reel import Reel

# How long an example takes on a busy machine says nothing: speed is measured by ./run bench. The same code is tried on the same
# examples, so that a test that fails has something to do with what was changed; TEMPIK_EXPLORE=1 ./run test looks further.
EXPLORING = bool(os.environ.get("TEMPIK_EXPLORE"))
settings.register_profile("some", deadline=None, derandomize=not EXPLORING, max_examples=SOME)
settings.register_profile("all", deadline=None, derandomize=not EXPLORING)
settings.load_profile("some")
# What takes long is tried by ./run test --all, which CI runs; of films and of what is tried at random a sample is tried each time.
LONG = ("film", "explore", "slow")
# The reference library compiles itself when it is first used: for one short song that need not be good code.
os.environ.setdefault("NUMBA_OPT", "0")
gc.disable()  # as in the window: what holds widgets is never collected by a thread that renders


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--all", action="store_true", help="what takes long too, and as many drawn examples as there are")


def pytest_configure(config: pytest.Config) -> None:
    config.addinivalue_line(
        "markers", "film(sample): writes films or measures them; `sample` is the parameter that is always tried"
    )
    config.addinivalue_line("markers", "explore(sample): tries what is drawn, damaged or killed, many times over")
    config.addinivalue_line("markers", "slow(sample): takes seconds for another reason")
    if config.getoption("--all"):
        settings.load_profile("all")
        os.environ[ALL] = "1"  # before any test is read


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    """Leave out what takes long, unless all is asked for, or files or tests by name."""
    if config.getoption("--all") or config.args != config.getini("testpaths"):
        return
    marks = {item: next((m for name in LONG if (m := item.get_closest_marker(name))), None) for item in items}
    left = [item for item, mark in marks.items() if mark is not None and not _sampled(item, mark)]
    config.hook.pytest_deselected(items=left)
    items[:] = [item for item in items if item not in set(left)]


def _sampled(item: pytest.Item, mark: pytest.Mark) -> bool:
    wanted = mark.kwargs.get("sample")
    return wanted is not None and (not wanted or item.name.endswith(f"[{wanted}]"))


def pytest_collection_finish() -> None:
    """What was loaded stays: looking for garbage need not go through it after every window."""
    gc.collect()
    gc.freeze()


_windows = 0
LOOK_AGAIN = 40  # windows after which what had stayed is gone through once more


def _collect() -> None:
    """Take away what a window has left. What stays after it (caches, what was loaded since) is not gone through after each of the next
    windows: at the end of a run that took a second and a half each time."""
    global _windows
    _windows += 1
    if _windows % LOOK_AGAIN == 0:
        gc.unfreeze()
    gc.collect()
    gc.freeze()


@pytest.fixture(scope="session")
def worker_cache(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A cache that tests of one process share: the same few files are looked through once."""
    return tmp_path_factory.mktemp("cache")


@pytest.fixture(scope="session", autouse=True)
def nobodys_cache(worker_cache: Path, tmp_path_factory: pytest.TempPathFactory) -> Iterator[None]:
    """What is made for several tests is never kept in the user's own cache."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("TEMPIK_CACHE", str(worker_cache))
        patch.setenv("TEMPIK_STATE", str(tmp_path_factory.mktemp("state")))
        yield


@pytest.fixture(autouse=True)
def own_cache(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("TEMPIK_CACHE", str(tmp_path / "cache"))
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path / "state"))


def _once(folder: Path, make: object) -> Path:
    """Run `make(folder)` in one of the processes of a parallel run; the others wait for it."""
    folder.parent.mkdir(parents=True, exist_ok=True)
    done, claim = folder.with_suffix(".done"), folder.with_suffix(".claim")
    try:
        claim.touch(exist_ok=False)
    except FileExistsError:
        until = time.monotonic() + 240
        while not done.exists():
            assert time.monotonic() < until, f"{folder} was not made in time"
            time.sleep(0.1)
        return folder
    folder.mkdir(exist_ok=True)
    make(folder)  # type: ignore[operator]
    done.touch()
    return folder


@pytest.fixture(scope="session")
def shared_folder(tmp_path_factory: pytest.TempPathFactory) -> Path:
    base = tmp_path_factory.getbasetemp()
    return base.parent if os.environ.get("PYTEST_XDIST_WORKER") else base


@pytest.fixture(scope="session")
def demo(shared_folder: Path) -> Path:
    """The demo's folder, whole."""
    folder = _once(shared_folder / "demo", write_demo)
    assert demo_is_whole(folder)
    return folder


@pytest.fixture(scope="session")
def media(shared_folder: Path) -> Path:
    """`song.wav` at 120 BPM with its first beat at 0.5 s, and three pieces of numbered footage."""

    def make(folder: Path) -> None:
        samples, _ = beat_song(120, 8)
        write_sound(folder / "song.wav", samples)
        write_video(folder / "a.mp4", numbered(320, 180), 150, 30, gop=15)
        write_video(folder / "b.mp4", numbered(180, 320), 240, 60)
        write_video(folder / "c.mp4", numbered(320, 240), 120, Fraction(30000, 1001))

    return _once(shared_folder / "media", make)


@pytest.fixture(scope="session")
def drafted(media: Path) -> Reel:
    """The small reel, made once: records are frozen, so every test may have the same. Its films are looked over once, too: every
    window that opens it would begin to, and be closed before it had done."""
    made = _small_reel(media)
    for piece in made.footage:
        look_over(piece.path, piece.rotation_deg)
    return made


@pytest.fixture
def reel(drafted: Reel) -> Reel:
    """A small reel: three pieces of footage, cues set, flash and shake."""
    return drafted


def _small_reel(media: Path) -> Reel:
    files = [str(media / n) for n in ("a.mp4", "b.mp4", "c.mp4")]
    cues = [(files[0], 2.0), (files[1], 2.0), (files[2], 60 * 1001 / 30000)]
    options = RuleDraftOptions(every=4, length_s=10.0, width=180, height=320, accents=(("flash", 4), ("shake", 2)))
    return assemble(str(media / "song.wav"), files, cues, options).reel


@pytest.fixture
def no_dialogs(monkeypatch: pytest.MonkeyPatch) -> Iterator[None]:
    """Closing never asks in tests that are not about asking."""
    monkeypatch.setattr(QMessageBox, "exec", lambda box: QMessageBox.StandardButton.Discard)
    yield


@pytest.fixture
def window(qtbot: QtBot) -> Iterator[Window]:
    """Tempik's window, shown and empty."""
    app = QApplication.instance()
    assert isinstance(app, QApplication)
    if not app.styleSheet():  # dressing again would restyle every window that earlier tests have left
        theme.dress(app)
    made = Window()
    made.show()
    qtbot.waitExposed(made)
    yield made
    made.project.forget_gesture()
    made.project.saved_reel = made.project.history.reel  # a test that failed must not be asked about unsaved changes
    made.shut_down()
    made.close()
    # Windows that stay are gone through by every collection after them: it took seconds at the end of a run.
    made.deleteLater()
    QCoreApplication.sendPostedEvents(None, QEvent.Type.DeferredDelete)
    del made
    _collect()


@pytest.fixture
def opened(
    window: Window, qtbot: QtBot, reel: Reel, tmp_path: Path, worker_cache: Path, monkeypatch: pytest.MonkeyPatch
) -> Window:
    """The window with the small reel open and everything read."""
    monkeypatch.setenv("TEMPIK_CACHE", str(worker_cache))
    save_reel(reel, tmp_path / "r.tempik")
    assert window.importer.open_project(tmp_path / "r.tempik")

    # The outline in three bands is the slowest to be read and only coloured by it: tests that need it wait for it.
    def ready() -> bool:
        busy = [job for job in window.worker.jobs if job.title != "Telling low from high"]
        return not busy and window.song.sound is not None and window.preview.image is not None

    qtbot.waitUntil(ready, timeout=30_000)
    return window
