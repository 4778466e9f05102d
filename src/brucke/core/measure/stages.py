"""Separate stages from measured paths: least squares over the paths that share them, and what cannot be told apart.

Conventions: seconds; a path is the sum of its stages; ± are half-widths of 95 %. Weighted linear least squares by the
singular value decomposition (Golub and Van Loan, Matrix Computations, section 5.5); where a combination of stages
changes no path, all of them can be shifted along it and nothing tells how far, but that none takes less than nothing:
the middle of what is left is taken. Where the paths contradict one another beyond their ±, every ± grows by Birge's
ratio (Birge 1932).
"""

from collections.abc import Mapping, Sequence

import msgspec
import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
LEAST_PLUS_MINUS_S = 1e-9
NONE = 1e-9
CONTRADICTS = 0.001  # so seldom would paths that belong together be so far apart


class MeasuredPath(msgspec.Struct, frozen=True):
    name: str
    stages: tuple[str, ...]
    seconds: float
    plus_minus_s: float


class FoundStage(msgspec.Struct, frozen=True):
    """`by` is what the ± of each path adds to its own, signed; `open_s` how far it may be shifted either way, together
    with `tied`: those that only have a known sum with it, or a known difference to it. `group` names all of these."""

    seconds: float
    by: Mapping[str, float]
    open_s: float = 0.0
    tied: tuple[str, ...] = ()
    sign: float = 1.0
    group: str = ""

    @property
    def plus_minus_s(self) -> float:
        return float(np.sqrt(sum(w * w for w in self.by.values()) + self.open_s**2))


class FoundStages(msgspec.Struct, frozen=True):
    """`spread` is Birge's ratio, 1 where nothing contradicts; `contradicts` the paths that fit worst where chance does
    not explain it."""

    of: Mapping[str, FoundStage] = {}
    spread: float = 1.0
    contradicts: tuple[str, ...] = ()


def find_stages(paths: Sequence[MeasuredPath]) -> FoundStages:
    """What every stage takes. A stage may occur twice in a path."""
    names = list(dict.fromkeys(s for p in paths for s in p.stages))
    if not names:
        return FoundStages()
    matrix = np.array([[p.stages.count(s) for s in names] for p in paths], dtype=np.float64)
    widths = np.maximum([p.plus_minus_s for p in paths], LEAST_PLUS_MINUS_S)
    values = np.array([p.seconds for p in paths])
    gains = np.linalg.pinv(matrix / widths[:, None]) / widths[None, :]
    solved = gains @ values
    left = (values - matrix @ solved) / widths
    spread, contradicts = _fit(left, matrix, [p.name for p in paths])
    free = _free(matrix)
    found = {}
    shifts, opens = np.zeros(len(names)), np.zeros(len(names))
    for direction in free:
        low, high = _room(solved + shifts, direction)
        shifts += direction * (low + high) / 2
        opens += direction * (high - low) / 4  # half of what is possible: common practice for what is somewhere within
    for i, name in enumerate(names):
        by = {p.name: float(gains[i, k] * widths[k] * spread) for k, p in enumerate(paths) if abs(gains[i, k]) > NONE}
        tied = _tied(i, names, free)
        found[name] = FoundStage(
            float(solved[i] + shifts[i]), by, abs(float(opens[i])), tied, float(np.sign(opens[i]) or 1.0),
            min((name, *tied))
        )  # fmt: skip
    return FoundStages(found, spread, contradicts)


def _fit(left: F64, matrix: F64, names: list[str]) -> tuple[float, tuple[str, ...]]:
    spare = len(left) - int(np.linalg.matrix_rank(matrix))
    if spare < 1:
        return 1.0, ()
    square = float(np.sum((left * 1.96) ** 2))
    spread = max(1.0, (square / spare) ** 0.5)
    # The 99.9th percentile of a chi-square by Wilson and Hilferty (1931), so that the window needs no SciPy.
    limit = spare * (1 - 2 / (9 * spare) + 3.0902 * (2 / (9 * spare)) ** 0.5) ** 3
    if square <= limit:
        return spread, ()
    worst = np.argsort(-np.abs(left))[:2]
    return spread, tuple(names[k] for k in sorted(worst))


def _free(matrix: F64) -> list[F64]:
    """Directions that change no path, each of one connected set of stages where these can be told apart, scaled to a
    largest step of 1."""
    groups: list[set[int]] = []
    for row in matrix:
        touched = set(np.flatnonzero(row).tolist())
        joined = [g for g in groups if g & touched]
        groups = [g for g in groups if not g & touched] + [touched.union(*joined)]
    found = []
    for group in groups:
        columns = sorted(group)
        part = matrix[:, columns]
        _u, sizes, rows = np.linalg.svd(part)
        rank = int(np.sum(sizes > 1e-9 * sizes[0]))
        for row in rows[rank:]:
            whole = np.zeros(matrix.shape[1])
            whole[columns] = np.where(np.abs(row) < 1e-9, 0.0, row) / np.max(np.abs(row))
            found.append(whole)
    return found


def _room(values: F64, direction: F64) -> tuple[float, float]:
    """How far one can go along the direction until a stage would take less than nothing."""
    up, down = direction > NONE, direction < -NONE
    low = max((-values[up] / direction[up]).tolist(), default=0.0)
    high = min((-values[down] / direction[down]).tolist(), default=0.0)
    if low > high:  # no way to have all of them not below nothing: as near as can be
        low = high = (low + high) / 2
    return low, high


def _tied(i: int, names: list[str], free: list[F64]) -> tuple[str, ...]:
    with_it = {k for d in free if abs(d[i]) > NONE for k in np.flatnonzero(np.abs(d) > NONE).tolist()} - {i}
    return tuple(names[k] for k in sorted(with_it))


def worth_measuring(paths: Sequence[MeasuredPath], possible: Sequence[tuple[str, ...]]) -> list[tuple[str, ...]]:
    """Of the paths that could be measured, those that would tell something new of the stages known so far."""
    names = list(dict.fromkeys([s for p in paths for s in p.stages] + [s for p in possible for s in p]))

    def rank(rows: list[tuple[str, ...]]) -> int:
        return int(np.linalg.matrix_rank(np.array([[r.count(s) for s in names] for r in rows] or [[0] * len(names)])))

    stages = [p.stages for p in paths]
    known = {s for p in paths for s in p.stages}
    before = rank(stages)
    # What only brings in stages of its own tells nothing of these.
    return [p for p in possible if rank([*stages, p]) > before and set(p) <= known]
