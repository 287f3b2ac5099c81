"""Points to and from CSV, label tracks and MIDI; taps; and bad files, which lose nothing."""

from pathlib import Path

import mido
import numpy as np
import pytest

from tempik.errors import TempikError
from tempik.rhythm import Onset
from tempik.rhythm.exchange import read_marks, write_marks
from tempik.rhythm.records import Mark
from tempik.rhythm.taps import beats_from_taps, read_taps

RNG = np.random.default_rng(11)


def grid(bpm: float, bars: int, first_s: float, metre: int = 4, pickup: int = 0) -> list[Mark]:
    return [
        Mark(first_s + i * 60 / bpm, "", (i - pickup) // metre + 1 + bool(pickup), (i - pickup) % metre + 1)
        for i in range(bars * metre)
    ]


@pytest.mark.parametrize("suffix", [".csv", ".txt", ".mid"])
@pytest.mark.parametrize(("bpm", "metre", "first_s"), [(120, 4, 0.0), (93.7, 3, 0.0013), (174, 5, 2.345)])
def test_beats_come_back_from_a_file_as_they_went(
    tmp_path: Path, suffix: str, bpm: float, metre: int, first_s: float
) -> None:
    marks = grid(bpm, 12, first_s, metre)
    path = tmp_path / f"p{suffix}"
    path.write_bytes(write_marks(marks, suffix, metre))
    back = read_marks(path).marks
    assert [(m.bar, m.beat) for m in back] == [(m.bar, m.beat) for m in marks]
    # A tempo in MIDI is a whole number of microseconds a beat; what that leaves does not add up.
    assert max(abs(a.time_s - b.time_s) for a, b in zip(back, marks, strict=True)) < 2e-6


def test_a_moving_tempo_does_not_drift_in_midi(tmp_path: Path) -> None:
    times = 0.4 + np.cumsum(RNG.uniform(0.45, 0.55, 400))
    marks = [Mark(float(t), "", i // 4 + 1, i % 4 + 1) for i, t in enumerate(times)]
    (tmp_path / "p.mid").write_bytes(write_marks(marks, ".mid", 4))
    back = read_marks(tmp_path / "p.mid").marks
    assert max(abs(a.time_s - b.time_s) for a, b in zip(back, marks, strict=True)) < 5e-6


def test_the_midi_file_says_the_same_to_another_reader(tmp_path: Path) -> None:
    """The reference is mido's own clock: the instants at which it would play our clicks."""
    marks = [*grid(128, 8, 0.5), Mark(3.3, "fire")]
    (tmp_path / "p.mid").write_bytes(write_marks(sorted(marks), ".mid", 4))
    now, played, words = 0.0, [], []
    for event in mido.MidiFile(tmp_path / "p.mid"):
        now += event.time
        if event.type == "note_on":
            played.append(now)
        if event.type == "marker":
            words.append((round(now, 3), event.text))
    assert np.allclose(played, sorted(m.time_s for m in marks), atol=0.0006)
    assert words == [(3.3, "fire")]


def test_six_eight_is_counted_in_two(tmp_path: Path) -> None:
    song = mido.MidiFile(ticks_per_beat=480)
    track = mido.MidiTrack()
    song.tracks.append(track)
    track.append(mido.MetaMessage("time_signature", numerator=6, denominator=8))
    track.append(mido.MetaMessage("set_tempo", tempo=500_000))  # of a quarter: a dotted quarter lasts 0.75 s
    track.append(mido.Message("note_on", note=60, time=0))
    track.append(mido.Message("note_off", note=60, time=480 * 9))
    song.save(tmp_path / "p.mid")
    marks = read_marks(tmp_path / "p.mid").marks
    assert [(m.time_s, m.beat) for m in marks[:4]] == [(0.0, 1), (0.75, 2), (1.5, 1), (2.25, 2)]


def test_names_and_spans_of_labels_are_read(tmp_path: Path) -> None:
    (tmp_path / "l.txt").write_text("1.500000\t2.000000\tverse\n0.500000\t0.500000\t1.1\n")
    read = read_marks(tmp_path / "l.txt")
    assert read.marks == (Mark(0.5, "", 1, 1), Mark(1.5, "verse"))
    assert "sorted" in read.notes[0]


def test_a_bare_column_of_seconds_is_enough(tmp_path: Path) -> None:
    (tmp_path / "p.csv").write_text("0.5\n1.0\n1.0\n1.5\n")
    read = read_marks(tmp_path / "p.csv")
    assert [m.time_s for m in read.marks] == [0.5, 1.0, 1.5]
    assert "1 rows" in read.notes[0]


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("time_s\n0.5\nabc\n", "row 3: 'abc' is not a time"),
        ("time_s\n0.5\n-1\n", "row 3: -1 s lies before"),
        ("time_s\nnan\n", "row 2: 'nan' is not a time"),
        ("time_s,beat\n0.5,two\n", "row 2: beat 'two' is not a whole number"),
        ("name,word\na,b\n", "no column 'time_s'"),
        ("", "holds no rows"),
        ("0.5\t0.6\tx\nlater\t1\ty\n", "row 2: 'later' is not a time"),
    ],
)
def test_a_wrong_row_is_named_with_its_number(tmp_path: Path, text: str, says: str) -> None:
    (tmp_path / "p.csv").write_text(text)
    with pytest.raises(TempikError, match=says):
        read_marks(tmp_path / "p.csv")


@pytest.mark.parametrize("data", [b"MThd\0\0", b"MThd" + bytes(40), b"\xff\xfe\x00garbage"])
def test_a_damaged_file_says_so(tmp_path: Path, data: bytes) -> None:
    (tmp_path / "p.mid").write_bytes(data)
    with pytest.raises(TempikError, match=r"Standard MIDI File|no bars"):
        read_marks(tmp_path / "p.mid")
    with pytest.raises(TempikError, match="is not there"):
        read_marks(tmp_path / "none.csv")
    with pytest.raises(TempikError, match=r"written as \.csv"):
        write_marks([Mark(0.5)], ".doc")


# Taps


def attacks(bpm: float = 120, count: int = 120) -> list[Onset]:
    """A strong attack on every beat and a weak one between."""
    return [Onset(0.5 + i * 30 / bpm, 0.9 if i % 2 == 0 else 0.3, "kick") for i in range(count)]


@pytest.mark.parametrize("late_ms", [-30, 0, 45, 110])
def test_ones_own_lateness_is_taken_out_of_taps(late_ms: float) -> None:
    meant = [4.5 + 0.5 * i for i in range(20)]
    taps = [t + late_ms / 1000 + RNG.normal(0, 0.012) for t in meant]
    read = read_taps(taps, attacks())
    assert read.late_s * 1000 == pytest.approx(late_ms, abs=12)
    assert np.allclose(read.snapped, meant, atol=1e-9)
    assert np.median(np.abs(np.array(read.corrected) - meant)) < 0.02


def test_a_tapped_tempo_is_laid_through_the_whole_song() -> None:
    taps = [6.5 + 0.5 * i + 0.06 + RNG.normal(0, 0.02) for i in range(10)]
    beats = beats_from_taps(taps, attacks(), 60.0)
    times = np.array([b.time_s for b in beats])
    assert np.abs((times - 0.5) / 0.5 - np.round((times - 0.5) / 0.5)).max() * 0.5 < 0.004
    assert times[0] < 0.6 and times[-1] > 59
    first = next(b for b in beats if abs(b.time_s - 6.5) < 0.02)
    assert first.beat == 1  # the first tap begins a bar


def test_missed_taps_are_bridged_and_no_tempo_is_said() -> None:
    taps = [4.5, 5.0, 5.5, 7.0, 7.5, 8.0]
    assert np.median(np.diff([b.time_s for b in beats_from_taps(taps, attacks(), 30)])) == pytest.approx(0.5, abs=1e-3)
    with pytest.raises(TempikError, match="too few"):
        beats_from_taps([1.0, 2.0], attacks(), 30)
    with pytest.raises(TempikError, match="too uneven"):
        beats_from_taps([1.0, 1.5, 2.4, 2.6, 3.9, 4.0], [], 30)
