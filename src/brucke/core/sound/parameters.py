"""Parameters of a part's chain as one row of numbers, held to sane ranges. No numba, so the window can use it."""

import numpy as np
import numpy.typing as npt

from ..setup import Compressor, Gate, Processor

PARAMS = 16
(G_ON, G_THRESHOLD, G_ATTACK, G_HOLD, G_RELEASE, G_RANGE) = range(6)
(C_ON, C_THRESHOLD, C_RATIO, C_KNEE, C_ATTACK, C_RELEASE, C_MAKE_UP) = range(6, 13)
USED = 13


def pack(chain: tuple[Processor, ...]) -> npt.NDArray[np.float32]:
    """Parameters of the first gate and the first compressor of a chain, held to sane ranges."""
    p = np.zeros(PARAMS, np.float32)
    p[[G_THRESHOLD, G_ATTACK, G_HOLD, G_RELEASE, G_RANGE]] = (-50, 0.001, 0.08, 0.16, -40)
    p[[C_THRESHOLD, C_RATIO, C_KNEE, C_ATTACK, C_RELEASE, C_MAKE_UP]] = (-25, 2, 6, 0.005, 0.2, 0)
    for processor in reversed(chain):
        if isinstance(processor, Gate):
            p[[G_ON, G_THRESHOLD, G_RANGE]] = (processor.on, _held(processor.threshold_db, -100, 0), _held(processor.range_db, -100, 0))  # fmt: skip
            times = (processor.attack_ms, processor.hold_ms, processor.release_ms)
            p[[G_ATTACK, G_HOLD, G_RELEASE]] = [_held(t / 1e3, 1e-4, 5) for t in times]
        elif isinstance(processor, Compressor):
            p[[C_ON, C_THRESHOLD, C_RATIO]] = (processor.on, _held(processor.threshold_db, -80, 0), _held(processor.ratio, 1, 20))  # fmt: skip
            p[[C_KNEE, C_MAKE_UP]] = (_held(processor.knee_db, 0, 24), _held(processor.make_up_db, -24, 24))
            p[[C_ATTACK, C_RELEASE]] = [_held(t / 1e3, 1e-4, 5) for t in (processor.attack_ms, processor.release_ms)]
    return p


def _held(value: float, low: float, high: float) -> float:
    return min(max(value, low), high)
