"""Learned noise removal in the block path. numba; see `denoise.py` for the method and its sources.

Two channels are one complex sound, left + i · right: since all channels share one real gain, one transform there and
one back serve both (the transform of a real pair, e.g. Press et al., Numerical Recipes, §12.3).
"""

import numpy as np

from .compiled import njit
from .windows import LENGTH

REFINED = 2  # how often the estimate is made again from its own result
BITS = LENGTH.bit_length() - 1
assert 1 << BITS == LENGTH
ORDER = np.array([int(f"{k:0{BITS}b}"[::-1], 2) for k in range(LENGTH)])
# The turns of every stage one after the other: those of half length h stand from h on.
_TURNS = np.concatenate([[1], *(np.exp(-1j * np.pi * np.arange(h) / h) for h in 2 ** np.arange(BITS))])
_REAL, _IMAG = np.ascontiguousarray(_TURNS.real), np.ascontiguousarray(_TURNS.imag)
NONE = 1e300  # instead of infinity, which these loops may take not to exist
# What comes in was tested to be finite, see `take_in`.
_FAST = {"reassoc", "contract", "nsz", "nnan", "ninf"}
# Where things stand in the whole numbers and in the settings of a denoiser.
FRESH, SEEN_AT, SUM_AT, WRITE, READ, COUNT, NUMBERS = range(7)
STRENGTH, FLOOR, SMOOTHING, FOLLOW, LEAST_PRIOR, MOST_POSTERIOR, TURN, LEAST, NEWEST, SETTINGS = range(10)


@njit(nogil=True, cache=True, fastmath=_FAST)
def forward(re, im):  # type: ignore[no-untyped-def]
    """Discrete Fourier transform of [LENGTH], in place; bin k comes to stand at `ORDER[k]`."""
    half = LENGTH // 2
    while half >= 1:
        for start in range(0, LENGTH, 2 * half):
            middle, end = start + half, start + 2 * half
            ar, br, ai, bi = re[start:middle], re[middle:end], im[start:middle], im[middle:end]
            cos, sin = _REAL[half : 2 * half], _IMAG[half : 2 * half]
            for i in range(half):
                dr, di = ar[i] - br[i], ai[i] - bi[i]
                ar[i] += br[i]
                ai[i] += bi[i]
                br[i] = dr * cos[i] - di * sin[i]
                bi[i] = dr * sin[i] + di * cos[i]
        half //= 2


@njit(nogil=True, cache=True, fastmath=_FAST)
def backward(re, im):  # type: ignore[no-untyped-def]
    """The way back, without dividing by LENGTH."""
    half = 1
    while half < LENGTH:
        for start in range(0, LENGTH, 2 * half):
            middle, end = start + half, start + 2 * half
            ar, br, ai, bi = re[start:middle], re[middle:end], im[start:middle], im[middle:end]
            cos, sin = _REAL[half : 2 * half], _IMAG[half : 2 * half]
            for i in range(half):
                cr = br[i] * cos[i] + bi[i] * sin[i]
                ci = bi[i] * cos[i] - br[i] * sin[i]
                br[i], bi[i] = ar[i] - cr, ai[i] - ci
                ar[i] += cr
                ai[i] += ci
        half *= 2


@njit(nogil=True, cache=True, fastmath=_FAST)
def _gains(z, channels, noise, speech, present, work, settings, numbers):  # type: ignore[no-untyped-def]
    """The gain of every bin into `work[2]`, from the spectra of all pairs; what is known of the room goes on."""
    bins = noise.shape[0]
    power, posterior, gains = work[0], work[1], work[2]
    a, least, most = settings[SMOOTHING], settings[LEAST_PRIOR], settings[MOST_POSTERIOR]
    power[:] = 0.0
    for pair in range(z.shape[0]):
        for k in range(bins):
            one, two = ORDER[k], ORDER[(LENGTH - k) & (LENGTH - 1)]
            xr, xi, yr, yi = z[pair, 0, one], z[pair, 1, one], z[pair, 0, two], z[pair, 1, two]
            power[k] += xr * xr + xi * xi + yr * yr + yi * yi
    share = 1.0 / (2 * channels)
    for k in range(bins):
        power[k] *= share
        posterior[k] = min(power[k] / noise[k], most)
    # Neighbouring bins, for the first estimate.
    for k in range(1, bins - 1):
        gains[k] = (posterior[k - 1] + posterior[k] + posterior[k + 1]) / 3.0
    gains[0] = (2.0 * posterior[0] + posterior[1]) / 3.0
    gains[bins - 1] = (2.0 * posterior[bins - 1] + posterior[bins - 2]) / 3.0
    room = 0.0
    follow, strength, floor = settings[FOLLOW], settings[STRENGTH], settings[FLOOR]
    for k in range(bins):
        prior = max(a * speech[k] / noise[k] + (1.0 - a) * max(gains[k] - 1.0, 0.0), least)
        gain = prior / (1.0 + prior)
        speech[k] = gain * gain * power[k]
        for _ in range(REFINED):
            prior = max(gain * gain * posterior[k], least)
            gain = prior / (1.0 + prior)
        gains[k] = 1.0 - strength * (1.0 - max(gain, floor))
        present[k] = power[k] + follow * (present[k] - power[k])
        room += present[k]
    # The lowest that the smoothed power was in the last turns: what stays when nobody speaks.
    settings[NEWEST] = min(settings[NEWEST], room)
    numbers[COUNT] += 1
    if numbers[COUNT] % int(settings[TURN]) == 0:
        settings[LEAST], settings[NEWEST] = settings[NEWEST], NONE


@njit(nogil=True, cache=True, fastmath=_FAST)
def _look(seen, z, look, at):  # type: ignore[no-untyped-def]
    """The newest frames through the window, two channels a pair."""
    for c in range(seen.shape[0]):
        to, of = z[c // 2, c % 2], seen[c]
        for i in range(LENGTH):
            to[i] = look[i] * of[(at + i) & (LENGTH - 1)]
    if seen.shape[0] % 2:
        z[-1, 1, :] = 0.0


@njit(nogil=True, cache=True, fastmath=_FAST)
def _spectrum(seen, sums, done, z, hop, look, put, noise, speech, present, work, settings, numbers):  # type: ignore[no-untyped-def]
    """One look at the newest frames, and the next `hop` finished ones."""
    channels, synthesis, room = seen.shape[0], sums.shape[1], done.shape[1]
    _look(seen, z, look, numbers[SEEN_AT])
    for pair in range(z.shape[0]):
        forward(z[pair, 0], z[pair, 1])
    _gains(z, channels, noise, speech, present, work, settings, numbers)
    first, write = numbers[SUM_AT], numbers[WRITE]
    for pair in range(z.shape[0]):
        for k in range(LENGTH):
            gain = work[2, min(k, LENGTH - k)]
            z[pair, 0, ORDER[k]] *= gain
            z[pair, 1, ORDER[k]] *= gain
        backward(z[pair, 0], z[pair, 1])
    for c in range(channels):
        piece, total, to = z[c // 2, c % 2, LENGTH - synthesis :], sums[c], done[c]
        for i in range(synthesis):
            total[(first + i) & (synthesis - 1)] += put[i] * piece[i]
        for i in range(hop):
            at = (first + i) & (synthesis - 1)
            to[(write + i) & (room - 1)] = total[at]
            total[at] = 0.0
    numbers[SUM_AT] = (first + hop) & (synthesis - 1)
    numbers[WRITE] = (write + hop) & (room - 1)


@njit(
    "void(float32[:, ::1], float32[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, ::1], float64[:, :, ::1], "
    "int64, float64[::1], float64[::1], float64[::1], float64[::1], float64[::1], float64[:, ::1], float64[::1], "
    "int64[::1])",
    nogil=True, cache=True,
)  # fmt: skip
def take_noise_out(  # type: ignore[no-untyped-def]
    sound, out, seen, sums, done, z, hop, look, put, noise, speech, present, work, settings, numbers
):  # fmt: skip
    """One block [channels, n] from `sound` to `out`, which may be the same.

    Rings: `seen` [channels, LENGTH] what came in, `sums` [channels, synthesis] what is being put together, `done`
    [channels, room] what is finished and waits, all of lengths that are powers of two. `z` [pairs, 2, LENGTH] and
    `work` [3, bins] are room to work in; `look` [LENGTH] and `put` [synthesis], divided by LENGTH, are the windows;
    `noise`, `speech`, `present` [bins] powers.
    """
    channels, n, at = sound.shape[0], sound.shape[1], 0
    while at < n:
        take = min(n - at, hop - numbers[FRESH])
        for c in range(channels):
            for i in range(take):
                seen[c, (numbers[SEEN_AT] + i) & (LENGTH - 1)] = sound[c, at + i]
        numbers[SEEN_AT] = (numbers[SEEN_AT] + take) & (LENGTH - 1)
        numbers[FRESH] += take
        at += take
        if numbers[FRESH] == hop:
            numbers[FRESH] = 0
            _spectrum(seen, sums, done, z, hop, look, put, noise, speech, present, work, settings, numbers)
    room = done.shape[1]
    for c in range(channels):
        for i in range(n):
            out[c, i] = done[c, (numbers[READ] + i) & (room - 1)]
    numbers[READ] = (numbers[READ] + n) & (room - 1)
