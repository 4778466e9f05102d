"""Voice and music as they would be heard, one moved against the other; and two clicks for who has no recording.

Conventions: float32 mono, shape (frames,), one rate; seconds, positive: the voice is later.
"""

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
BEATS, BEAT_S = 6, 0.6
LOUDEST = 0.4
PAUSE_S, EDGE_S = 0.6, 0.01


def clicks(rate_hz: int) -> tuple[F32, F32]:
    """A low and a high click on every beat, the low one in the place of the voice."""

    def track(hz: float) -> F32:
        t = np.arange(round(0.05 * rate_hz)) / rate_hz
        click = np.sin(2 * np.pi * hz * t) * np.exp(-t / 0.008) * np.minimum(1, t / 0.0005)
        sound = np.zeros(round((BEATS + 0.5) * BEAT_S * rate_hz), np.float32)
        for beat in range(BEATS):
            at = round((beat + 0.5) * BEAT_S * rate_hz)
            sound[at : at + len(click)] += click.astype(np.float32)
        return sound * np.float32(LOUDEST)

    return track(420.0), track(1700.0)


def together(voice: F32, music: F32, earlier_s: float, rate_hz: int) -> F32:
    """[2, frames]: both, the voice made earlier by so much, as loud as one another and never too loud."""
    frames = max(len(voice), len(music))
    both = np.zeros(frames, np.float32)
    shift = round(earlier_s * rate_hz)
    source = voice[max(0, shift) :]
    at = max(0, -shift)
    moved = source[: max(0, frames - at)]
    both[at : at + len(moved)] += moved * _even(voice)
    both[: len(music)] += music * _even(music)
    peak = float(np.abs(both).max(initial=0.0))
    both *= np.float32(min(1.0, LOUDEST / peak) if peak else 1.0)
    edge = min(round(EDGE_S * rate_hz), frames // 2)
    ramp = np.linspace(0, 1, edge, dtype=np.float32)
    both[:edge] *= ramp
    both[frames - edge :] *= ramp[::-1]
    return np.stack([both, both])


def pair(one: F32, other: F32, rate_hz: int) -> F32:
    """[2, frames]: two of them after one another."""
    return np.concatenate([one, np.zeros((2, round(PAUSE_S * rate_hz)), np.float32), other], axis=1)


def _even(sound: F32) -> np.float32:
    peak = float(np.abs(sound).max(initial=0.0))
    return np.float32(1.0 / peak if peak > 1e-6 else 0.0)
