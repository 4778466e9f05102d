"""What every processor of a chain is: frozen data with the trade's parameters, their ranges, what it costs, what it
turns them into for its kernel, and what can be drawn of it.

A kernel is a plain function of sound float32 [2, n], changed in place; its parameters float32 [PARAMS], of which the
first is `on`; its state float64 [STATE], whose first PARAMS numbers are the parameters as they are smoothed and the
rest its own; a memory float64 [MEMORY]; the share `smooth` by which a parameter comes nearer with each frame; the rate
in Hz; and what plug-ins are sent and gave (`chain.run_chain`). It is compiled by whoever runs chains, with the helpers
it calls; nothing here imports a compiler, so the window can use it.
"""

from collections.abc import Callable
from typing import Any, ClassVar, Literal, TypeVar

import msgspec
import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
Kernel = Callable[..., None]
MAX_SLOTS = 8
MAX_PLUG_INS = 8  # in a whole setup
PARAMS = 32
ON = 0  # the first number of every processor: 1 or 0, smoothed like all others
RING = 4096  # frames that a slot can remember of each channel up to 50 kHz
MEMORY = 2 * 4 * RING  # four times as much at 192 kHz: what is not needed is never touched
STATE = 80
OWN = PARAMS  # where a processor's own numbers begin in its state
# What a slot tells: the level in front of it, 0…1 and falling, and the reductions of up to three bands, in dB.
LEVEL, REDUCTION = STATE - 4, STATE - 3


class Range(msgspec.Struct, frozen=True):
    """What a parameter may be; what is outside never reaches the engine."""

    low: float
    high: float
    unit: str


class Ranged(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """Parameters, each within its range."""

    RANGES: ClassVar[dict[str, Range]] = {}


def held(thing: Ranged, field: str) -> float:
    """A parameter within its range."""
    r = thing.RANGES[field]
    return min(max(float(getattr(thing, field)), r.low), r.high)


class Tells(msgspec.Struct, frozen=True):
    """What there is to see while it runs: the sound's `spectrum`, a `histogram` of its levels, its `level` on the
    curve, the levels on `both sides`; `reductions`, how many it tells; whether its `threshold_db` is marked."""

    moves: Literal["", "spectrum", "histogram", "level", "both sides"] = ""
    reductions: int = 0
    threshold: bool = False


class ProcessorBase(Ranged, frozen=True, kw_only=True, tag_field="kind"):
    """`CHOICES` are parameters that are one of a few; what is neither there nor in `RANGES` is asked for elsewhere."""

    CHOICES: ClassVar[dict[str, tuple[int, ...]]] = {}
    TELLS: ClassVar[Tells] = Tells()
    kernel: ClassVar[Kernel | None] = None  # None: it runs before the chain

    on: bool = True

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        """What stands in a kernel's parameters from place 1 on; nothing where it is only on or off."""
        return ()

    def costs_frames(self, block: int) -> int:
        """What it costs, at any rate. What is off goes on costing it, so that switching never moves the sound in
        time."""
        return 0

    def response_db(self, hz: F64, rate_hz: float) -> F64 | None:
        """What it does to each frequency of `hz` [n], in dB [n]; None where that is no matter of frequency."""
        return None

    def level_out_db(self, into_db: F64) -> F64 | None:
        """The level in dB [n] that goes out for steady levels `into_db` [n] that come in; None where that is no matter
        of level."""
        return None

    def edges_hz(self) -> tuple[float, ...]:
        """Where its bands meet."""
        return ()

    def copies(self) -> tuple[tuple[float, float], ...]:
        """(later by ms, level in dB) of the sound each time it is heard; none where that is once."""
        return ()


HELPERS: list[Callable[..., Any]] = []
F = TypeVar("F", bound=Callable[..., Any])


def helper(function: F) -> F:
    """Marks what kernels call, so that it is compiled with them."""
    HELPERS.append(function)
    return function


@helper
def ring(rate: float) -> int:
    """Frames that a slot remembers of each channel, about as long at every rate."""
    return RING if rate <= 50_000.0 else 2 * RING if rate <= 100_000.0 else 4 * RING


@helper
def over(db: float, threshold: float, ratio: float, knee: float) -> float:
    """How many decibels a level is to be reduced by: static curve with a soft knee, Giannoulis, Massberg & Reiss
    2012."""
    above = db - threshold
    slope = 1.0 - 1.0 / ratio
    if 2.0 * above <= -knee:
        return 0.0
    if 2.0 * above < knee:
        return slope * (above + knee / 2.0) ** 2 / (2.0 * knee)
    return slope * above


def reduction_db(level_db: F64, threshold: float, ratio: float, knee: float) -> F64:
    """By how many dB levels `level_db` [n] are held back above `threshold` by `ratio` with a soft `knee`. Returns
    [n]."""
    return np.array([over(x, threshold, ratio, knee) for x in level_db], np.float64)
