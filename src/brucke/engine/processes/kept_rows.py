"""Rows of the recorder's ring and of the chain ring, counted as `region.record_rows` counts them, copied out before
they are written over."""

from ...ports.sounds.files import F32
from .region import Head, Region, record_frames, record_rows


class KeptRows:
    def __init__(self, region: Region):
        chained = region.sound("chain_ring")
        self._rings = region.sound("record_ring"), chained.reshape(-1, chained.shape[2])
        self._region, self._size, self._first = region, record_frames(region.shape), record_rows(region.shape)

    def copy(self, rows: list[int], frame: int, count: int) -> tuple[F32, int]:
        """(sound [rows, count], lost) of `rows`, which are of one ring, from `frame` on, not across its end; the first
        `lost` frames were written over while they were copied, and are silent."""
        chained, at = rows[0] >= self._first, frame % self._size
        sound: F32 = self._rings[chained][[r - self._first * chained for r in rows], at : at + count]
        # The engine is at most one block further than it has said.
        oldest = self._region.get(Head.RECORDED) + self._region.shape.block - self._size
        lost = min(count, max(0, oldest - frame))
        sound[:, :lost] = 0.0
        return sound, lost
