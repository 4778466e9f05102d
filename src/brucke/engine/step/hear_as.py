"""The headphones get another listener's own output in place of theirs, and nobody else notices.

It is taken before that listener's door: also a closed one can be listened to, and what goes out, is recorded or proven
stays what it was.
"""

import numpy as np

from ...core.sound.kernel_arguments import Guard
from ...core.sound.kernels import guard
from .plan import F32, I32, I64, Plan, Shape
from .safety import Word

MOVES_S = 0.01  # from one's own sound to theirs, and back
DIMMED = 0.1  # −20 dB


class HearAs:
    """`words` are those of `safety.py`. Half-and-half gives one's own sound to the left ear and theirs to the right."""

    def __init__(self, shape: Shape, words: I64):
        self._words, self._shape = words, shape
        self._step = shape.block / (MOVES_S * shape.rate)
        self._now = (0, 0, 0, 0)  # row + 1, tenant, monitors, half: what is heard or fades out
        self._share, self._dim = 0.0, 1.0
        count = shape.listeners
        self._envelope, self._bad = np.zeros((count, 1)), np.zeros(count, np.int64)
        self._over = np.zeros(count, np.float32)

    def put(self, out: F32, outs: F32, plan: Plan, may: bool) -> None:
        """Into `out` [L, C, n], what goes to the devices; `outs` [L, C, n] is what everybody gets before their doors,
        `may` is False while something else is in the headphones."""
        self._hear(out, outs, plan, may)
        self._dim_them(out)

    def _dim_them(self, out: F32) -> None:
        """The monitors alone, while something howls through them."""
        before, wanted = self._dim, DIMMED if self._words[Word.DIM] else 1.0
        if before == wanted == 1.0:
            return
        self._dim = min(max(wanted, before - self._step), before + self._step)
        ramp = np.linspace(before, self._dim, self._shape.block + 1, dtype=np.float32)[1:]
        for x in range(self._shape.listeners):
            if int(self._words[Word.MONITORS]) >> x & 1:
                out[x] *= ramp

    def _hear(self, out: F32, outs: F32, plan: Plan, may: bool) -> None:
        words = self._words
        wanted = tuple(int(words[w]) for w in (Word.HEAR_ROW, Word.HEAR_TENANT, Word.MONITORS, Word.HEAR_HALF))
        if not wanted[0] and not self._share:
            return
        may = may and self._sits(wanted, plan)
        if not self._share and may:
            self._now = wanted  # type: ignore[assignment]
        before = self._share
        target = 1.0 if may and wanted == self._now else 0.0
        self._share = min(max(target, before - self._step), before + self._step)
        if not before and not self._share:
            return
        row, _tenant, monitors, half = self._now
        rows: I32 = np.array([x for x in range(self._shape.listeners) if monitors >> x & 1], np.int32)
        ramp = np.linspace(before, self._share, self._shape.block + 1, dtype=np.float32)[1:]
        theirs = outs[row - 1, :2] if outs[row - 1, 1].any() else outs[row - 1, [0, 0]]
        for x in rows:
            own = out[x, :2]
            heard = np.stack([own.mean(axis=0), theirs.mean(axis=0)]) if half else theirs
            out[x, :2] = own * (1 - ramp) + heard * ramp
        guard(out, rows, float(self._shape.rate), *Guard(plan.ceiling, self._envelope, self._bad, self._over))

    @staticmethod
    def _sits(wanted: tuple[int, ...], plan: Plan) -> bool:
        """Whether that listener is still in its row."""
        row, tenant = wanted[0], wanted[1]
        return 0 < row <= len(plan.listener_tenants) and int(plan.listener_tenants[row - 1]) == tenant != 0
