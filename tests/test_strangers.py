"""A folder that a stranger made is opened, edited, saved and collected in: nothing outside it is written, read or waited
for. The list grows with every way in that anyone finds."""

import errno
import os
import shutil
import socket
import stat
import subprocess
import sys
import threading
import time
from pathlib import Path

import pytest
from msgspec.structs import replace
from PySide6.QtCore import Qt
from PySide6.QtWidgets import QLabel, QMenu, QMessageBox, QWidget
from pytestqt.qtbot import QtBot

from tempik.desktop.pages import PAGES
from tempik.desktop.session.document import Project
from tempik.desktop.shell.window import Window
from tempik.disk import reading, writing
from tempik.disk.reading import opened_regular, read_whole
from tempik.disk.writing import NewFile, fresh_file, make_folder, write_all, write_whole
from tempik.edit.accents.lanes import with_all_amounts
from tempik.errors import TempikError
from tempik.project.file import load_reel, save_reel
from tempik.project.journal import Lock, journal_path, left_behind
from tempik.project.media_files import collect
from tempik.project.versions import MOST, keep_version, versions
from tempik.reel import PlannedShot, PointEdit, Reel
from tempik.reel.lanes import Bundle

pytestmark = pytest.mark.usefixtures("no_dialogs")
SECRET = b"mine alone\n"


@pytest.fixture
def victim(tmp_path: Path) -> Path:
    """A file of the user's, outside the stranger's folder."""
    home = tmp_path / "home"
    home.mkdir()
    path = home / "diary.tempik"
    path.write_bytes(SECRET)
    return path


@pytest.fixture
def stranger(reel: Reel, tmp_path: Path) -> Path:
    """A project in a folder that somebody else filled."""
    folder = tmp_path / "got"
    folder.mkdir()
    save_reel(reel, folder / "r.tempik")
    return folder / "r.tempik"


LINKED = [
    ".r.tempik.journal",
    ".r.tempik.journal.new",
    ".r.tempik.lock",
    ".r.tempik.part",
    "r.saves",
    "r media",
    "r media/song.wav.part",
]


@pytest.mark.parametrize("name", LINKED)
@pytest.mark.parametrize("to_folder", [False, True])
def test_a_link_in_a_strangers_folder_is_never_written_through(
    stranger: Path, victim: Path, qapp: object, name: str, to_folder: bool
) -> None:
    """Opening such a project once overwrote any file of the user, and one save deleted other projects."""
    link = stranger.with_name(name) if "/" not in name else stranger.parent / name
    link.parent.mkdir(exist_ok=True)
    link.symlink_to(victim.parent if to_folder else victim)
    for n in range(MOST + 5):  # kept versions of another project, which were taken for ours
        (victim.parent / f"2020-01-01 00.00.{n:02d}.tempik").write_bytes(SECRET)
    before = {p.name: (p.read_bytes(), p.stat().st_mtime_ns) for p in victim.parent.iterdir()}
    project = Project()
    project.open(stranger)
    project.left_behind()
    project.keep_journal()
    project.change("More", lambda reel: with_all_amounts(reel, 0.5))
    for act in (project.save, lambda: project.save(stranger.with_name("other.tempik"))):
        try:
            act()
        except TempikError as error:
            assert "Save as" in str(error) or "could not be" in str(error)
    try:
        collect(project.reel, stranger)
    except TempikError as error:
        assert "could not be copied" in str(error)
    versions(stranger)
    project.close()
    assert {p.name: (p.read_bytes(), p.stat().st_mtime_ns) for p in victim.parent.iterdir()} == before


def test_a_link_where_the_lock_lies_leaves_the_project_to_be_looked_at(
    stranger: Path, victim: Path, qapp: object
) -> None:
    stranger.with_name(".r.tempik.lock").symlink_to(victim)
    project = Project()
    project.open(stranger)
    assert "not a lock that Tempik made" in project.read_only and "Save as" in project.read_only
    assert not project.change("More", lambda reel: with_all_amounts(reel, 0.5))
    project.close()
    assert victim.read_bytes() == SECRET


def test_kept_saves_in_a_linked_folder_are_refused_and_the_save_counts(
    stranger: Path, victim: Path, reel: Reel, qapp: object
) -> None:
    stranger.with_name("r.saves").symlink_to(victim.parent)
    project = Project()
    project.open(stranger)
    project.change("More", lambda reel: with_all_amounts(reel, 0.5))
    unkept = project.save()
    assert "earlier saves are not kept" in unkept and "did not make" in unkept
    assert load_reel(stranger).amount == 0.5
    assert versions(stranger) == []
    project.close()


def test_only_saves_of_our_own_naming_go_when_there_are_too_many(stranger: Path, reel: Reel, victim: Path) -> None:
    keep_version(reel, stranger)
    folder = stranger.with_name("r.saves")
    for n in range(MOST + 3):
        (folder / f"2020-01-01 00.{n // 60:02d}.{n % 60:02d}.tempik").write_bytes(b"{}")
    (folder / "mine.tempik").write_bytes(SECRET)
    os.symlink(victim, folder / "2019-01-01 00.00.00.tempik")
    keep_version(reel, stranger)
    assert len(versions(stranger)) == MOST
    assert (folder / "mine.tempik").read_bytes() == SECRET
    assert (folder / "2019-01-01 00.00.00.tempik").is_symlink() and victim.read_bytes() == SECRET


def test_a_strangers_journal_names_no_other_project(stranger: Path, victim: Path, reel: Reel, qapp: object) -> None:
    project = Project()
    project.open(stranger)
    project.keep_journal()
    project.change("More", lambda reel: with_all_amounts(reel, 0.5))
    path = journal_path(stranger)
    text = path.read_bytes().replace(str(stranger).encode(), str(victim).encode())
    project.close()
    path.write_bytes(text)
    found = left_behind(stranger)
    assert found is not None and found.project == stranger


# Pipes, devices, sockets: nothing is waited for


@pytest.fixture(params=["pipe", "socket", "device", "folder", "NUL", "endless name"])
def no_file(request: pytest.FixtureRequest, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> str:
    place = tmp_path / "odd"
    if request.param == "pipe":
        os.mkfifo(place)
    elif request.param == "socket":
        monkeypatch.chdir(tmp_path)
        with socket.socket(socket.AF_UNIX) as made:
            made.bind("odd")
    elif request.param == "device":
        return "/dev/zero"
    elif request.param == "folder":
        place.mkdir()
    elif request.param == "NUL":
        return f"{tmp_path}/a\0b"
    else:
        return f"{tmp_path}/{'a' * 5000}"
    return str(place)


def test_what_is_no_file_is_refused_at_once_wherever_one_is_asked_for(no_file: str, reel: Reel, tmp_path: Path) -> None:
    from tempik.accents.masks import mask_of
    from tempik.media import probe
    from tempik.media.cache import content_key
    from tempik.media.opening import open_media
    from tempik.project.media_files import missing_media
    from tempik.project.shapes import read_shape
    from tempik.render.pictures import shared_index
    from tempik.rhythm.exchange import read_marks

    done: list[str] = []

    def every() -> None:
        for read in (
            lambda: load_reel(Path(no_file)),
            lambda: content_key(no_file),
            lambda: open_media(no_file),
            lambda: probe(no_file),
            lambda: shared_index(no_file),
            lambda: read_marks(Path(no_file)),
            lambda: read_shape(Path(no_file)),
            lambda: mask_of(no_file),
        ):
            with pytest.raises(TempikError) as caught:
                read()
            done.append(str(caught.value))
        first = reel.footage[0]
        assert missing_media(replace(reel, footage=(replace(first, path=no_file), *reel.footage[1:]))) == [no_file]

    thread = threading.Thread(target=every, daemon=True)
    thread.start()
    thread.join(20)
    assert not thread.is_alive(), f"it waits for {no_file!r} after {done}"
    assert len(done) == 8 and all(text.endswith(".") and "\0" not in text and len(text) < 700 for text in done), done


def test_a_pipe_where_the_journal_lies_is_not_waited_for(stranger: Path, qapp: object) -> None:
    os.mkfifo(journal_path(stranger))
    assert left_behind(stranger) is None
    project = Project()
    project.open(stranger)
    project.keep_journal()
    project.close()


@pytest.mark.parametrize("size_mb, most_mb, fits", [(1, 1, True), (2, 1, False)])
def test_a_file_of_a_size_that_cannot_be_is_not_read(tmp_path: Path, size_mb: int, most_mb: int, fits: bool) -> None:
    path = tmp_path / "big"
    with open(path, "wb") as file:
        file.truncate(size_mb * reading.MB)
    if fits:
        assert len(read_whole(path, most_mb)) == size_mb * reading.MB
    else:
        with pytest.raises(TempikError, match="too large"):
            read_whole(path, most_mb)


# Writing: whole, or not at all, and said


def test_every_byte_is_written_where_the_system_takes_a_few_at_a_time(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """On a disk that is nearly full a write takes what still fits and says so; that was not looked at."""
    real = os.write
    monkeypatch.setattr(writing.os, "write", lambda fd, data: real(fd, bytes(data)[:7]))  # type: ignore[attr-defined]
    write_whole(tmp_path / "a", b"0123456789" * 10)
    assert (tmp_path / "a").read_bytes() == b"0123456789" * 10


def test_what_cannot_be_written_leaves_the_old_file_and_nothing_else(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    (tmp_path / "a").write_bytes(b"old")

    def full(fd: int, data: bytes) -> int:
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(writing.os, "write", full)  # type: ignore[attr-defined]
    with pytest.raises(TempikError, match=r"a could not be written \(No space left on device\)"):
        write_whole(tmp_path / "a", b"new")
    assert [p.name for p in tmp_path.iterdir()] == ["a"] and (tmp_path / "a").read_bytes() == b"old"


def test_a_file_and_then_its_folder_are_put_on_the_disk(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A rename without its folder's sync may be undone by a power cut (Pillai et al., OSDI 2014)."""
    done: list[str] = []
    sync, rename = os.fsync, os.rename

    def synced(fd: int) -> None:
        done.append("folder" if stat.S_ISDIR(os.fstat(fd).st_mode) else "file")
        sync(fd)

    def renamed(*names: object, **folders: int) -> None:
        done.append("rename")
        rename(*names, **folders)  # type: ignore[arg-type]

    monkeypatch.setattr(writing.os, "fsync", synced)  # type: ignore[attr-defined]
    monkeypatch.setattr(writing.os, "rename", renamed)  # type: ignore[attr-defined]
    write_whole(tmp_path / "a", b"new")
    assert done == ["file", "rename", "folder"]


def test_what_a_killed_process_left_half_written_goes_with_the_next_write(tmp_path: Path) -> None:
    code = (
        "import os,sys; from pathlib import Path; from tempik.disk.writing import NewFile\n"
        "new = NewFile(Path(sys.argv[1])); new.write(b'half'); print('made', flush=True); os.kill(os.getpid(), 9)"
    )
    subprocess.run([sys.executable, "-c", code, str(tmp_path / "a")], check=False, stdout=subprocess.DEVNULL)
    assert len(list(tmp_path.glob(".a.*.part"))) == 1
    alive = NewFile(tmp_path / "b")  # of a process that still writes
    write_whole(tmp_path / "c", b"whole")
    assert sorted(p.name for p in tmp_path.iterdir()) == sorted([alive.path.name, "c"])
    alive.become()
    alive.close()
    assert sorted(p.name for p in tmp_path.iterdir()) == ["b", "c"]


def test_sweeping_and_beginning_at_the_same_time_lose_nothing(tmp_path: Path) -> None:
    def work(name: str) -> None:
        for n in range(60):
            write_whole(tmp_path / f"{name}{n}", b"x")

    threads = [threading.Thread(target=work, args=(name,)) for name in "abcd"]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(list(tmp_path.iterdir())) == 240


def test_a_device_or_a_pipe_is_not_replaced_by_a_file(tmp_path: Path) -> None:
    os.mkfifo(tmp_path / "pipe")
    with pytest.raises(TempikError, match="no file"):
        write_whole(tmp_path / "pipe", b"x")
    assert stat.S_ISFIFO((tmp_path / "pipe").stat().st_mode)


def test_a_link_gives_way_to_the_file_and_what_it_names_stays(tmp_path: Path, victim: Path) -> None:
    (tmp_path / "a").symlink_to(victim)
    write_whole(tmp_path / "a", b"new")
    assert not (tmp_path / "a").is_symlink() and victim.read_bytes() == SECRET


def test_folders_of_ours_are_folders(tmp_path: Path, victim: Path) -> None:
    make_folder(tmp_path / "made")
    make_folder(tmp_path / "made")
    (tmp_path / "linked").symlink_to(victim.parent)
    with pytest.raises(OSError, match="did not make"):
        make_folder(tmp_path / "linked")
    with pytest.raises(OSError, match="did not make"), fresh_file(tmp_path / "linked" / "a", own=True):
        pass
    assert [p.name for p in victim.parent.iterdir()] == [victim.name]


def test_a_link_to_footage_is_footage(tmp_path: Path, victim: Path) -> None:
    (tmp_path / "a").symlink_to(victim)
    with opened_regular(tmp_path / "a") as file:
        assert file.read() == SECRET
    with pytest.raises(TempikError):
        opened_regular(tmp_path / "a", follow=False)


def test_the_lock_is_one_windows_at_a_time_while_windows_come_and_go(tmp_path: Path) -> None:
    project, held, most = tmp_path / "r.tempik", [0], [0]
    guard = threading.Lock()

    def come_and_go() -> None:
        for _ in range(200):
            try:
                lock = Lock(project)
            except TempikError:
                continue
            with guard:
                held[0] += 1
                most[0] = max(most[0], held[0])
            time.sleep(0.0002)
            with guard:
                held[0] -= 1
            lock.close()

    threads = [threading.Thread(target=come_and_go) for _ in range(4)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert most == [1] and not list(tmp_path.iterdir())


def test_writing_all_means_all(tmp_path: Path) -> None:
    read, write = os.pipe()
    got: list[bytes] = []
    thread = threading.Thread(target=lambda: got.extend(iter(lambda: os.read(read, 65536), b"")))
    thread.start()
    write_all(write, b"x" * 300_000)  # more than a pipe holds
    os.close(write)
    thread.join()
    os.close(read)
    assert len(b"".join(got)) == 300_000


@pytest.mark.slow
def test_collecting_takes_only_media_and_says_what_it_left(
    stranger: Path, victim: Path, qtbot: QtBot, window: Window
) -> None:
    """A stranger's project named a private file as footage; collected beside the project it went back with it."""
    reel = load_reel(stranger)
    named = replace(reel.footage[1], path=str(victim))
    save_reel(replace(reel, footage=(reel.footage[0], named, *reel.footage[2:])), stranger)
    assert window.importer.open_project(stranger)
    window.projects.collect_media()
    qtbot.waitUntil(lambda: "no media" in window.foot.status.text(), timeout=30_000)
    assert str(victim) in window.foot.status.text()
    taken = sorted(p.name for p in stranger.with_name("r media").iterdir())
    assert victim.name not in taken and len(taken) == 3
    assert window.project.reel.footage[1].path == str(victim)


# Words of others


MARKUP = "<img src=pipe><b>bold & <i>more"


@pytest.mark.film
def test_words_of_others_are_shown_as_they_are_everywhere(
    opened: Window, media: Path, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """An image tag that named a pipe in a file's name hung the window; files were read, `<` and `&` shown wrongly."""
    odd = tmp_path / f"{MARKUP}.mp4"
    shutil.copy(media / "a.mp4", odd)

    def hostile(reel: Reel) -> Reel:
        song = reel.soundtrack
        assert song is not None
        song = replace(song, edits=(PointEdit("b4", name=MARKUP), PointEdit("b8", name=MARKUP)))
        first = replace(reel.footage[0], path=str(odd), note=MARKUP, warning=MARKUP, tag=MARKUP, shot="s1")
        first = replace(first, cues=tuple(replace(c, name=MARKUP) for c in first.cues))
        bundled = tuple(replace(r, bundle="u1") for r in reel.accent_lanes)
        return replace(
            reel, soundtrack=song, footage=(first, *reel.footage[1:]), shots=(PlannedShot("s1", MARKUP),),
            accent_lanes=bundled, bundles=(Bundle("u1", MARKUP),),
        )  # fmt: skip

    assert opened.project.change(MARKUP, hostile)
    opened.project.selection.select_clip(opened.project.reel.clips[0].id)
    opened.project.messages.say(MARKUP, True)
    seen = 0
    for kind in PAGES:
        opened.page_panel.open(kind)
        qtbot.wait(30)
        for widget in opened.findChildren(QWidget):
            tip = widget.toolTip()
            assert "<img" not in tip, (widget, tip)
            if isinstance(widget, QLabel):
                assert widget.textFormat() != Qt.TextFormat.AutoText, (widget, widget.text())
                rich = widget.textFormat() == Qt.TextFormat.RichText
                assert not (rich and "<img" in widget.text()), widget.text()
                seen += MARKUP[:4] in widget.text() or "&lt;img" in widget.text()
    assert seen >= 2
    boxes: list[QMessageBox] = []
    monkeypatch.setattr(QMessageBox, "exec", lambda box: boxes.append(box) or QMessageBox.StandardButton.Cancel)
    opened.project.selection.select_footage(opened.project.reel.footage[0].id)
    opened.projects.remove_footage()
    assert boxes[0].textFormat() == Qt.TextFormat.PlainText and MARKUP in boxes[0].text()
    menu = QMenu()
    other = next(c for c in opened.project.reel.clips if c.footage != opened.project.reel.footage[0].id)
    opened.project.selection.select_clip(other.id)
    opened.placing.fill_swap_menu(menu)
    assert any("&&" in action.text() for action in menu.actions())
