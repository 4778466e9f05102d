"""A part's chain of processors, in its order, every parameter smoothed per sample so that no change clicks. numba.

When the order or the kind of a processor changes, the chain that was fades out to the dry sound within 10 ms and the
new one in; see `run_chain` for the arrays. The kernels of `processors/` are compiled here.
"""

import math
import warnings

from .compiled import literal_unroll, njit, register_jitable
from .processors import KINDS
from .processors.base import HELPERS, LEVEL, MAX_SLOTS, PARAMS, ring

SMOOTH_S = FADE_S = 0.01
FALL_S = 0.05  # how fast a told level falls

# Functions in a tuple are what numba calls an experiment, at every compilation.
warnings.filterwarnings("ignore", message="First-class function type", category=Warning)
for _helper in HELPERS:
    register_jitable(_helper)


def _nothing(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    """In a chain's place of what runs before it."""


# One for every kind, in the order of their codes; what shares a kernel is compiled once.
_COMPILED = {k: njit(nogil=True, cache=True)(k) for k in dict.fromkeys(kind.kernel or _nothing for kind in KINDS)}
_KERNELS = tuple(_COMPILED[kind.kernel or _nothing] for kind in KINDS)


@njit(nogil=True, cache=True)
def _loudest(sound, before, fall):  # type: ignore[no-untyped-def]
    peak = before * fall
    for c in range(2):
        for i in range(sound.shape[1]):
            peak = max(peak, abs(sound[c, i]))
    return peak if peak > 1e-9 else 0.0


@njit(nogil=True, cache=True)
def _run(sound, codes, params, state, memory, rate, beside):  # type: ignore[no-untyped-def]
    smooth = 1.0 - math.exp(-1.0 / (SMOOTH_S * rate))
    fall = math.exp(-sound.shape[1] / (FALL_S * rate))
    for s in range(MAX_SLOTS):
        if codes[s] == 0:
            continue
        state[s, LEVEL] = _loudest(sound, state[s, LEVEL], fall)
        left = codes[s]
        for kernel in literal_unroll(_KERNELS):
            left -= 1
            if left == 0:
                kernel(sound, params[s], state[s], memory[s], smooth, rate, beside)
    state[MAX_SLOTS, LEVEL] = _loudest(sound, state[MAX_SLOTS, LEVEL], fall)


@njit(nogil=True, cache=True)
def run_chain(  # type: ignore[no-untyped-def]
    sound, codes, params, running, frozen, state, memory, wet, rate, sends, returns, answered
):  # fmt: skip
    """In place on `sound` [2, n]. `codes` [MAX_SLOTS] and `params` [MAX_SLOTS, PARAMS] are wanted; `running` and
    `frozen` are what runs, `state` [MAX_SLOTS + 1, STATE] (the last row tells the level that goes out) and `memory`
    [MAX_SLOTS, MEMORY] its past, `wet` [1] its share. Plug-ins and steps outside run beside it: `sends` and
    `returns` [PLACES, 2, n] are what they get and gave, `answered` [PLACES] which of them did.
    """
    same = True
    for s in range(MAX_SLOTS):
        same = same and running[s] == codes[s]
    if not same and wet[0] == 0.0:
        running[:] = codes
        state[:, :] = 0.0
        memory[:, : 2 * ring(rate)] = 0.0
        for s in range(MAX_SLOTS):
            state[s, :PARAMS] = params[s]
        same = True
    if same:
        frozen[:, :] = params
    n = sound.shape[1]
    step = 1.0 / (FADE_S * rate)
    if same and wet[0] == 1.0:
        _run(sound, running, frozen, state, memory, rate, (sends, returns, answered))
        return
    dry = sound.copy()
    _run(sound, running, frozen, state, memory, rate, (sends, returns, answered))
    for i in range(n):
        wet[0] = min(1.0, wet[0] + step) if same else max(0.0, wet[0] - step)
        share = 0.5 - 0.5 * math.cos(math.pi * wet[0])
        for c in range(2):
            sound[c, i] = dry[c, i] + share * (sound[c, i] - dry[c, i])
