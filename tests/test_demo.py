"""The demo: known to the sample, light, whole, and a reel that lands."""

import csv
import hashlib
import json
from pathlib import Path

import numpy as np
import pytest
from scipy import signal

from tempik.check import check_reel
from tempik.demo.footage import footage_name, write_scene
from tempik.demo.scenes import SCENES
from tempik.demo.song import ABOVE_6000, BETWEEN_900_AND_9000, RATE, SONG, _filtered
from tempik.media import FrameReader, decode_sound, index_frames, probe
from tempik.media.probe import cadence
from tempik.project.file import load_reel
from tempik.timeline.covering import gaps
from tempik.timeline.timeline import Timeline


@pytest.mark.slow
def test_the_demo_is_small_and_its_footage_is_what_it_claims(demo: Path) -> None:
    assert sum(f.stat().st_size for f in demo.iterdir()) < 40e6
    kinds = set()
    for scene in SCENES:
        facts = probe(str(demo / footage_name(scene)))
        assert (facts.width, facts.height, facts.rate) == (scene.width, scene.height, scene.rate)
        assert facts.has_sound == (scene.sound_ring is not None)
        kinds.add((facts.width > facts.height, int(facts.rate)))
    assert len(SCENES) >= 8
    assert {rate for _, rate in kinds} == {24, 30, 60, 120}
    assert {wide for wide, _ in kinds} == {True, False}


@pytest.mark.slow
def test_the_truth_is_written_beside_it(demo: Path) -> None:
    with (demo / "cues.csv").open() as file:
        cues = {r["file"]: float(r["time_s"]) for r in csv.DictReader(file)}
    assert cues == {footage_name(s): round(s.cue_s, 6) for s in SCENES}
    with (demo / "beats.csv").open() as file:
        beats = [float(r["time_s"]) for r in csv.DictReader(file)]
    assert len(beats) == 64
    np.testing.assert_allclose(np.diff(beats), 60 / 128, atol=2e-6)


def test_the_songs_filters_are_those_of_the_reference_library() -> None:
    noise = np.random.default_rng(1).standard_normal(3000)
    for ours, kind, at in ((ABOVE_6000, "highpass", 6000), (BETWEEN_900_AND_9000, "bandpass", (900, 9000))):
        theirs = signal.sosfilt(signal.butter(2, at, kind, fs=RATE, output="sos"), noise)
        np.testing.assert_allclose(_filtered(ours, noise), theirs, atol=1e-12)


@pytest.mark.slow
def test_each_decisive_frame_differs_from_the_one_before_it(demo: Path) -> None:
    """The blow, the touch, the flare: something is on the cue's own frame that was not there before."""
    for scene in SCENES:
        with FrameReader(str(demo / footage_name(scene))) as reader:
            k = scene.cue_frame
            frames = [reader.frame(n).y.astype(np.float32) for n in range(k - 3, k + 1)]
        steps = [float(np.abs(b - a).mean()) for a, b in zip(frames, frames[1:], strict=False)]
        assert steps[-1] > 1.4 * max(steps[:-1]), scene.name


@pytest.mark.slow
def test_the_sound_of_a_blow_is_on_its_frame(demo: Path) -> None:
    for scene in SCENES:
        if scene.sound_ring is not None:
            heard = np.abs(decode_sound(str(demo / footage_name(scene)), mono=True).samples[:, 0])
            first = int(np.flatnonzero(heard > 0.25 * heard.max())[0]) / 48000
            assert abs(first - scene.cue_s) < 0.004


@pytest.mark.slow
def test_one_piece_hides_repeated_frames(demo: Path) -> None:
    found = {s.name: cadence(str(demo / footage_name(s)), index_frames(str(demo / footage_name(s)))) for s in SCENES}
    assert found["embers"].pattern == "one in 5"
    assert {name for name, c in found.items() if c.repeated} == {"embers"}


@pytest.mark.slow
def test_the_demos_reel_lands_and_shows_no_black_and_no_still(demo: Path) -> None:
    reel = load_reel(demo / "forge.tempik")
    timeline = Timeline(reel)
    report = check_reel(timeline)
    assert report.ok and report.notes == ()
    assert gaps(timeline) == []
    assert reel.soundtrack is not None and Path(reel.soundtrack.path).name == SONG
    assert json.loads((demo / "forge.tempik").read_text())["reel"]["footage"][0]["path"] == "hammer-blow.mp4"


@pytest.mark.slow
def test_a_scene_is_the_same_at_every_run(demo: Path, tmp_path: Path) -> None:
    scene = next(s for s in SCENES if s.name == "tongs")
    write_scene(scene, tmp_path)
    digests = {hashlib.sha256((d / footage_name(scene)).read_bytes()).hexdigest() for d in (demo, tmp_path)}
    assert len(digests) == 1
