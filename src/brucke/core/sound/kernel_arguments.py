"""The arrays that go to the kernels together, by name, with their types for the compiler.

A caller writes `mix(ring, pos, *routes_before, *routes_after, …)`. The kernels themselves take the arrays one by one:
numba looks at every array of a named tuple again in every call, which costs 0.2 µs each, and a block has a hundred.
"""

from typing import NamedTuple

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
I32 = npt.NDArray[np.int32]
I64 = npt.NDArray[np.int64]


class Inputs(NamedTuple):
    """Where each part comes from: capture rows [P, SIDES], −1 for none, and trims [P]."""

    source: I32
    trim: F32


class Routes(NamedTuple):
    """`delay`, `source` (0 dry, 1 processed), `past` (1 passes the listener's chain by) [L, P]; linear `gain` [L, P,
    SIDES, C]."""

    delay: I32
    source: I32
    past: I32
    gain: F32


class Chains(NamedTuple):
    """Chains of parts or listeners: wanted `codes` [K, slots] and `params` [K, slots, numbers]; what runs, the numbers
    it fades out with, what it remembers, and how much of it is heard."""

    codes: I32
    params: F32
    running: I32
    frozen: F32
    state: F64
    memory: F64
    wet: F64


class PlugInBlocks(NamedTuple):
    """Sound to [places, 2, n] and from plug-ins in processes of their own; `answered` [places] is 1 where one is in
    time."""

    sends: F32
    returns: F32
    answered: F64


class Guard(NamedTuple):
    """`ceiling` [L], linear; `envelope` [L, 1] of what is held; `bad` [L] counts sums that were no numbers, `over` [L]
    keeps the highest."""

    ceiling: F32
    envelope: F64
    bad: I64
    over: F32


class Meters(NamedTuple):
    """Peak and mean square of parts [P, SIDES, 2] and listeners [L, C, 2]; what processors tell [P + L, slots,
    numbers]; of captures [captures] the loudest sample and how often it was full scale; the highest sums [L]."""

    parts: F32
    outs: F32
    readings: F32
    peaks: F32
    clips: I64
    sums: F32


INPUTS = "int32[:, ::1], float32[::1]"
ROUTES = "int32[:, ::1], int32[:, ::1], int32[:, ::1], float32[:, :, :, ::1]"
CHAIN_MEMORY = "int32[:, ::1], float32[:, :, ::1], float64[:, :, ::1], float64[:, :, ::1]"
CHAINS = f"int32[:, ::1], float32[:, :, ::1], {CHAIN_MEMORY}, float64[:, ::1]"
PLUG_IN_BLOCKS = "float32[:, :, ::1], float32[:, :, ::1], float64[::1]"
GUARD = "float32[::1], float64[:, ::1], int64[::1], float32[::1]"
METERS = "float32[:, :, ::1], float32[:, :, ::1], float32[:, :, ::1], float32[::1], int64[::1], float32[::1]"
