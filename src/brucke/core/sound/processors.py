"""A part's chain of processors, in its order, every parameter smoothed per sample so that no change clicks. numba.

When the order or the kind of a processor changes, the chain that was fades out to the dry sound within 10 ms and the
new one in; see `run_chain` for the arrays.
"""

import math

from ..processors import MAX_BANDS, MAX_SLOTS
from .compiled import njit
from .dynamics import LEVEL, MEMORY, REDUCTION, STATE, compressor, de_esser, gate, limiter
from .multiband import multiband
from .parameters import (
    A_GAIN,
    BAND_NUMBERS,
    COMPRESSOR,
    DE_ESSER,
    FILTERS,
    GAIN,
    GATE,
    LIMITER,
    MULTIBAND,
    NOISE,
    NOTHING,
    ON,
    P_LATENCY,
    P_PLACE,
    PARAMS,
    PLUG_IN,
    RING,
    THICKENING,
)
from .thickening import thickening

SMOOTH_S = FADE_S = 0.01
_OWN = PARAMS
FALL_S = 0.05  # how fast a told level falls
__all__ = ["LEVEL", "MAX_SLOTS", "MEMORY", "REDUCTION", "STATE", "run_chain"]


@njit(nogil=True, cache=True)
def _filters(sound, params, state, smooth):  # type: ignore[no-untyped-def]
    """Up to MAX_BANDS state-variable filters one after the other."""
    for i in range(sound.shape[1]):
        for k in range(1 + MAX_BANDS * BAND_NUMBERS):
            state[k] += smooth * (params[k] - state[k])
        left, right = float(sound[0, i]), float(sound[1, i])
        for b in range(MAX_BANDS):
            at = 1 + b * BAND_NUMBERS
            if params[at + 2] == 1.0 and params[at + 3] == 0.0 and params[at + 4] == 0.0 and (
                abs(state[at + 2] - 1.0) + abs(state[at + 3]) + abs(state[at + 4]) < 1e-6
            ):  # fmt: skip
                continue  # a band that does nothing
            g, damp = state[at], state[at + 1]
            a1 = 1.0 / (1.0 + g * (g + damp))
            for c in range(2):
                own = _OWN + 4 * b + 2 * c
                one, two = state[own], state[own + 1]
                x = left if c == 0 else right
                v3 = x - two
                v1 = a1 * one + g * a1 * v3
                v2 = two + g * a1 * one + g * g * a1 * v3
                state[own], state[own + 1] = 2.0 * v1 - one, 2.0 * v2 - two
                y = state[at + 2] * x + state[at + 3] * v1 + state[at + 4] * v2
                if c == 0:
                    left = y
                else:
                    right = y
        sound[0, i] += state[ON] * (left - sound[0, i])
        sound[1, i] += state[ON] * (right - sound[1, i])
    for k in range(_OWN, _OWN + 4 * MAX_BANDS):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0


@njit(nogil=True, cache=True)
def _gain(sound, params, state, smooth):  # type: ignore[no-untyped-def]
    for i in range(sound.shape[1]):
        for k in range(2):
            state[k] += smooth * (params[k] - state[k])
        gain = 10.0 ** (state[ON] * state[A_GAIN] / 20.0)
        sound[0, i] *= gain
        sound[1, i] *= gain


@njit(nogil=True, cache=True)
def _plug_in(sound, params, state, memory, smooth, sends, returns, answered):  # type: ignore[no-untyped-def]
    """What a plug-in made of the block before; where it has not answered, the same sound dry and as late. State:
    position, share of the plug-in, whether it answered."""
    at, share, n = int(state[_OWN]), state[_OWN + 1], sound.shape[1]
    place = int(params[P_PLACE])
    wait = n + int(params[P_LATENCY])
    sends[place] = sound
    there = answered[place] != 0.0
    if not there:
        share = 0.0  # there is nothing to fade out from
    state[_OWN + 2] = 1.0 if there else 0.0
    for i in range(n):
        if there:
            share += smooth * (params[ON] - share)
        for c in range(2):
            memory[c * RING + at] = sound[c, i]
            dry = memory[c * RING + (at - wait) % RING]
            sound[c, i] = dry + share * (returns[place, c, i] - dry) if there else dry
        at = (at + 1) % RING
    state[_OWN], state[_OWN + 1] = at, share


@njit(nogil=True, cache=True)
def _loudest(sound, before, fall):  # type: ignore[no-untyped-def]
    peak = before * fall
    for c in range(2):
        for i in range(sound.shape[1]):
            peak = max(peak, abs(sound[c, i]))
    return peak if peak > 1e-9 else 0.0


@njit(nogil=True, cache=True)
def _run(sound, codes, params, state, memory, rate, sends, returns, answered):  # type: ignore[no-untyped-def]
    smooth = 1.0 - math.exp(-1.0 / (SMOOTH_S * rate))
    fall = math.exp(-sound.shape[1] / (FALL_S * rate))
    for s in range(MAX_SLOTS):
        code = codes[s]
        if code == NOTHING:
            continue
        state[s, LEVEL] = _loudest(sound, state[s, LEVEL], fall)
        if code == NOISE:
            continue  # noise is taken out before, see `engine/step/noise.py`
        if code == GATE:
            gate(sound, params[s], state[s], smooth, rate)
        elif code == COMPRESSOR:
            compressor(sound, params[s], state[s], smooth, rate)
        elif code == FILTERS:
            _filters(sound, params[s], state[s], smooth)
        elif code == GAIN:
            _gain(sound, params[s], state[s], smooth)
        elif code == DE_ESSER:
            de_esser(sound, params[s], state[s], smooth, rate)
        elif code == LIMITER:
            limiter(sound, params[s], state[s], memory[s], smooth, rate)
        elif code == MULTIBAND:
            multiband(sound, params[s], state[s], smooth, rate)
        elif code == THICKENING:
            thickening(sound, params[s], state[s], memory[s], smooth, rate)
        elif code == PLUG_IN:
            _plug_in(sound, params[s], state[s], memory[s], smooth, sends, returns, answered)
    state[MAX_SLOTS, LEVEL] = _loudest(sound, state[MAX_SLOTS, LEVEL], fall)


@njit(nogil=True, cache=True)
def run_chain(  # type: ignore[no-untyped-def]
    sound, codes, params, running, frozen, state, memory, wet, rate, sends, returns, answered
):  # fmt: skip
    """In place on `sound` [2, n]. `codes` [MAX_SLOTS] and `params` [MAX_SLOTS, PARAMS] are wanted; `running` and `frozen`
    are what runs, `state` [MAX_SLOTS + 1, STATE] (the last row tells the level that goes out) and `memory`
    [MAX_SLOTS, MEMORY] its past, `wet` [1] its share. Plug-ins run beside it: `sends` and `returns` [MAX_PLUG_INS, 2, n]
    are what they get and gave, `answered` [MAX_PLUG_INS] which of them did.
    """
    same = True
    for s in range(MAX_SLOTS):
        same = same and running[s] == codes[s]
    if not same and wet[0] == 0.0:
        running[:] = codes
        state[:, :] = 0.0
        memory[:, :] = 0.0
        for s in range(MAX_SLOTS):
            state[s, :PARAMS] = params[s]
        same = True
    if same:
        frozen[:, :] = params
    n = sound.shape[1]
    step = 1.0 / (FADE_S * rate)
    if same and wet[0] == 1.0:
        _run(sound, running, frozen, state, memory, rate, sends, returns, answered)
        return
    dry = sound.copy()
    _run(sound, running, frozen, state, memory, rate, sends, returns, answered)
    for i in range(n):
        wet[0] = min(1.0, wet[0] + step) if same else max(0.0, wet[0] - step)
        share = 0.5 - 0.5 * math.cos(math.pi * wet[0])
        for c in range(2):
            sound[c, i] = dry[c, i] + share * (sound[c, i] - dry[c, i])
