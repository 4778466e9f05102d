"""Where a microphone's track holds only what another one plays: what it picks up is told from its own sound.

Conventions: float32 mono at RATE_HZ, shape (frames,); seconds. The way from each of the others into the microphone is
found as a filter per frequency, by least squares weighted anew a few times, so that what the microphone has of its own
does not count (iteratively reweighted least squares; any book on robust regression). What the filters do not explain is
its own: its voice, its breath, its noise.
"""

from itertools import pairwise

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
C64 = npt.NDArray[np.complex64]
RATE_HZ = 16_000
PIECE_S = 60.0  # people and microphones move: so long one way is taken to be one
SIZE, HOP = 4096, 1024
TURNS = 8
FRAME, STEP = 320, 160  # of levels, 20 and 10 ms
BANDS_HZ = (120.0, 300.0, 600.0, 1200.0, 2400.0, 4200.0, 7400.0)
NOISE_SHARE = 0.1  # the quietest frames are noise
FLOOR = 1e-7  # of a band: white noise of −90 dBFS, which 16 bits have
SILENCE = 0.375 * SIZE * 1e-9  # the same in one frequency of a window
OVER_NOISE = 10 ** (8 / 10)  # what is softer in a band is no bleed
OVER, FAR_OVER = 10 ** (12 / 10), 10 ** (20 / 10)  # own sound stands so far out of noise and of what is left of bleed
TAIL = 10 ** (-60 / 0.5 * STEP / RATE_HZ / 10)  # a room of half a second
QUIET_DB = -75.0  # what is softer is silence
BEFORE_S, AFTER_S = 0.02, 0.04  # kept around what is its own
LEAST_S = 0.15
LEAST_SEEN = 12  # windows of bleed alone, about as many as three seconds hold


class BleedFinder:
    """Pieces of PIECE_S one after the other, the last one of any length."""

    def __init__(self) -> None:
        self._own: list[npt.NDArray[np.bool_]] = []
        self._holds: list[npt.NDArray[np.bool_]] = []

    def push(self, voice: F32, others: list[F32]) -> None:
        """The next piece [frames] of the track, and of each of the others."""
        own, holds = _frames_of(voice, others)
        count = -(-len(voice) // STEP)  # the window of the last one reaches into the next piece
        self._own.append(np.concatenate([own, np.ones(count - len(own), bool)]))
        self._holds.append(np.concatenate([holds, np.zeros(count - len(holds), bool)]))

    def stretches(self) -> list[tuple[float, float]]:
        """(begin, end) in seconds of what was pushed in which the track holds nothing but what it picks up of the
        others. What is silent is none; nor is anything where no way from them was found."""
        return _stretches(np.concatenate(self._own), np.concatenate(self._holds)) if self._own else []


def only_bleed(voice: F32, others: list[F32]) -> list[tuple[float, float]]:
    """The same of whole tracks [frames]."""
    piece, finder = round(PIECE_S * RATE_HZ), BleedFinder()
    for at in range(0, len(voice), piece):
        finder.push(voice[at : at + piece], [o[at : at + piece] for o in others])
    return finder.stretches()


def _frames_of(voice: F32, others: list[F32]) -> tuple[npt.NDArray[np.bool_], npt.NDArray[np.bool_]]:
    """Per STEP of one piece: whether its own sound is in it, and whether it holds bleed."""
    count = max(0, (len(voice) - FRAME) // STEP + 1)
    heard = [o for o in others if len(o) == len(voice) and _db(o) > QUIET_DB]
    if not heard or _db(voice) < QUIET_DB or len(voice) < 4 * SIZE:
        return np.ones(count, bool), np.zeros(count, bool)
    own, holds = _own(voice, bleed_of(voice, heard))
    # Once more, by what seems to be bleed alone.
    alone = np.repeat(_spread(own, AFTER_S, BEFORE_S), STEP)
    alone = ~np.concatenate([alone, np.ones(max(0, len(voice) - len(alone)), bool)])[: len(voice)]
    seen = np.lib.stride_tricks.sliding_window_view(alone, SIZE)[::HOP].mean(axis=1)
    if (seen > 0.95).sum() >= LEAST_SEEN:
        return _own(voice, bleed_of(voice, heard, seen > 0.95))
    return own, holds


def _own(voice: F32, came: F32) -> tuple[npt.NDArray[np.bool_], npt.NDArray[np.bool_]]:
    """Per STEP: whether it holds something of its own, and whether it holds bleed, which is thought to be `came`."""
    left, whole, bleed = (_levels(x) for x in (voice - came, voice, came))
    noise = np.maximum(np.quantile(left, NOISE_SHARE, axis=0), FLOOR)
    loud = bleed > OVER_NOISE * noise
    # How much of the bleed the filters leave, in the quarter of the frames where they leave least.
    share = left / bleed
    rest = np.array([
        np.quantile(share[loud[:, b], b], 0.25) if loud[:, b].sum() > 50 else 1.0 for b in range(left.shape[1])
    ])  # fmt: skip
    over = left / (2 * noise + np.minimum(rest, 1.0) * _with_tail(bleed))
    # A voice is heard in several bands at once, or clearly in one.
    own = ((over > OVER).sum(axis=1) >= 2) | (over > FAR_OVER).any(axis=1)
    # One frame alone is chance.
    own = np.convolve(own, np.ones(3), "same") >= 2
    return own, (bleed.sum(axis=1) > 0.25 * whole.sum(axis=1)) & loud.any(axis=1)


def bleed_of(voice: F32, others: list[F32], counts: npt.NDArray[np.bool_] | None = None) -> F32:
    """[frames] of what `voice` picks up of `others`, as far as filters of SIZE say. Where it is known which windows
    hold nothing else, they are found from those."""
    seen, spectra = _stft(voice), np.stack([_stft(o) for o in others])  # [t, f], [n, t, f]
    only = np.ones(len(seen), np.float32) if counts is None else counts.astype(np.float32)
    weight = np.repeat(only[:, None], seen.shape[1], axis=1)
    n = len(others)
    ways = np.zeros((n, seen.shape[1]), np.complex64)
    for _turn in range(TURNS):
        wx = spectra * weight
        cross = np.einsum("ntf,tf->fn", wx.conj(), seen)
        both = np.einsum("ntf,mtf->fnm", wx.conj(), spectra)
        scale = np.einsum("fnn->f", both).real / n
        both += (1e-4 * scale[:, None, None] + 1e-20) * np.eye(n)
        ways = np.linalg.solve(both, cross[..., None])[..., 0].T.astype(np.complex64)
        left = np.abs(seen - np.einsum("nf,ntf->tf", ways, spectra)) ** 2
        # Per frequency: what is as small as the smallest counts whole, everything larger less.
        # Digital silence explains itself, and would outweigh everything that sounds.
        floor = np.maximum(np.quantile(left, 0.1, axis=0), SILENCE)
        weight = (only[:, None] * floor / (floor + left)).astype(np.float32)
    out = np.zeros(len(voice), np.float32)
    for way, other in zip(ways, others, strict=True):
        out += _filtered(other, way)
    return out


def _filtered(sound: F32, way: C64) -> F32:
    """`sound` through a way that may be a little early, too: a microphone may be nearer than the other track's."""
    h = np.fft.irfft(way, SIZE)
    early = SIZE // 8
    h = np.roll(h, early)
    h[-SIZE // 8 :] *= np.linspace(1, 0, SIZE // 8)
    size = 1 << (len(sound) + SIZE).bit_length()
    wet = np.fft.irfft(np.fft.rfft(sound, size) * np.fft.rfft(h, size), size)
    return wet[early : early + len(sound)].astype(np.float32)


def _stft(sound: F32) -> C64:
    window = np.hanning(SIZE).astype(np.float32)
    frames = np.lib.stride_tricks.sliding_window_view(sound, SIZE)[::HOP]
    return np.fft.rfft(frames * window, axis=1).astype(np.complex64)


def _levels(sound: F32) -> npt.NDArray[np.float64]:
    """[steps, bands] of power."""
    window = np.hanning(FRAME).astype(np.float32)
    frames = np.lib.stride_tricks.sliding_window_view(sound, FRAME)[::STEP]
    spectrum = np.abs(np.fft.rfft(frames * window, 512, axis=1)) ** 2
    edges = np.searchsorted(np.fft.rfftfreq(512, 1 / RATE_HZ), BANDS_HZ)
    return np.stack([spectrum[:, a:b].mean(axis=1) for a, b in pairwise(edges)], axis=1) + 1e-12


def _spread(own: npt.NDArray[np.bool_], after_s: float, before_s: float) -> npt.NDArray[np.bool_]:
    """Also so long after and before it."""
    out = own.copy()
    for k in range(1, round(after_s * RATE_HZ / STEP) + 1):
        out[k:] |= own[:-k]
    for k in range(1, round(before_s * RATE_HZ / STEP) + 1):
        out[:-k] |= own[k:]
    return out


def _with_tail(power: npt.NDArray[np.float64]) -> npt.NDArray[np.float64]:
    """A room goes on sounding for a while: what no filter of ours is long enough for."""
    out = power.copy()
    for k in range(1, len(out)):
        np.maximum(out[k], TAIL * out[k - 1], out=out[k])
    return out


def _stretches(own: npt.NDArray[np.bool_], holds: npt.NDArray[np.bool_]) -> list[tuple[float, float]]:
    """Runs without its own sound, from where they begin to hold bleed to where they end, LEAST_S of it at least."""
    step = STEP / RATE_HZ
    spread = _spread(own, AFTER_S, BEFORE_S)
    edges = np.flatnonzero(np.diff(np.concatenate([[True], spread, [True]]).astype(np.int8)))
    found = []
    for a, b in zip(edges[::2], edges[1::2], strict=True):
        there = np.flatnonzero(holds[a:b])
        if len(there) * step >= LEAST_S:  # silence within it may go along
            end = a + there[-1] + 1
            found.append((float((a + there[0]) * step), float(end * step + (FRAME - STEP) / RATE_HZ)))
    return found


def _db(sound: F32) -> float:
    return float(10 * np.log10(np.mean(sound.astype(np.float64) ** 2) + 1e-20))
