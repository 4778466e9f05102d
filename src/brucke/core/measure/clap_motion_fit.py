"""The way of clapping hands, from how unlike any two pictures around the clap are: when do they meet?

How they come (how long, and as quickly as before or ever more slowly), how fast they leave, and how unlikeness grows
with the way between two pictures are not known. So every way of a grid is tried; for each the growth that fits best is
found by linear least squares, and the moment is the mean over all ways, each counted by how well it explains what was
seen. The best way alone would follow whatever no way of the grid describes.
"""

from collections.abc import Sequence
from itertools import product

import msgspec
import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
LEAST_PICTURES = 5
MORE = 1.3  # so many times as unlike as the most alike ones some are, where more than noise moves
BENDS = (0.05, 0.2)  # of the whole way, where unlikeness may begin to grow more slowly
# Of the greatest unlikeness: pairs that are less unlike count equally, others the less the more unlike they are.
NEAR, NEAR_ROUGHLY = 0.1, 0.5
MOMENTS_S = np.arange(-0.1, 0.1001, 0.01)
COMING_S = (0.08, 0.1, 0.125, 0.15, 0.18, 0.22, 0.27)
RESTING_S = (0.0, 0.07, 0.14)  # together, before they leave again
LEAVING = (0.03, 0.1, 0.2, 0.32, 0.5, 0.8, 1.25)  # as fast as they came, times so much
SLOWING = (-0.5, 0.2, 0.6, 1.0)  # from faster and faster to standing still when they meet
MOST_SLOWING_RESTED = 0.2
RESTS = 0.1  # who leaves no faster than that is seen to rest
INDEPENDENT = 12  # pairs count as that many that know nothing of each other
LEAST_LEFT = 0.01  # of the unlikeness that even the best way may leave unexplained


class Grid(msgspec.Struct, frozen=True):
    """Every way at every moment, each [n]."""

    moment_s: F64
    coming_s: F64
    leaving: F64
    slowing: F64
    resting_s: F64

    @classmethod
    def of(cls, *axes: Sequence[float] | F64) -> "Grid":
        ways = np.array(list(product(*axes)))
        # Who slows down until they stand still cannot be told from who rests, and hands that meet are stopped by one
        # another.
        return cls(*ways[(ways[:, 4] == 0) | (ways[:, 3] <= MOST_SLOWING_RESTED)].T)

    @classmethod
    def rough(cls) -> "Grid":
        """To find out where to look closely."""
        return cls.of(np.arange(-0.15, 0.1501, 0.015), (0.09, 0.15, 0.25), (0.03, 0.3, 1.0), (0.2, 0.8), (0.0, 0.12))

    @classmethod
    def around(cls, moment_s: float) -> "Grid":
        return cls.of(moment_s + MOMENTS_S, COMING_S, LEAVING, SLOWING, RESTING_S)

    def way(self, times_s: F64) -> F32:
        """How far from meeting they are at each of the times, 0 to 1: [m, n]."""
        before = (self.moment_s - times_s[:, None]).astype(np.float32)
        coming, leaving, slowing = (x.astype(np.float32) for x in (self.coming_s, self.leaving, self.slowing))
        come = np.clip(before / coming, 0, 1)
        gone = np.maximum(-before - self.resting_s.astype(np.float32), 0)
        way = np.where(before > 0, come * (1 - slowing + slowing * come), np.clip(gone * leaving / coming, 0, 1))
        return np.asarray(way, np.float32)


def unexplained(grid: Grid, times_s: F64, unlike: F32, near: float = NEAR) -> F64:
    """The share of the unlikeness [m, m] of pictures at `times_s` [m] that each way leaves unexplained, [n], 0 to 1;
    all of it where too few or none differ."""
    first, second = np.triu_indices(len(times_s), 1)
    seen = unlike[first, second]
    least = float(np.quantile(seen, 0.02)) if len(times_s) >= LEAST_PICTURES else np.inf
    if seen.max(initial=0.0) <= MORE * least:
        return np.ones(len(grid.moment_s))
    weight = 1 / (np.maximum(seen - least, 0) + near * (seen.max() - least) + 1e-6)
    weight /= np.sqrt((weight * weight).sum())
    square = weight * weight
    seen = (seen - square @ seen) * weight
    seen /= np.sqrt(seen @ seen) + 1e-12
    way = grid.way(times_s)
    apart = np.abs(way[first] - way[second])
    apart *= weight[:, None]
    grows = [apart, *(np.minimum(apart, (bend * weight)[:, None]) for bend in BENDS)]
    middle, with_seen = np.stack([np.stack([weight, seen]) @ g for g in grows], axis=2)
    gram = np.array([[np.einsum("pn,pn->n", a, b) for a in grows] for b in grows]).transpose(2, 0, 1)
    gram = gram - middle[:, :, None] * middle[:, None, :]
    steady = 1e-4 * np.trace(gram, axis1=1, axis2=2) / len(grows) + 1e-12
    return np.asarray(1 - _explained(gram + steady[:, None, None] * np.eye(len(grows)), with_seen))


def _explained(gram: F64, with_seen: F64) -> F64:
    """sᵀG⁻¹s of each [n, k, k] and [n, k], by elimination over all n at once: k is three, and a general solver takes
    ten times as long."""
    gram, rest, total = gram.copy(), with_seen.copy(), np.zeros(len(gram))
    for i in range(gram.shape[1]):
        total += rest[:, i] ** 2 / gram[:, i, i]
        for j in range(i + 1, gram.shape[1]):
            share = gram[:, j, i] / gram[:, i, i]
            rest[:, j] -= share * rest[:, i]
            gram[:, j, i + 1 :] -= share[:, None] * gram[:, i, i + 1 :]
    return total


class Meeting(msgspec.Struct, frozen=True):
    """The mean moment over all ways and how far they lie from it (σ), that of the best one, and how surely hands rested
    once they had met (0 to 1)."""

    moment_s: float
    best_s: float
    rested: float
    spread_s: float


def meeting(grid: Grid, left: list[F64]) -> Meeting:
    """When hands meet, from what each of several claps of the same hands leaves unexplained: `left` is one array [n] a
    clap, of every way at every moment of `grid`. Returns the mean over all, each counted by how well it explains the
    pictures."""
    # Several are no surer than one: what no way describes, all have in common.
    likely = -INDEPENDENT / 2 * np.mean([np.log(np.maximum(x, LEAST_LEFT)) for x in left], axis=0)
    chance = np.exp(likely - likely.max())
    chance /= chance.sum()
    best = float(grid.moment_s[int(np.argmax(likely))])
    mean = float(chance @ grid.moment_s)
    spread = float(np.sqrt(chance @ (grid.moment_s - mean) ** 2))
    return Meeting(mean, best, float(chance @ (grid.leaving <= RESTS)), spread)
