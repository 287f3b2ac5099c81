"""What the command line called otherwise is taken for one version more, and said."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tempik.cli.main import VERBS, main
from tempik.cli.renamed import OPTIONS, VALUES, called_today
from tempik.desktop.session.preferences import COMMANDS_BEFORE, load_preferences
from tempik.desktop.shell.keyboard import all_commands
from tempik.project.file import load_reel, save_reel
from tempik.project.transitions import own_transitions
from tempik.reel import Reel


def test_an_old_verb_does_what_the_new_one_does_and_says_so(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    save_reel(reel, tmp_path / "r.tempik")
    assert main(["transitions", str(tmp_path / "r.tempik")]) == 0
    today = capsys.readouterr()
    assert main(["joins", str(tmp_path / "r.tempik")]) == 0
    before = capsys.readouterr()
    assert before.out == today.out and "joins is now called transitions" in before.err and today.err == ""


def test_old_options_and_values_do_what_the_new_ones_do(
    reel: Reel, tmp_path: Path, capsys: pytest.CaptureFixture[str]
) -> None:
    path = tmp_path / "r.tempik"
    save_reel(reel, path)
    assert (
        main(["speed", str(path), "--seam", "12", "--clip-seam=40", "--clips", "1", "--sound", "on", "--pitch", "kept"])
        == 0
    )
    assert main(["draft", str(path), "--keep", "rows:1"]) == 0
    assert main(["accents", str(path), "--row", "1", "--on", "joins"]) == 0
    made, told = load_reel(path), capsys.readouterr().err
    assert (made.crossfade_ms, made.clips[0].sound.crossfade_ms, made.clips[0].sound.pitch) == (12, 40, "preserved")
    assert made.accent_lanes[0].locked and made.accent_lanes[0].rule.of == "transitions"
    for new in (
        "--crossfade",
        "--clip-crossfade",
        "--pitch preserved",
        "--lock",
        "lanes:",
        "--lane",
        "--on transitions",
    ):
        assert f"is now called {new};" in told or f" {new};" in told, new


def test_nothing_is_called_by_a_name_that_there_is_not() -> None:
    for verb in {*OPTIONS, *(verb for verb, _ in VALUES)}:
        assert verb in VERBS
    assert called_today(["probe", "joins", "--row"]) == (["probe", "joins", "--row"], []), "only where they are names"
    known = {c.name for c in all_commands()}
    assert set(COMMANDS_BEFORE.values()) <= known and not set(COMMANDS_BEFORE) & known


def test_keys_that_were_changed_go_to_the_command_under_its_new_name(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path))
    (tmp_path / "settings.json").write_text(json.dumps({"keys": {"show_joins": ["F9"], "undo": ["Ctrl+Z"]}}))
    assert load_preferences().keys == {"show_transitions": ("F9",), "undo": ("Ctrl+Z",)}


def test_transitions_of_ones_own_that_were_kept_as_joins_are_there(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("TEMPIK_STATE", str(tmp_path))
    (tmp_path / "joins").mkdir()
    document = {"format": 1, "name": "mine", "join": {"kind": "push", "length": 5.0}}
    (tmp_path / "joins" / "mine.tempikjoin").write_text(json.dumps(document))
    assert own_transitions()["mine"].kind == "push"
