"""What is kept of the pictures of a film: how light each part of them is, how much it moves, and the pictures around
what sounds.

A picture is looked at in small (about 160 × 90) and in blocks of a sixteenth by a ninth of it.
"""

import msgspec
import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
I64 = npt.NDArray[np.int64]
U8 = npt.NDArray[np.uint8]
ACROSS, DOWN = 16, 9
ROUNDED = 0.03


class VideoFeatures(msgspec.Struct, frozen=True):
    """times_s [n], rising; light, moved [n, blocks] 0 to 255: mean brightness, and mean difference to the picture
    before; near [m, height, width] the small pictures of the indices `which` [m], rising. `size` is (width, height) of
    the film's own pictures, `columns` how many blocks stand beside one another."""

    times_s: F64
    light: F32
    moved: F32
    near: U8
    which: I64
    size: tuple[int, int]
    columns: int = ACROSS

    @property
    def period_s(self) -> float:
        """The usual time from one picture to the next: the mean, where stamps are only rounded, else the middle one."""
        if len(self.times_s) < 2:
            return 0.0
        steps = np.diff(self.times_s)
        middle, mean = float(np.median(steps)), float(steps.mean())
        return mean if abs(mean - middle) < ROUNDED * middle else middle

    def around(self, at_s: float, reach_s: float) -> tuple[F64, U8]:
        """(times, small pictures) of those that were kept within `reach_s`."""
        times = self.times_s[self.which]
        inside = np.abs(times - at_s) <= reach_s
        return times[inside], self.near[inside]


def blocks_of(pictures: U8) -> F32:
    """Mean of each block of [k, height, width], shape [k, blocks]; what is left over at right and below is not
    counted."""
    count, height, width = pictures.shape
    down, across = max(1, height // DOWN), max(1, width // ACROSS)
    rows, columns = min(DOWN, height // down), columns_of(pictures)
    whole = pictures[:, : rows * down, : columns * across].reshape(count, rows, down, columns, across)
    # Whole numbers, down first: several times as fast as a mean over two axes.
    sums = whole.sum(axis=2, dtype=np.uint16).sum(axis=3, dtype=np.uint32)
    return np.asarray(sums.reshape(count, rows * columns) / np.float32(down * across), np.float32)


def columns_of(pictures: U8) -> int:
    """How many blocks stand beside one another in `pictures` [pictures, rows, columns]."""
    width = int(pictures.shape[2])
    return min(ACROSS, width // max(1, width // ACROSS))


def pixels_of(pictures: U8, blocks: I64) -> U8:
    """The pixels of those blocks, shape [k, pixels]."""
    count, height, width = pictures.shape
    down, across = max(1, height // DOWN), max(1, width // ACROSS)
    columns = columns_of(pictures)
    pieces = [
        pictures[:, b // columns * down : (b // columns + 1) * down, b % columns * across : (b % columns + 1) * across]
        for b in blocks
    ]
    return np.concatenate([p.reshape(count, -1) for p in pieces], axis=1)
