"""A small share of the campaign (see docs/reliability.md): the same code as `./run campaign`, from other seeds."""

from pathlib import Path

import pytest
from bench.campaign import cases, commands, damage, disks, kills, others, power, strangers

from tempik.media import cues
from tempik.media.cache import keep_entry, kept, kept_entry
from tempik.media.proxy import make_proxy, proxy_path, sound_proxy
from tempik.reel import Reel


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "m").mkdir()
    return tmp_path


@pytest.fixture
def small(folder: Path) -> Reel:
    return cases.small_reel(folder / "m")


@pytest.mark.slow
def test_after_every_power_cut_what_was_acknowledged_is_there(folder: Path, small: Reel) -> None:
    for name, cuts in power.run(small, folder):
        assert cuts.states > 30 and not cuts.broken, (name, cuts.broken[:3])


@pytest.mark.explore
def test_the_power_cuts_would_tell_of_a_folder_that_is_not_synced(
    folder: Path, small: Reel, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("tempik.disk.writing._sync_folder", lambda fd: None)
    for name, cuts in power.run(small, folder):
        assert cuts.broken, name


@pytest.mark.explore
@pytest.mark.parametrize(
    "kind, count", [("project", 60), ("journal", 40), ("points", 40), ("shape", 30), ("media", 25)]
)
def test_damaged_and_hostile_files_are_opened_or_refused_in_a_sentence(folder: Path, kind: str, count: int) -> None:
    makers = {
        "project": lambda: cases.project_cases(count, folder / "m", 71),
        "journal": lambda: cases.journal_cases(count, folder / "m", 72),
        "points": lambda: cases.points_cases(count, 73),
        "shape": lambda: cases.shape_cases(count, folder / "m", 74),
        "media": lambda: cases.media_cases(count, 75),
    }
    found = damage.tried(kind, makers[kind](), folder, report=False)
    assert not found.wrong and found.cases >= count, found.wrong[:5]
    assert found.most_mb <= damage.MOST_MB


@pytest.mark.explore
def test_the_window_may_be_killed_at_any_moment(folder: Path, small: Reel) -> None:
    found = kills.run(folder, small, 4, seed=9, report=False)
    assert not found.wrong and found.steps > 0, found.wrong


def test_folders_that_vanish_are_said_at_once(folder: Path, small: Reel, qapp: object) -> None:
    found = disks.vanishing(folder, small)
    assert not found.wrong, found.wrong


@pytest.mark.explore
def test_full_disks_keep_what_was_there_and_say_what_is_not(folder: Path, small: Reel, qapp: object) -> None:
    if not disks.may_mount():
        pytest.skip("small disks are mounted by root only")
    try:
        found = disks.full_disks(folder, small, range(12, 200, 60))
    except OSError as error:
        pytest.skip(str(error))
    assert not found.wrong and found.refused, found.wrong


# What was made of files, kept, and damaged since


def test_a_kept_finding_with_a_flipped_bit_is_made_again(tmp_path: Path) -> None:
    """A number that had changed on the disk was believed for ever."""
    keep_entry(tmp_path / "e", [1.5, 2.5])
    data = bytearray((tmp_path / "e").read_bytes())
    assert kept_entry(tmp_path / "e", list[float]) == [1.5, 2.5]
    for at in range(len(data)):
        data[at] ^= 4
        (tmp_path / "e").write_bytes(data)
        assert kept_entry(tmp_path / "e", list[float]) is None
        data[at] ^= 4


def test_what_is_kept_of_a_file_is_made_once(folder: Path) -> None:
    (folder / "a").write_bytes(b"contents")
    made: list[int] = []

    def make() -> list[int]:
        made.append(1)
        return [7]

    assert [kept(str(folder / "a"), "x1", list[int], make) for _ in range(3)] == [[7]] * 3
    assert len(made) == 1


@pytest.mark.parametrize("damage_it", [lambda d: b"", lambda d: d[: len(d) // 2], lambda d: bytes(len(d))])
def test_a_damaged_proxy_is_thrown_away_and_made_again(folder: Path, damage_it: object) -> None:
    """It was used for ever, and nothing was shown."""
    (folder / "a.mp4").write_bytes(cases.film("mp4", "libx264", 40))
    made = make_proxy(str(folder / "a.mp4"))
    whole = made.read_bytes()
    made.write_bytes(damage_it(whole))  # type: ignore[operator]
    assert not sound_proxy(str(folder / "a.mp4"), made) and not made.exists()
    assert make_proxy(str(folder / "a.mp4")) == proxy_path(str(folder / "a.mp4")) == made
    assert sound_proxy(str(folder / "a.mp4"), made)


@pytest.mark.explore
def test_a_long_film_is_studied_in_parts_with_the_same_result(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """Two hours of film once held 4.8 GB of small frames."""
    path = folder / "a.mp4"
    path.write_bytes(cases.film("mp4", "libx264", 300, sound="aac"))
    whole = cues._study(str(path), lambda share: None)
    monkeypatch.setattr(cues, "PART_FRAMES", 110)
    parts = cues._study(str(path), lambda share: None)
    assert [round(c.time_s, 3) for c in parts.cues[:3]] == [round(c.time_s, 3) for c in whole.cues[:3]]
    assert parts.cadence.frames == whole.cadence.frames


# What strangers send and do, and whatever may be asked of the command line


@pytest.mark.explore
def test_files_of_others_are_opened_or_refused_in_a_sentence(folder: Path) -> None:
    found = damage.tried("other", others.other_cases(60, folder / "m", 76), folder, report=False)
    assert not found.wrong and found.cases > 90, found.wrong[:5]
    assert found.most_mb <= damage.MOST_MB and found.slowest_s <= damage.LONGEST_S


@pytest.mark.explore
def test_command_lines_of_any_kind_are_carried_out_or_refused(folder: Path) -> None:
    tried = commands.run(folder, 150, seed=77)
    assert not tried.wrong, tried.wrong[:5]
    assert tried.ended[0] > 20 and set(tried.ended) <= {0, 1, 2}


@pytest.mark.explore
def test_a_stranger_gets_nowhere(folder: Path) -> None:
    found = strangers.run(folder, 12, seed=78)
    assert not found.wrong, found.wrong
