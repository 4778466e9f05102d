"""A part's chain as rows of numbers, held to their ranges, and what it costs. No numba, so the window can use it."""

import numpy as np
import numpy.typing as npt

from .processors import Processor, code_of
from .processors.base import MAX_SLOTS, ON, PARAMS

F32 = npt.NDArray[np.float32]
I32 = npt.NDArray[np.int32]


def latency_frames(chain: tuple[Processor, ...], block: int) -> int:
    return sum(p.costs_frames(block) for p in chain)


def pack(chain: tuple[Processor, ...], rate_hz: float) -> tuple[I32, F32]:
    """(codes [MAX_SLOTS], parameters [MAX_SLOTS, PARAMS]) of a chain, in its order."""
    codes, params = np.zeros(MAX_SLOTS, np.int32), np.zeros((MAX_SLOTS, PARAMS), np.float32)
    for slot, p in enumerate(chain[:MAX_SLOTS]):
        numbers = p.numbers(rate_hz)
        codes[slot], params[slot, ON], params[slot, 1 : 1 + len(numbers)] = code_of(type(p)), p.on, numbers
    return codes, params
