"""A score made to sound: by sounds of our own or by a sound font, then mixed as a seed says."""

from __future__ import annotations

import subprocess
import tempfile
from pathlib import Path

import av
import mido
import numpy as np
from numpy.typing import NDArray

from bench.music.score import DRUM_KEYS, Score
from bench.music.sounds import BY_KEY, DRUMS, Rng, Voice
from tempik.rhythm.records import SAMPLE_RATE

Wave = NDArray[np.float32]
FONTS = ("/usr/share/sounds/sf2/FluidR3_GM.sf2", "/usr/share/sounds/sf2/TimGM6mb.sf2")


def voice_of(program: int) -> str:
    """Return which of our voices stands for a General MIDI instrument."""
    families = [
        "keys",
        "keys",
        "pad",
        "pluck",
        "bass",
        "pad",
        "pad",
        "lead",
        "lead",
        "lead",
        "lead",
        "pad",
        "pad",
        "pluck",
        "pluck",
        "pluck",
    ]
    return "voice" if program in (52, 53, 54, 85) else families[program // 8]


def own_sound(score: Score, rng: Rng) -> dict[str, Wave]:
    """Return each part by itself, sounded by drums and voices drawn from `rng`."""
    count = int(score.length_s * SAMPLE_RATE)
    stems: dict[str, Wave] = {}
    drums: dict[tuple[str, int], Wave] = {}
    voices: dict[str, Voice] = {}
    for note in score.notes:
        stem = stems.setdefault(note.part, np.zeros(count, np.float32))
        if note.part in score.drums:
            known = (note.part, note.key)
            if known not in drums:
                name = note.part if note.part in DRUMS else BY_KEY.get(note.key, "tom")
                drums[known] = DRUMS[name](rng)
            wave = drums[known]
        else:
            if note.part not in voices:
                kind = score.voices.get(note.part) or voice_of(score.programs.get(note.part, 0))
                voices[note.part] = Voice(rng, kind)
            wave = voices[note.part].note(note.key, min(note.long_s, 4.0))
        at = round(note.time_s * SAMPLE_RATE)
        if 0 <= at < count:
            part = stem[at : at + len(wave)]
            part += note.force * wave[: len(part)]
    return stems


def font_sound(score: Score, font: str) -> Wave:
    """Return a score played by fluidsynth with a sound font."""
    with tempfile.TemporaryDirectory() as folder:
        name = Path(folder) / "piece.mid"
        _midi(score).save(name)
        return midi_sound(name, font)


def midi_sound(name: Path, font: str) -> Wave:
    """Return a MIDI file played by fluidsynth, mono."""
    out = name.with_suffix(".wav")
    command = ["fluidsynth", "-ni", "-g", "0.5", "-r", str(SAMPLE_RATE), "-F", str(out), font, str(name)]
    subprocess.run(command, check=True, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, timeout=120)
    with av.open(str(out)) as file:
        parts = [f.to_ndarray().reshape(-1, 2) for f in file.decode(audio=0)]
    sound = np.concatenate(parts).astype(np.float32)
    return np.asarray(sound.mean(axis=1) / 32768, dtype=np.float32)


def _midi(score: Score) -> mido.MidiFile:
    file = mido.MidiFile(ticks_per_beat=960)
    track = mido.MidiTrack()
    file.tracks.append(track)
    track.append(mido.MetaMessage("set_tempo", tempo=500000))
    channels: dict[str, int] = {}
    free = [c for c in range(16) if c != 9]
    messages: list[tuple[float, int, mido.Message]] = []
    for note in score.notes:
        drum = note.part in score.drums
        if not drum and note.part not in channels:
            channels[note.part] = free[len(channels) % len(free)]
            program = score.programs.get(note.part, 0)
            messages.append((0.0, 0, mido.Message("program_change", channel=channels[note.part], program=program)))
        channel = 9 if drum else channels[note.part]
        key = DRUM_KEYS.get(note.part, note.key) if drum else note.key
        force = int(np.clip(127 * note.force * score.gains.get(note.part, 1.0), 1, 127))
        messages.append((note.time_s, 2, mido.Message("note_on", channel=channel, note=key, velocity=force)))
        messages.append((note.time_s + note.long_s, 1, mido.Message("note_off", channel=channel, note=key)))
    last = 0
    for time_s, _, message in sorted(messages, key=lambda m: m[:2]):
        tick = max(last, round(time_s * 1920))
        track.append(message.copy(time=tick - last))
        last = tick
    return file


def mixed(stems: dict[str, Wave], gains: dict[str, float], rng: Rng) -> Wave:
    """Return parts as one: each with its gain, pads and bass ducked by the kick now and then."""
    total = np.zeros(len(next(iter(stems.values()))), np.float32)
    kick = stems.get("kick")
    duck: Wave | None = None
    if kick is not None and rng.random() < 0.3:
        step = SAMPLE_RATE // 100
        level = np.abs(kick[: len(kick) // step * step]).reshape(-1, step).max(axis=1)
        held = np.zeros_like(level)
        for i in range(len(level)):
            held[i] = max(level[i], held[i - 1] * 0.9 if i else 0)
        over = np.interp(np.arange(len(kick)) / step, np.arange(len(held)), held / (held.max() + 1e-9))
        duck = np.asarray(1 - rng.uniform(0.3, 0.9) * over, dtype=np.float32)
    for name, stem in stems.items():
        if duck is not None and name in ("bass", "pad", "chords", "arp"):
            stem = stem * duck
        total += np.float32(gains.get(name, 0.5)) * stem.astype(np.float32)
    return total


def mastered(sound: Wave, rng: Rng, rough: float = 1.0) -> Wave:
    """Return a mix with a room, an equaliser, distortion, a narrow band or noise, each now and then."""
    out = sound / (np.abs(sound).max() + 1e-9)
    size = 1 << int(np.ceil(np.log2(len(out) + SAMPLE_RATE)))
    if rng.random() < 0.4 * rough:
        long_s = rng.uniform(0.1, 0.9)
        t = np.arange(int(long_s * SAMPLE_RATE)) / SAMPLE_RATE
        room = rng.standard_normal(len(t)) * np.exp(-t / (long_s / 5))
        room /= np.sqrt((room**2).sum())
        wet = np.fft.irfft(np.fft.rfft(out, size) * np.fft.rfft(room, size), size)[: len(out)]
        out = out + rng.uniform(0.05, 0.5) * wet
    if rng.random() < 0.5 * rough:
        hz = np.fft.rfftfreq(size, 1 / SAMPLE_RATE)
        marks = np.log2(np.array([20, 80, 250, 800, 2500, 6000, 12000]))
        gain_db = np.interp(np.log2(np.maximum(hz, 20)), marks, rng.normal(0, 5, len(marks)))
        if rng.random() < 0.2:
            gain_db = gain_db - 60 * (hz > rng.choice([3500, 5000, 8000]))
        if rng.random() < 0.1:
            gain_db = gain_db - 40 * (hz < rng.choice([80, 150, 250]))
        out = np.fft.irfft(np.fft.rfft(out, size) * 10 ** (gain_db / 20), size)[: len(out)]
    out = out / (np.abs(out).max() + 1e-9)
    if rng.random() < 0.4 * rough:
        drive = rng.uniform(1, 6)
        out = np.tanh(drive * out)
    if rng.random() < 0.3 * rough:
        out = out + rng.standard_normal(len(out)) * out.std() * 10 ** (-rng.uniform(14, 45) / 20)
    return np.asarray(rng.uniform(0.1, 0.95) * out / (np.abs(out).max() + 1e-9), dtype=np.float32)
