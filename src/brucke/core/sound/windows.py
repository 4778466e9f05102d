"""Windows for short spectra: what is looked at, and what is put together again. The product overlaps to one.

Source: Mauler & Martin 2007, “A low delay, variable resolution, perfect reconstruction spectral analysis-synthesis
system”: a long analysis window with a short synthesis window costs only the short one.
"""

import msgspec
import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
LENGTH = 1024


class Windows(msgspec.Struct, frozen=True):
    """`look` and `put` [length]; `put` is zero but for its last `synthesis` frames. One spectrum every `hop` frames."""

    length: int
    synthesis: int
    hop: int
    look: F64
    put: F64


def _hann(n: int) -> F64:
    """Periodic, so that halves add up to one."""
    return np.asarray(0.5 - 0.5 * np.cos(2 * np.pi * np.arange(n) / n), np.float64)


def windows(length: int, synthesis: int, hop: int) -> Windows:
    """Looks at `length` frames, puts together the last `synthesis` of them; equal lengths are the root-Hann pair."""
    half = synthesis // 2
    product = np.zeros(length)
    product[-synthesis:] = _hann(synthesis)
    look = np.zeros(length)
    rise = length - half
    look[:rise] = np.sqrt(_hann(2 * rise)[:rise])
    look[rise:] = np.sqrt(_hann(synthesis)[half:])
    put = np.divide(product, look, out=np.zeros(length), where=(product > 0) & (look > 0))
    # Overlapping by more than half adds up to synthesis / (2 · hop).
    return Windows(length, synthesis, hop, look, put * (2 * hop / synthesis))


WINDOWS = {
    "long": windows(LENGTH, LENGTH, LENGTH // 4),
    "middle": windows(LENGTH, LENGTH // 2, LENGTH // 8),
    "short": windows(LENGTH, LENGTH // 4, LENGTH // 16),
}
