"""Dialogs begin where files of their kind were last, else with the project, else where a desktop keeps them."""

from __future__ import annotations

from pathlib import Path

import pytest
from PySide6.QtCore import QStandardPaths
from PySide6.QtWidgets import QFileDialog

from tempik.desktop.commands.files import ask_open, ask_open_many, ask_save, begin_in
from tempik.desktop.shell.window import Window


@pytest.fixture
def desktop(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    """A user's home with the folders of the XDG user directories, and state of its own."""
    monkeypatch.setenv("XDG_STATE_HOME", str(tmp_path / "state"))
    for name in ("Music", "Videos", "Work"):
        (tmp_path / name).mkdir()
    places = QStandardPaths.StandardLocation
    known = {places.MusicLocation: "Music", places.MoviesLocation: "Videos"}
    monkeypatch.setattr(QStandardPaths, "writableLocation", lambda of: str(tmp_path / known[of]) if of in known else "")
    return tmp_path


def test_a_new_user_is_led_to_music_for_a_song_and_to_videos_for_footage(desktop: Path) -> None:
    assert begin_in("song", None) == str(desktop / "Music")
    assert begin_in("footage", None) == str(desktop / "Videos")
    assert begin_in("lut", None) == str(Path.home())


def test_with_a_project_dialogs_begin_beside_it(desktop: Path) -> None:
    assert begin_in("footage", desktop / "Work" / "reel.tempik") == str(desktop / "Work")


def test_the_folder_that_was_used_last_comes_first_for_its_kind_alone(
    desktop: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    folder = desktop / "Videos" / "day 1"
    folder.mkdir()
    began: list[str] = []

    def chosen(over: object, title: str, start: str, forms: str) -> tuple[list[str], str]:
        began.append(start)
        return [str(folder / "a.mp4"), str(folder / "b.mp4")], ""

    monkeypatch.setattr(QFileDialog, "getOpenFileNames", chosen)
    assert len(ask_open_many(None, "Add footage", "", "footage", None)) == 2
    ask_open_many(None, "Add footage", "", "footage", desktop / "Work" / "reel.tempik")
    assert began == [str(desktop / "Videos"), str(folder)]
    assert begin_in("song", None) == str(desktop / "Music")
    for name in folder.iterdir():
        name.unlink()
    folder.rmdir()
    assert begin_in("footage", None) == str(desktop / "Videos"), "a folder that is gone is not begun in"


def test_a_dialog_that_is_closed_changes_nothing(desktop: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(QFileDialog, "getOpenFileName", lambda *_: ("", ""))
    monkeypatch.setattr(QFileDialog, "getSaveFileName", lambda *_: ("", ""))
    assert ask_open(None, "Open a song", "", "song", None) == ""
    assert ask_save(None, "Save", "check.csv", "", "list", None) == ""
    assert begin_in("song", None) == str(desktop / "Music")


def test_add_footage_in_the_window_begins_beside_the_project(opened: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    began: list[str] = []

    def chosen(over: object, title: str, start: str, forms: str) -> tuple[list[str], str]:
        began.append(start)
        return [], ""

    monkeypatch.setattr(QFileDialog, "getOpenFileNames", chosen)
    opened.commands["choose_footage"].trigger()
    assert opened.project.path is not None and began == [str(opened.project.path.parent)]
