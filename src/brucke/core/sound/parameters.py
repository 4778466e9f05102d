"""A part's chain as rows of numbers, held to their ranges. No numba, so the window can use it.

Filters are state-variable filters after Simper 2013 (“Linear trapezoidal integrated state variable filter”), five
numbers each; their responses are those of the Audio EQ Cookbook (Bristow-Johnson).
"""

import math

import numpy as np
import numpy.typing as npt

from ..processors import (
    MAX_BANDS,
    MAX_SLOTS,
    Band,
    Compressor,
    DeEsser,
    Equaliser,
    Gain,
    Gate,
    HighPass,
    Limiter,
    Multiband,
    NoiseRemoval,
    PlugIn,
    Processor,
    Thickening,
    held,
)
from .windows import WINDOWS

F32 = npt.NDArray[np.float32]
I32 = npt.NDArray[np.int32]
PARAMS = 32
RING = 4096  # frames that a slot can remember of each channel
ON = 0  # the first number of every processor: 1 or 0, smoothed like all others
NOTHING, GATE, COMPRESSOR, FILTERS, GAIN, DE_ESSER, LIMITER, NOISE, MULTIBAND, THICKENING, PLUG_IN = range(11)
(G_THRESHOLD, G_ATTACK, G_HOLD, G_RELEASE, G_RANGE) = range(1, 6)
(C_THRESHOLD, C_RATIO, C_KNEE, C_ATTACK, C_RELEASE, C_MAKE_UP) = range(1, 7)
A_GAIN = 1
(S_G, S_K, S_THRESHOLD, S_RANGE) = range(1, 5)
(L_CEILING, L_RELEASE) = range(1, 3)
(M_LOW, M_HIGH, M_RATIO, M_ATTACK, M_RELEASE, M_LINK, M_THRESHOLD) = range(1, 8)  # three thresholds,
M_GAIN = M_THRESHOLD + 3  # and three gains
(P_PLACE, P_LATENCY) = range(1, 3)
(T_VOICES, T_DELAY, T_DEPTH, T_WANDER, T_LEVEL) = range(1, 6)
(N_STRENGTH, N_FLOOR, N_WINDOW, N_SMOOTHING) = range(1, 5)
WINDOW_NAMES = tuple(WINDOWS)
MOST_VOICES = 4
SPACING = 0.37  # a copy comes later than the one before by this share of the delay; no round number, so none meet
BAND_NUMBERS = 5  # g, k, and what of input, band-pass and low-pass goes out
LOOK_AHEAD = 64  # frames a limiter looks ahead
BETWEEN = 10  # and what finding the peaks between samples takes
NO_FILTER = (0.1, 1.0, 1.0, 0.0, 0.0)
BUTTERWORTH = {12: (math.sqrt(0.5),), 24: (0.5411961, 1.3065630)}


def latency_frames(chain: tuple[Processor, ...], block: int) -> int:
    return sum(processor_latency_frames(p, block) for p in chain)


def processor_latency_frames(p: Processor, block: int) -> int:
    """What one processor costs, at any rate. What is off goes on costing it, so that switching never moves the sound
    in time."""
    if isinstance(p, NoiseRemoval):
        w = WINDOWS[p.window]
        return w.synthesis - math.gcd(block, w.hop)
    if isinstance(p, PlugIn):
        return block + p.latency_frames
    return LOOK_AHEAD + BETWEEN if isinstance(p, Limiter) else 0


def copies_ms(p: Thickening) -> tuple[float, ...]:
    """When each copy comes."""
    return tuple(held(p, "delay_ms") * (1 + SPACING * v) for v in range(p.voices))


def band_numbers(band: Band, rate_hz: float) -> tuple[float, float, float, float, float]:
    a = 10 ** (held(band, "gain_db") / 40)
    g = math.tan(math.pi * min(held(band, "frequency_hz"), 0.49 * rate_hz) / rate_hz)
    k = 1 / held(band, "q")
    if band.shape == "low_shelf":
        return g / math.sqrt(a), k, 1.0, k * (a - 1), a * a - 1
    if band.shape == "high_shelf":
        return g * math.sqrt(a), k, a * a, k * (1 - a) * a, 1 - a * a
    return g, k / a, 1.0, k / a * (a * a - 1), 0.0


def high_pass_numbers(frequency_hz: float, q: float, rate_hz: float) -> tuple[float, float, float, float, float]:
    return math.tan(math.pi * min(frequency_hz, 0.49 * rate_hz) / rate_hz), 1 / q, 1.0, -1 / q, -1.0


def _filters(row: F32, bands: list[tuple[float, float, float, float, float]]) -> None:
    for i in range(MAX_BANDS):
        at = 1 + i * BAND_NUMBERS
        row[at : at + BAND_NUMBERS] = bands[i] if i < len(bands) else NO_FILTER


def _pack_multiband(p: Multiband, row: F32, rate_hz: float) -> None:
    for at, field in ((M_LOW, "low_hz"), (M_HIGH, "high_hz")):
        row[at] = high_pass_numbers(held(p, field), math.sqrt(0.5), rate_hz)[0]
    row[[M_RATIO, M_LINK]] = held(p, "ratio"), held(p, "link_percent") / 100
    row[[M_ATTACK, M_RELEASE]] = [held(p, f) / 1e3 for f in ("attack_ms", "release_ms")]
    for i, band in enumerate(("low", "middle", "high")):
        row[M_THRESHOLD + i], row[M_GAIN + i] = held(p, f"{band}_threshold_db"), held(p, f"{band}_gain_db")


def _pack_one(p: Processor, row: F32, rate_hz: float) -> int:
    row[ON] = p.on
    if isinstance(p, HighPass):
        _filters(row, [high_pass_numbers(held(p, "frequency_hz"), q, rate_hz) for q in BUTTERWORTH[p.slope_db]])
        return FILTERS
    if isinstance(p, Equaliser):
        _filters(row, [band_numbers(b, rate_hz) for b in p.bands[:MAX_BANDS]])
        return FILTERS
    if isinstance(p, Gate):
        row[[G_THRESHOLD, G_RANGE]] = held(p, "threshold_db"), held(p, "range_db")
        row[[G_ATTACK, G_HOLD, G_RELEASE]] = [held(p, f) / 1e3 for f in ("attack_ms", "hold_ms", "release_ms")]
        return GATE
    if isinstance(p, Compressor):
        row[[C_THRESHOLD, C_RATIO, C_KNEE]] = [held(p, f) for f in ("threshold_db", "ratio", "knee_db")]
        row[[C_ATTACK, C_RELEASE]] = [held(p, f) / 1e3 for f in ("attack_ms", "release_ms")]
        row[C_MAKE_UP] = held(p, "make_up_db")
        return COMPRESSOR
    if isinstance(p, DeEsser):
        g, k, *_rest = high_pass_numbers(held(p, "frequency_hz"), math.sqrt(0.5), rate_hz)
        row[[S_G, S_K, S_THRESHOLD, S_RANGE]] = g, k, held(p, "threshold_db"), held(p, "range_db")
        return DE_ESSER
    if isinstance(p, Multiband):
        _pack_multiband(p, row, rate_hz)
        return MULTIBAND
    if isinstance(p, PlugIn):
        row[[P_PLACE, P_LATENCY]] = p.place, p.latency_frames
        return PLUG_IN
    if isinstance(p, Thickening):
        row[T_VOICES] = p.voices
        row[[T_DELAY, T_DEPTH]] = held(p, "delay_ms") / 1e3, held(p, "depth_ms") / 1e3
        row[[T_WANDER, T_LEVEL]] = held(p, "wander_hz"), held(p, "level_db")
        return THICKENING
    if isinstance(p, NoiseRemoval):
        row[[N_STRENGTH, N_FLOOR]] = held(p, "strength_percent") / 100, held(p, "floor_db")
        row[N_SMOOTHING] = held(p, "smoothing_percent") / 100
        row[N_WINDOW] = WINDOW_NAMES.index(p.window)
        return NOISE
    if isinstance(p, Gain):
        row[A_GAIN] = held(p, "gain_db")
        return GAIN
    row[[L_CEILING, L_RELEASE]] = held(p, "ceiling_db"), held(p, "release_ms") / 1e3
    return LIMITER


def pack(chain: tuple[Processor, ...], rate_hz: float) -> tuple[I32, F32]:
    """(codes [MAX_SLOTS], parameters [MAX_SLOTS, PARAMS]) of a chain, in its order."""
    codes, params = np.zeros(MAX_SLOTS, np.int32), np.zeros((MAX_SLOTS, PARAMS), np.float32)
    for slot, p in enumerate(chain[:MAX_SLOTS]):
        codes[slot] = _pack_one(p, params[slot], rate_hz)
    return codes, params
