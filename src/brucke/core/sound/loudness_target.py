"""The gain that brings a sound to a loudness, found by running its chain: behind a limiter a decibel is no decibel."""

import numpy as np
import numpy.typing as npt
from msgspec.structs import replace

from .chain import run_chain
from .chain_parameters import latency_frames, pack
from .loudness import PowerSteps, integrated_lufs
from .processors import Gain, Processor
from .processors.base import MAX_SLOTS, MEMORY, STATE
from .processors.outside_step import PLACES

F32 = npt.NDArray[np.float32]
BLOCK = 1024
SETTLES_S = 1.0  # left out at the beginning, where the chain does not know yet what was before
TURNS = 12
CLOSE_LU = 0.05


def through(chain: tuple[Processor, ...], sound: F32, rate_hz: int) -> F32:
    """Sound [2, frames] through a chain without noise removal, as the engine runs it."""
    codes, params = pack(chain, rate_hz)
    state, memory, wet = np.zeros((MAX_SLOTS + 1, STATE)), np.zeros((MAX_SLOTS, MEMORY)), np.ones(1)
    state[:MAX_SLOTS, : params.shape[1]] = params
    # Plug-ins are not there: they are as late, and dry.
    beside, answered = np.zeros((2, PLACES, 2, BLOCK), np.float32), np.zeros(PLACES)
    running, frozen, out = codes.copy(), params.copy(), sound.copy()
    for at in range(0, out.shape[1], BLOCK):
        work = np.zeros((2, BLOCK), np.float32)
        piece = out[:, at : at + BLOCK]
        work[:, : piece.shape[1]] = piece
        run_chain(
            work, codes, params, running, frozen, state, memory, wet, float(rate_hz), beside[0], beside[1], answered
        )
        piece[:] = work[:, : piece.shape[1]]
    return out


def loudness_of(sound: F32, rate_hz: int) -> float:
    """Integrated loudness of `sound` [channels, frames] after ITU-R BS.1770, in LUFS, without its first SETTLES_S."""
    steps = PowerSteps(rate_hz, sound.shape[0])
    steps.push(sound[:, round(SETTLES_S * rate_hz) :])
    return integrated_lufs(steps.powers)


def gain_for_target(
    into: F32, heard: F32, chain: tuple[Processor, ...], now: tuple[Processor, ...], slot: int, rate_hz: int,
    target_lufs: float,
) -> tuple[float, float]:  # fmt: skip
    """(gain of the processor in `slot` of `chain`, the loudness that it reaches).

    `into` [2, frames] is what went into the chain `now`, `heard` what came out together with what passed it by; that
    rest stays as it is. −∞ where nothing was loud enough.
    """
    past = heard - through(now, into, rate_hz)
    wait = latency_frames(chain, BLOCK) - latency_frames(now, BLOCK)
    past = np.roll(past, wait, axis=1)

    def reached(gain_db: float) -> float:
        changed = replace(chain[slot], gain_db=gain_db)
        return loudness_of(through((*chain[:slot], changed, *chain[slot + 1 :]), into, rate_hz) + past, rate_hz)

    low, high = Gain.RANGES["gain_db"].low, Gain.RANGES["gain_db"].high
    gain, found = 0.0, reached(0.0)
    for _ in range(TURNS):
        if not np.isfinite(found) or abs(found - target_lufs) < CLOSE_LU:
            break
        # Louder in is never softer out: halve what is left, but begin with what would do without a limiter.
        low, high = (gain, high) if found < target_lufs else (low, gain)
        straight = gain + target_lufs - found
        gain = straight if low < straight < high else (low + high) / 2
        found = reached(gain)
    return round(gain, 1), found
