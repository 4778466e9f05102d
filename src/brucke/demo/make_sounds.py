"""Makes the sounds of the Nightboat hour: harp, voice, cello, lounge. Run: python -m brucke.demo.make_sounds

All four share one loop of 64 beats; the voice begins with eight claps, so that sound and picture can be
compared. Everything is synthesised here and repeatable.
"""

import numpy as np
import numpy.typing as npt
import soundfile as sf
from scipy import signal

from . import FOLDER

RATE = 48000
BEAT = 37895  # frames: 76 beats a minute, deliberately no multiple of a picture period
BEATS = 64
LENGTH = BEAT * BEATS
CLAP_BEATS = range(4, 12)
F64 = npt.NDArray[np.float64]

CHORDS = ["D", "Bm", "G", "A", "D", "F#m", "G", "A", "Bm", "G", "D", "A", "G", "A", "D", "D"]
NOTES = {"D": (50, 54, 57, 62, 66), "Bm": (47, 54, 59, 62, 66), "G": (43, 50, 59, 62, 67), "A": (45, 52, 57, 61, 64),
    "F#m": (42, 54, 57, 61, 66)}  # fmt: skip
PATTERN = (0, 2, 3, 4, 3, 2, 4, 3)
# (beat, beats, midi, vowel)
MELODY = [
    (16, 1.4, 69, "a"), (17.5, 0.5, 67, "o"), (18, 1.8, 66, "e"), (20, 1, 62, "a"), (21, 1, 64, "o"), (22, 1.7, 66,
    "a"),
    (24, 1.4, 66, "i"), (25.5, 0.5, 64, "a"), (26, 1.8, 62, "o"), (28, 1, 64, "a"), (29, 1, 66, "e"), (30, 1.7, 69,
    "a"),
    (32, 1.4, 71, "a"), (33.5, 0.5, 69, "e"), (34, 1.8, 66, "o"), (36, 1, 67, "a"), (37, 1, 66, "i"), (38, 1.7, 62,
    "o"),
    (40, 1.4, 66, "a"), (41.5, 0.5, 66, "o"), (42, 1.8, 69, "e"), (44, 1, 69, "a"), (45, 1, 67, "o"), (46, 1.7, 64,
    "a"),
    (48, 1.4, 67, "i"), (49.5, 0.5, 66, "a"), (50, 1.8, 64, "o"), (52, 1, 61, "a"), (53, 1, 64, "e"), (54, 1.7, 69,
    "a"),
    (56, 1.9, 66, "o"), (58, 1.8, 62, "a"), (60, 2.8, 62, "o"),
]  # fmt: skip
FORMANTS = {"a": (760, 1180, 2600), "e": (520, 1850, 2550), "i": (330, 2250, 2950), "o": (480, 860, 2500)}


def hz(midi: float) -> float:
    return float(440.0 * 2 ** ((midi - 69) / 12))


def add(track: F64, sound: F64, beat: float) -> None:
    start = round(beat * BEAT)
    index = np.arange(start, start + len(sound)) % LENGTH
    track[index] += sound


def pluck(midi: int, seconds: float, rng: np.random.Generator, bright: float) -> F64:
    """A plucked string: noise into a damped, tuned comb (Karplus & Strong 1983)."""
    period = RATE / hz(midi) - 0.5
    whole = int(period)
    burst = np.zeros(round(seconds * RATE))
    burst[: whole + 1] = rng.uniform(-1, 1, whole + 1)
    burst = signal.lfilter([bright], [1, bright - 1], burst)
    damp = 0.5 ** (1 / (hz(midi) * 1.1))
    fraction = period - whole
    comb = np.zeros(whole + 3)
    comb[0] = 1
    comb[whole : whole + 3] -= damp * np.convolve([0.5, 0.5], [1 - fraction, fraction])
    out = signal.lfilter([1.0], comb, burst)
    out[-2400:] *= np.linspace(1, 0, 2400)
    return np.asarray(out / np.max(np.abs(out)))


def harp(rng: np.random.Generator) -> F64:
    track = np.zeros((2, LENGTH))
    for bar, chord in enumerate(CHORDS):
        for step, which in enumerate(PATTERN):
            midi = NOTES[chord][which]
            sound = pluck(midi, 2.6, rng, 0.55) * (0.30 if step % 4 else 0.42)
            side = (midi - 42) / 26
            add(track[0], sound * np.cos(side * np.pi / 2), bar * 4 + step / 2)
            add(track[1], sound * np.sin(side * np.pi / 2), bar * 4 + step / 2)
    return track


def sung(midi: float, seconds: float, vowel: str, rng: np.random.Generator, consonant: float = 0.2) -> F64:
    """A sung note: a glottal pulse train with vibrato through three formants, breath and a soft consonant."""
    n = round(seconds * RATE)
    t = np.arange(n) / RATE
    vibrato = 0.006 * np.sin(2 * np.pi * 5.4 * t + rng.uniform(0, 6)) * np.clip((t - 0.25) * 3, 0, 1)
    drift = 0.002 * np.cumsum(rng.standard_normal(n)) / np.sqrt(np.arange(1, n + 1)) / 20
    glide = -0.03 * np.exp(-t * 18)
    phase = np.cumsum(hz(midi) * (1 + vibrato + drift + glide)) / RATE
    pulse = np.clip((phase % 1.0) * 2.2, 0, 1) - (phase % 1.0)
    source = np.diff(pulse, prepend=0) + 0.004 * rng.standard_normal(n)
    source[: round(0.05 * RATE)] += consonant * rng.standard_normal(round(0.05 * RATE)) * np.hanning(round(0.05 * RATE))
    out = np.zeros(n)
    for centre, gain in zip(FORMANTS[vowel], (1.0, 0.6, 0.25), strict=True):
        b, a = signal.iirpeak(centre, 7, fs=RATE)
        out += gain * signal.lfilter(b, a, source)
    out += 0.04 * source
    envelope = np.clip(t / 0.03, 0, 1) * np.clip((seconds - t) / 0.12, 0, 1)
    out *= envelope
    return np.asarray(out / np.max(np.abs(out)))


def clap(rng: np.random.Generator) -> F64:
    n = round(0.12 * RATE)
    t = np.arange(n) / RATE
    b, a = signal.butter(2, [900, 6500], "bandpass", fs=RATE)
    return np.asarray(signal.lfilter(b, a, rng.standard_normal(n)) * np.exp(-t * 75)) * 0.9


def voice(rng: np.random.Generator) -> F64:
    track = np.zeros(LENGTH)
    for clapped in CLAP_BEATS:
        add(track, clap(rng) * 0.8, clapped)
    for beat, beats, midi, vowel in MELODY:
        add(track, sung(midi, beats * BEAT / RATE - 0.06, vowel, rng) * 0.55, beat)
    return track


def cello(rng: np.random.Generator) -> F64:
    """Long bows on the chord's low notes: a sawtooth with bow noise through a body."""
    track = np.zeros(LENGTH)
    for bar, chord in enumerate(CHORDS):
        if bar < 3:
            continue
        for half in (0, 2):
            midi = NOTES[chord][0 if half == 0 else 2] - (0 if NOTES[chord][0] < 50 or half else 12)
            seconds = 2 * BEAT / RATE - 0.07
            n = round(seconds * RATE)
            t = np.arange(n) / RATE
            vibrato = 0.004 * np.sin(2 * np.pi * 5.1 * t + rng.uniform(0, 6)) * np.clip(t * 2, 0, 1)
            phase = np.cumsum(hz(midi) * (1 + vibrato)) / RATE
            bow = 2 * (phase % 1.0) - 1 + 0.12 * rng.standard_normal(n)
            bow[: round(0.03 * RATE)] += rng.standard_normal(round(0.03 * RATE)) * np.hanning(round(0.03 * RATE)) * 1.2
            b, a = signal.butter(1, 1400, fs=RATE)
            body = signal.lfilter(b, a, bow)
            for centre in (220, 400, 1000):
                pb, pa = signal.iirpeak(centre, 5, fs=RATE)
                body = body + 0.7 * signal.lfilter(pb, pa, bow)
            body *= np.clip(t / 0.035, 0, 1) * np.clip((seconds - t) / 0.1, 0, 1)
            add(track, np.asarray(body / np.max(np.abs(body)) * 0.42), bar * 4 + half)
    return track


def lounge(rng: np.random.Generator) -> F64:
    """A few people who sing along softly in the second half, and clap at the end."""
    track = np.zeros(LENGTH)
    for beat, beats, midi, _vowel in MELODY:
        if 32 <= beat < 58:
            for person in range(3):
                off = rng.normal(0, 0.02)
                note = midi - 12 * (person % 2) + rng.normal(0, 0.08)
                add(track, sung(note, beats * BEAT / RATE - 0.1, "o", rng, 0.05) * 0.12, beat + off)
    applause = np.zeros(round(2.5 * RATE))
    for at in rng.uniform(0, 2.2, 160):
        sound = clap(rng) * rng.uniform(0.03, 0.12)
        start = round(at * RATE)
        applause[start : start + len(sound)] += sound
    add(track, applause * np.hanning(len(applause)), 61)
    return track


def main() -> None:
    rng = np.random.default_rng(76)
    tracks = {"harp": harp(rng), "voice": voice(rng), "cello": cello(rng), "lounge": lounge(rng)}
    for name, track in tracks.items():
        level = {"harp": 0.5, "voice": 0.6, "cello": 0.5, "lounge": 0.3}[name]
        sf.write(FOLDER / f"{name}.flac", (track / np.max(np.abs(track)) * level).T, RATE, subtype="PCM_16")


if __name__ == "__main__":
    main()
