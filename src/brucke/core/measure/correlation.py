"""Generalised cross-correlation with partial whitening, and its peak to a fraction of a frame.

The weight is |G|^−ρ with ρ = 0.7: full whitening (PHAT, ρ = 1) fails on bowed strings, none (ρ = 0) has a
broad peak. Source: Knapp & Carter 1976. Positive lags: the recording is later than the reference.
"""

import msgspec
import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]

RHO = 0.7
# Converters roll off above; what is left there carries more noise and more of their phase than time.
BAND = (0.42, 0.46)  # of the sample rate, from full weight to none
HALF = 24  # frames each side that band-limited interpolation looks at
PAD = HALF + 4  # lags kept beyond the range, so that a peak at its edge can be refined


class Correlation(msgspec.Struct, frozen=True):
    """`values[i]` belongs to lag `first_lag + i` in frames."""

    values: F64
    first_lag: int

    def at(self, lag: float) -> float:
        return float(_interpolate(self.values, lag - self.first_lag))


class Peak(msgspec.Struct, frozen=True):
    """`lag` in frames with its fraction; `polarity` ±1; `to_rms` and `second` as acceptance needs them.

    `second` is the next peak outside ± 2 ms relative to the first, `second_lag` where it stands.
    """

    lag: float
    height: float
    polarity: int
    to_rms: float
    second: float
    second_lag: float


# A Kaiser window, β = 8, from its middle to its end; between these places it is straight to 1e-7.
_PLACES = np.linspace(0.0, HALF, 8193)
_WINDOW = np.i0(8.0 * np.sqrt(1 - (_PLACES / HALF) ** 2)) / np.i0(8.0)


def fast_length(n: int) -> int:
    """The next length with only factors 2, 3, 5 that is at least n."""
    best = 1 << max(n - 1, 0).bit_length()
    p5 = 1
    while p5 < best:
        p35 = p5
        while p35 < best:
            quotient = -(-n // p35)
            candidate = p35 << max(quotient - 1, 0).bit_length()
            if n <= candidate < best:
                best = candidate
            p35 *= 3
        p5 *= 5
    return best


def decimate(sound: F32, step: int) -> F32:
    """Every `step`-th frame of `sound` [frames] after a short low-pass, for coarse looks. Returns [frames // step]."""
    n = len(sound) // step * step
    if step == 1:
        return sound[:n]
    x = np.arange(-4 * step, 4 * step + 1)
    kernel = (np.sinc(0.9 * x / step) * np.hanning(len(x))).astype(np.float32)
    smooth = np.convolve(sound[:n], kernel / kernel.sum(), "same")
    return np.ascontiguousarray(smooth[::step], np.float32)


def correlate(reference: F32, recording: F32, lags: tuple[int, int], rho: float = RHO) -> Correlation:
    """Correlation for every whole lag from lags[0] to lags[1].

    reference, recording: shape (frames,), tapered by the caller. The recording is taken to start at lag 0.
    """
    first, last = lags
    size = fast_length(max(len(recording) + max(len(reference), -first), len(reference) + last) + 2 * PAD)
    spectrum = np.conj(np.fft.rfft(reference, size)) * np.fft.rfft(recording, size)
    return _weighted(spectrum, size, first, last, rho)


def _weighted(spectrum: npt.NDArray[np.complexfloating], size: int, first: int, last: int, rho: float) -> Correlation:
    frequency = np.arange(len(spectrum)) / size
    edge = np.clip((BAND[1] - frequency) / (BAND[1] - BAND[0]), 0, 1).astype(spectrum.real.dtype)
    spectrum = spectrum * edge
    if rho:
        power = spectrum.real * spectrum.real + spectrum.imag * spectrum.imag
        floor = power.dtype.type(1e-12) * power.max() if power.size else 0
        weight = (power + floor + np.finfo(power.dtype).tiny) ** (-rho / 2)
        spectrum = spectrum * weight
    whole = np.fft.irfft(spectrum, size)
    wanted = np.arange(first - PAD, last + PAD + 1)
    return Correlation(whole[wanted % size].astype(np.float64), first - PAD)


def _kernel(fraction: F64) -> F64:
    """Kaiser-windowed sinc, shape (len(fraction), 2·HALF)."""
    x = np.arange(-HALF + 1, HALF + 1)[None, :] - fraction[:, None]
    return np.asarray(np.sinc(x) * np.interp(np.abs(x), _PLACES, _WINDOW))


def _interpolate(values: F64, position: float) -> float:
    whole = int(np.floor(position))
    window = values[whole - HALF + 1 : whole + HALF + 1]
    return float(_kernel(np.array([position - whole]))[0] @ window)


def top_of(values: F64) -> float:
    """Where the highest of `values` [n] lies, as an index with a fraction, by a parabola through it and its
    neighbours."""
    i = int(np.clip(np.argmax(values), 1, len(values) - 2))
    a, b, c = values[i - 1 : i + 2]
    bend = a - 2 * b + c
    return float(i + np.clip(0.5 * (a - c) / bend if bend < 0 else 0.0, -1, 1))


def refine(values: F64, index: int) -> float:
    """Position of the maximum of `values` [n] near `index`, as an index with a fraction: band-limited interpolation,
    then a parabola."""
    position, step = float(index), 0.25
    for _ in range(3):
        grid = np.clip(position, HALF + 1, len(values) - HALF - 3) + step * np.arange(-4, 5)
        whole = np.floor(grid).astype(int)
        rows = np.stack([values[w - HALF + 1 : w + HALF + 1] for w in whole])
        heights = np.einsum("ij,ij->i", _kernel(grid - whole), rows)
        position = float(grid[0] + step * top_of(heights))
        step /= 6
    return position


def find_peak(c: Correlation, rate_hz: int, guard_s: float = 0.002, signed: bool = True) -> Peak:
    """The strongest peak of either polarity (or only upright ones), refined, and the next one beyond the guard."""
    inner = c.values[PAD:-PAD]
    size = np.abs(inner) if signed else inner
    index = int(np.argmax(size))
    polarity = -1 if signed and inner[index] < 0 else 1
    position = refine(c.values * polarity, index + PAD)
    height = polarity * _interpolate(c.values, position)
    guard = max(1, round(guard_s * rate_hz))
    outside = np.abs(inner).copy()
    outside[max(0, index - guard) : index + guard + 1] = 0.0
    beside = int(np.argmax(outside))
    rms = float(np.sqrt(np.mean(inner**2))) or 1.0
    return Peak(
        lag=position + c.first_lag,
        height=height,
        polarity=polarity,
        to_rms=height / rms,
        second=float(outside[beside]) / height if height > 0 else 1.0,
        second_lag=float(beside + c.first_lag + PAD),
    )
