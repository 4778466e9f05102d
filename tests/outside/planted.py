"""Planted truths: sounds and recordings made so that what is to be found in them is known. Half of the cases are ones
in which nobody could be sure."""

from collections.abc import Callable, Iterable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

import numpy as np
import soundfile as sf
import soxr
from scipy import signal

from brucke.demo import FOLDER

RATE = 48000
SPOKEN = Path("/usr/share/sounds/alsa")  # short spoken words of Debian's alsa-utils, installed by ./run test


@dataclass(frozen=True)
class Case:
    """`truth` None: there is nothing to be found. `clear`: a person who looks at it would know."""

    name: str
    make: Callable[[], tuple[Any, ...]]
    truth: float | None
    clear: bool = True


@dataclass(frozen=True)
class Said:
    """What a command said of a case; values in the unit of the truth."""

    value: float | None
    plus_minus: float = 0.0
    rivals: tuple[float, ...] = ()


def pair(
    sound: Callable[[np.random.Generator], np.ndarray], moved: Callable[[np.ndarray], np.ndarray],
    change: Callable[..., np.ndarray] | None = None
) -> Callable[[np.random.Generator], tuple[np.ndarray, np.ndarray]]:  # fmt: skip
    """A sound and what became of it: `moved`, and then `change`d with the same generator."""

    def make(rng: np.random.Generator) -> tuple[np.ndarray, np.ndarray]:
        first = sound(rng)
        second = moved(first)
        return first, second if change is None else change(second, rng)

    return make


class Cases(list[Case]):
    """Each case has a seed of its own, by its place."""

    def __init__(self, seed: int):
        super().__init__()
        self.seed = seed

    def add(
        self, name: str, make: Callable[[np.random.Generator], tuple[Any, ...]], truth: float | None, clear: bool = True
    ) -> None:
        seed = self.seed + len(self)
        self.append(Case(name, lambda: make(np.random.default_rng(seed)), truth, clear))


def outcome(case: Case, said: Said, near: float) -> str:
    """“right” within what was stated, “refused”, “rival” where the truth was named beside another, else “wrong”."""
    if said.value is None:
        return "refused"
    if case.truth is None:
        return "wrong"
    reach = max(near, said.plus_minus)
    if abs(said.value - case.truth) <= reach:
        return "right"
    return "rival" if any(abs(r - case.truth) <= max(near, reach) for r in said.rivals) else "wrong"


def table(cases: Iterable[Case], look: Callable[..., Said], near: float) -> list[tuple[Case, Said, str]]:
    rows = []
    for case in cases:
        said = look(*case.make())
        rows.append((case, said, outcome(case, said, near)))
    return rows


def printed(rows: list[tuple[Case, Said, str]], unit: str) -> str:
    def text(x: float | None) -> str:
        return "—" if x is None else f"{x:.2f}"

    lines = [f"| case | truth {unit} | said | rivals | |", "|---|---|---|---|---|"]
    for case, said, what in rows:
        pm = "" if said.value is None else f" ± {said.plus_minus:.2f}"
        lines.append(
            f"| {case.name} | {text(case.truth)} | {text(said.value)}{pm} | "
            f"{', '.join(f'{r:.1f}' for r in said.rivals)} | {what} |"
        )
    return "\n".join(lines)


def summary(rows: list[tuple[Case, Said, str]]) -> dict[str, float]:
    """Counts of wrong ones; shares of the clear ones that were right, and refused."""
    clear = [w for c, _, w in rows if c.clear]
    return {
        "cases": len(rows), "wrong": sum(w == "wrong" for *_, w in rows),
        "right": sum(w == "right" for w in clear) / len(clear),
        "refused": sum(w == "refused" for w in clear) / len(clear),
    }  # fmt: skip


# Sounds, float32 mono at RATE.


@cache
def demo(name: str) -> np.ndarray:
    sound, rate = sf.read(FOLDER / f"{name}.flac", dtype="float32", always_2d=True)
    assert rate == RATE
    return np.ascontiguousarray(sound[:, 0])


@cache
def words() -> tuple[np.ndarray, ...]:
    """Real spoken words, each at RATE."""
    found = []
    for p in sorted(SPOKEN.glob("*_*.wav")):
        sound, rate = sf.read(p, dtype="float32", always_2d=True)
        found.append(soxr.resample(sound[:, 0], rate, RATE).astype(np.float32))
    assert len(found) >= 8, "./run test installs alsa-utils"
    return tuple(found)


def speech(seconds: float, rng: np.random.Generator) -> np.ndarray:
    """Words in any order with pauses between them."""
    pieces = []
    while sum(map(len, pieces)) < seconds * RATE:
        word = words()[rng.integers(len(words()))]
        pieces += [word * rng.uniform(0.5, 1.0), np.zeros(round(rng.uniform(0.1, 0.6) * RATE), np.float32)]
    return np.concatenate(pieces)[: round(seconds * RATE)].astype(np.float32)


def notes(beats: np.ndarray, seconds: float, rng: np.random.Generator, low_hz: float = 200.0, rise_s: float = 0.003):
    """Plucked notes that begin on the beats."""
    out = np.zeros(round(seconds * RATE), np.float32)
    for b in beats:
        t = np.arange(round(0.4 * RATE)) / RATE
        pitch = low_hz * 2 ** (rng.integers(0, 12) / 12)
        note = sum(np.sin(2 * np.pi * pitch * k * t + rng.uniform(0, 6)) / k for k in range(1, 8))
        at = round(b * RATE)
        room = max(0, len(out) - at)
        out[at:][: len(t)] += (0.2 * note * np.minimum(1, t / rise_s) * np.exp(-6 * t))[:room].astype(np.float32)
    return out


def tune(seconds: float, rng: np.random.Generator) -> np.ndarray:
    beats = 0.3 + np.cumsum(rng.uniform(0.15, 0.5, int(seconds * 6)))
    return notes(beats[beats < seconds - 0.5], seconds, rng, rng.uniform(120, 300))


def drums(seconds: float, rng: np.random.Generator, every_s: float = 0.5) -> np.ndarray:
    """Every hit another noise on an even beat."""
    out = np.zeros(round(seconds * RATE), np.float32)
    t = np.arange(round(0.12 * RATE)) / RATE
    for at in np.arange(0.2, seconds - 0.2, every_s):
        hit = rng.standard_normal(len(t)) * np.exp(-t / rng.uniform(0.01, 0.03))
        out[round(at * RATE) :][: len(t)] += (0.3 * hit).astype(np.float32)
    return out


def claps(at_s: Iterable[float], seconds: float, rng: np.random.Generator) -> np.ndarray:
    out = (1e-4 * rng.standard_normal(round(seconds * RATE))).astype(np.float32)
    t = np.arange(round(0.1 * RATE)) / RATE
    for at in at_s:
        hit = rng.standard_normal(len(t)) * np.exp(-t / 0.012)
        out[round(at * RATE) :][: len(t)] += (0.5 * hit).astype(np.float32)
    return out


# What happens to them on the way.


def late(sound: np.ndarray, seconds: float) -> np.ndarray:
    """As long as before, that much later (or earlier), to the nearest frame."""
    frames = round(seconds * RATE)
    moved = np.zeros_like(sound)
    if frames >= 0:
        moved[frames:] = sound[: len(sound) - frames]
    else:
        moved[:frames] = sound[-frames:]
    return moved


def noisy(sound: np.ndarray, snr_db: float, rng: np.random.Generator) -> np.ndarray:
    rms = float(np.sqrt(np.mean(sound.astype(np.float64) ** 2)))
    return (sound + rms * 10 ** (-snr_db / 20) * rng.standard_normal(len(sound))).astype(np.float32)


def room(sound: np.ndarray, rng: np.random.Generator, seconds: float = 0.5) -> np.ndarray:
    """A direct sound and a tail of that decay to −60 dB."""
    t = np.arange(round(seconds * RATE)) / RATE
    tail = 0.03 * rng.standard_normal(len(t)) * np.exp(-6.9 * t / seconds)
    tail[0] = 1.0
    return signal.fftconvolve(sound, tail)[: len(sound)].astype(np.float32)


def telephone(sound: np.ndarray) -> np.ndarray:
    return signal.sosfilt(signal.butter(4, (300, 3400), "bandpass", fs=RATE, output="sos"), sound).astype(np.float32)


def other_clock(sound: np.ndarray, ppm: float) -> np.ndarray:
    """Recorded by a clock that is that much faster: later and later. By soxr."""
    return soxr.resample(sound, RATE, RATE * (1 + ppm * 1e-6), quality="VHQ").astype(np.float32)


def jumped(sound: np.ndarray, at_s: float, seconds: float) -> np.ndarray:
    """From then on that much later (a gap), or earlier (a piece lost)."""
    i, n = round(at_s * RATE), round(seconds * RATE)
    return np.concatenate([sound[:i], np.zeros(max(0, n), np.float32), sound[i + max(0, -n) :]])


def looped(seconds: float, whole: float, rng: np.random.Generator) -> np.ndarray:
    one = tune(seconds, rng)
    return np.tile(one, int(np.ceil(whole / seconds)) + 1)[: round(whole * RATE)]


def pattern(seconds: float, rng: np.random.Generator) -> np.ndarray:
    """Another pattern of the very same samples on a grid."""
    out = np.zeros(round((seconds + 2) * RATE), np.float32)
    step = int(RATE * 60 / rng.choice([90, 100, 120]) / 2)
    bank = [notes(np.array([0.0]), 0.5, np.random.default_rng(k), 150 + 20 * k) for k in range(6)]
    for at in range(0, round(seconds * RATE), step):
        if rng.random() < 0.8:
            sample = bank[rng.integers(len(bank))]
            out[at : at + len(sample)] += sample * np.float32(rng.uniform(0.5, 1))
    return out[: round(seconds * RATE)]


def performance(seconds: float, score: int, rng: np.random.Generator) -> np.ndarray:
    """One of many of the same song: the same notes, each a little earlier or later, never the same sound."""
    of = np.random.default_rng(score)
    beats = 0.3 + np.cumsum(of.choice([0.25, 0.5, 0.5, 1.0], int(seconds * 4)))
    beats = beats[beats < seconds - 1]
    out = np.zeros(round(seconds * RATE), np.float32)
    t = np.arange(round(0.5 * RATE)) / RATE
    for b in beats:
        pitch = 180 * 2 ** (of.integers(0, 12) / 12) * (1 + 0.004 * rng.standard_normal())
        shake = 0.003 * np.sin(2 * np.pi * rng.uniform(4, 6) * t + rng.uniform(0, 6))
        note = sum(np.sin(2 * np.pi * pitch * k * (t + shake / 10) + rng.uniform(0, 6)) / k for k in range(1, 8))
        at = max(0, round((b + 0.02 * rng.standard_normal()) * RATE))
        room_left = max(0, len(out) - at)
        out[at:][: len(t)] += (0.2 * note * np.minimum(1, t / 0.01) * np.exp(-4 * t))[:room_left].astype(np.float32)
    return out
