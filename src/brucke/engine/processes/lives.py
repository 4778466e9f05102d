"""The log of lives in the region: when an engine began there, or went on after it stood still, and what is missing
before.

Append-only, written by the engine in charge only. Frames of the recorder's ring and blocks to and from the outside go
on with time over a gap, and what lies in it is silence. So one number tells the same moment to the recorder, to takes
and to the world outside.
"""

from enum import IntEnum
from typing import NamedTuple

import numpy as np

from .region import MOST_LIVES, Head, Region


class Why(IntEnum):
    """What the log calls the beginning of a life."""

    BEGAN = 1  # the first engine
    REPLACED = 2  # the one before had ended, or was ended because it hung
    STOOD_STILL = 3  # the same engine, after it gave nothing for a while


class Life(NamedTuple):
    """`ended` is the frame with which what was before ended, `first` the one with which this goes on, at
    `monotonic_ns`."""

    ended: int
    first: int
    monotonic_ns: int
    why: int

    @property
    def gap(self) -> int:
        """Frames in between that are not there."""
        return self.first - self.ended


def lives(region: Region, since: int = 0) -> list[Life]:
    """The entries from number `since` on."""
    rows = region["lives"][since : region.get(Head.LIVES)].tolist()
    return [Life(*row) for row in rows]


def go_on(region: Region, why: Why, blocks: int, now_ns: int) -> None:
    """Begin a life `blocks` blocks after what was there: the gap is silent in the rings and stands in the log before
    anybody can see frames behind it. Where the log is full the gap is silent all the same."""
    ended = region.get(Head.RECORDED)
    first = ended + blocks * region.shape.block
    count = region.get(Head.LIVES)
    if count < MOST_LIVES:
        region["lives"][count] = (ended, first, now_ns, why)
        region.set(Head.LIVES, count + 1)
    leave_out(region, blocks)


def leave_out(region: Region, blocks: int) -> None:
    """So many blocks are missing and are silent in the rings; too few to begin anew for."""
    ended, frames = region.get(Head.RECORDED), blocks * region.shape.block
    for name in ("record_ring", "chain_ring"):
        _silence(region.sound(name), ended, ended + frames)
    region.set(Head.GAPS, region.get(Head.GAPS) + frames)
    region.set(Head.RECORDED, ended + frames)


def _silence(ring: np.ndarray, begin: int, end: int) -> None:
    """Frames `begin` to `end` of a ring along its last axis."""
    size = ring.shape[-1]
    if end - begin >= size:
        ring[:] = 0.0
        return
    a, b = begin % size, end % size
    if a <= b:
        ring[..., a:b] = 0.0
    else:
        ring[..., a:] = 0.0
        ring[..., :b] = 0.0
