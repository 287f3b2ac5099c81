"""`tempik accents`: every lane and every change of it from the command line."""

import csv
import io
from pathlib import Path

import pytest

from tempik.project.file import load_reel, save_reel
from tempik.reel import Length, Reel
from tempik.timeline.timeline import Timeline
from test_cli import ran


@pytest.fixture
def small(reel: Reel, tmp_path: Path) -> Path:
    save_reel(reel, tmp_path / "r.tempik")
    return tmp_path / "r.tempik"


def table(path: Path) -> list[dict[str, str]]:
    return list(csv.DictReader(io.StringIO(ran("accents", path))))


def test_the_catalogue_is_listed_with_its_settings() -> None:
    text = ran("accents", "--list")
    assert "flash: a colour over the picture" in text and "opacity=0.75" in text
    assert len(text.splitlines()) >= 30


def test_rows_are_added_ruled_shaped_and_removed(small: Path) -> None:
    ran("accents", small, "--add", "mono", "--on", "bars", "--beats", "2,4", "--set", "gain=2", "--decay", "0.5gap",
        "--amount", 80, "--by-strength", 0, "--overlap", "sum", "--at-least", 10)  # fmt: skip
    row = load_reel(small).accent_lanes[-1]
    assert (row.accent, row.rule.of, row.rule.beats, row.settings) == ("mono", "bars", (2, 4), {"gain": 2.0})
    assert row.envelope is not None and row.envelope.decay == Length(0.5, "gap")
    assert (row.amount, row.degree, row.overlap) == (0.8, 0.0, "sum")
    assert table(small)[-1]["accent"] == "mono"
    ran("accents", small, "--lane", 3, "--on", "onsets", "--bands", "kick,snare", "--every", 2, "--offset", 1)
    ran("accents", small, "--lane", 3, "--mute", "on", "--alone", "on", "--seed", 5, "--clips", "1-2")
    row = load_reel(small).accent_lanes[-1]
    assert row.muted and row.solo and row.seed == 5 and len(row.limit.clips) == 2
    ran("accents", small, "--lane", 3, "--remove")
    assert len(table(small)) == 2


def test_steps_bars_lots_keys_and_focus(small: Path) -> None:
    ran("accents", small, "--lane", 1, "--paint", "2.3=50", "--copy-bar", 2, "--shift", 1)
    assert any(p.strength == 0.5 for p in load_reel(small).accent_lanes[0].overrides)
    ran("accents", small, "--lane", 1, "--by-lot", 3, "--key", "opacity@30=0.5", "--key", "level@60=1")
    assert set(load_reel(small).accent_lanes[0].keys) == {"opacity", "level"}
    ran("accents", small, "--add", "punch", "--focus", "0.3,0.4")
    assert load_reel(small).accent_lanes[-1].settings == {"focus_x": 0.3, "focus_y": 0.4}


def test_all_accents_are_calmed_by_one_number_and_blurred_by_the_shutter(small: Path) -> None:
    before = [p.strength for p in Timeline(load_reel(small)).pulses[0]]
    ran("accents", small, "--all", 66, "--shutter", 180)
    reel = load_reel(small)
    assert [p.strength for p in Timeline(reel).pulses[0]] == pytest.approx([0.66 * b for b in before])
    assert reel.shutter_deg == 180


def test_bundles_and_rows_go_from_reel_to_reel(small: Path, tmp_path: Path) -> None:
    ran("accents", small, "--bundle", "Hammer blow", "--clips", "2")
    assert len({r.bundle for r in load_reel(small).accent_lanes}) == 2
    ran("accents", small, "--write", tmp_path / "mine.tempikaccents")
    other = tmp_path / "other.tempik"
    ran("accents", small, "--read", tmp_path / "mine.tempikaccents", "-o", other)
    assert len(table(other)) == 10 and len(table(small)) == 5
    ran("accents", small, "--from", other)
    assert len(table(small)) == 15


REFUSED: tuple[tuple[tuple[object, ...], str], ...] = (
    (("--add", "sparkle"), "There is no accent named 'sparkle'"),
    (("--lane", 9, "--amount", 50), "There is no accent lane 9; the project has 2."),
    (("--amount", 50), "Which lane does --amount change?"),
    (("--lane", 1, "--amount", 500), "500 % cannot be"),
    (("--lane", 1, "--set", "opacity=4"), "lies between 0 and 1"),
    (("--lane", 1, "--set", "shine=4"), "has no setting 'shine'"),
    (("--lane", 1, "--paint", "99.1=50"), "There is no point 99.1"),
    (("--lane", 1, "--on", "onsets", "--bands", "gong"), "There is no band 'gong'"),
    (("--lane", 1, "--key", "level=1"), "says no frame"),
    (("--lane", 1, "--focus", "0.5,0.5"), "no focus"),
    (("--lane", 1, "--mask", "/nowhere.png"), "is not there"),
    (("--bundle", "Sunday"), "There is no bundle 'Sunday'"),
    (("--shutter", 400), "A shutter of 400° cannot be; give 0 to 360"),
)


def test_what_cannot_be_is_said_and_the_project_left(small: Path) -> None:
    before = small.read_bytes()
    for options, message in REFUSED:
        assert message in ran("accents", small, *options, code=2)
        assert small.read_bytes() == before
    assert "is no length" in ran("accents", small, "--lane", 1, "--decay", "soon", code=2)
    assert "Which project?" in ran("accents", code=2)
