"""The passage that goes through a path to tell what the path does to sound: never the same twice, loud and soft, with
different sides, steady noise alone and a tone alone.

Conventions: float32 [2, frames].
"""

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
SEED = 2611
PROGRAM, NOISE, TONE, SILENCE = "program", "noise", "tone", "silence"
# (what, level in dBFS, seconds)
PLAN = (
    (SILENCE, 0.0, 1.0),
    *((PROGRAM, float(level), 2.0) for level in (-14, -30, -20, -38, -24, -14, -34, -18, -28, -16, -40, -22)),
    (SILENCE, 0.0, 0.5), (NOISE, -48.0, 6.0), (SILENCE, 0.0, 0.5), (TONE, -48.0, 4.0), (SILENCE, 0.0, 0.5),
    *((PROGRAM, float(level), 3.0) for level in (-48, -56, -65)),
    *((PROGRAM, float(level), 2.0) for level in (-18, -32, -14, -26)),
    (SILENCE, 0.0, 1.0),
)  # fmt: skip
TONE_HZ = 440.0
FADE_S = 0.01


def passage(rate_hz: int) -> F32:
    """[2, frames], some 65 seconds of it."""
    rng = np.random.default_rng(SEED)
    pieces = []
    for what, level, seconds in PLAN:
        n = round(seconds * rate_hz)
        sound = _piece(what, n, rate_hz, rng)
        loud = float(np.sqrt(np.mean(sound**2)))
        if loud > 0:
            sound = sound * (10 ** (level / 20) / loud)
        fade = np.minimum(1.0, np.arange(1, n + 1) / (FADE_S * rate_hz))
        pieces.append(sound * fade * fade[::-1])
    return np.clip(np.concatenate(pieces, axis=1), -1, 1).astype(np.float32)


def _piece(what: str, n: int, rate: int, rng: np.random.Generator) -> F64:
    if what == NOISE:
        return np.asarray(rng.standard_normal((2, n)))
    if what == TONE:
        return np.stack([np.sin(2 * np.pi * TONE_HZ * np.arange(n) / rate)] * 2)
    if what == SILENCE:
        return np.zeros((2, n))
    both = _notes(n, rate, rng)
    return np.stack([both + 0.6 * _notes(n, rate, rng), both + 0.6 * _notes(n, rate, rng)])


def _notes(n: int, rate: int, rng: np.random.Generator) -> F64:
    """Notes as of a voice: gliding, rich in harmonics, each with its breath."""
    out = np.zeros(n)
    at = 0
    while at < n:
        length = min(round(rng.uniform(0.12, 0.3) * rate), n - at)
        t = np.arange(length) / rate
        pitch = rng.uniform(95, 260) * 2 ** (rng.uniform(-0.2, 0.2) * t / 0.2)
        phase = np.cumsum(pitch) / rate + rng.uniform()
        note = 2 * (phase % 1.0) - 1.0  # every harmonic there is
        breath = rng.standard_normal(length)
        shape = np.sin(np.pi * np.minimum(1.0, np.arange(length) / max(1, length - 1))) ** 0.5
        out[at : at + length] = (note + 0.25 * breath) * shape * rng.uniform(0.7, 1.0)
        at += length
    return out
