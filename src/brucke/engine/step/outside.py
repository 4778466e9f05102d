"""Steps outside, beside the block path: what came back goes to the chains, what they send goes to its row; and whether
anything comes back at all."""

import numpy as np
import numpy.typing as npt

from ...core.sound.kernel_arguments import PlugInBlocks
from ...core.sound.processors.outside_step import FIRST_PLACE, MAX_OUTSIDE
from .plan import F32, I32

ROW, LEFT, RIGHT, SEND_DEVICE, RETURN_DEVICE, PART = range(6)  # of a row of `Plan.outside`
# So loud it goes out, and so much at least comes back.
LOUD, NOTHING = np.float32(10 ** (-36 / 20)), np.float32(10 ** (-66 / 20))
SILENT_S, BACK_S = 0.1, 0.02  # so long nothing came back, or something did again
# What is told of each.
UNUSED, HEARD, NO_RETURN, GONE = range(4)


class OutsideSteps:
    """`state` [MAX_OUTSIDE] is one of the four words above; `blocks` [MAX_OUTSIDE, 2, n] hold the newest block, as it
    went out and as it came back, on one channel each."""

    def __init__(self, block: int, rate: int):
        self._n, self._rate = block, rate
        self.state = np.zeros(MAX_OUTSIDE, np.int64)
        self.blocks = np.zeros((MAX_OUTSIDE, 2, block), np.float32)
        self._quiet = np.zeros(MAX_OUTSIDE)  # seconds for which what goes out did not come back
        self._again = np.zeros(MAX_OUTSIDE)
        self._rows: list[tuple[int, ...]] = []
        self._of: I32 | None = None

    @property
    def places(self) -> list[tuple[int, ...]]:
        """(place, row, left capture, right capture, device it goes to, device it comes from, part) of those in use."""
        return self._rows

    def adopt(self, outside: I32) -> None:
        """A plan's, looked at once."""
        if outside is self._of:
            return
        self._of = outside
        self._rows = [(k, *(int(v) for v in row)) for k, row in enumerate(outside) if row[ROW] >= 0]
        used = {row[0] for row in self._rows}
        for k in range(MAX_OUTSIDE):
            if k not in used:
                self.state[k], self._quiet[k], self._again[k] = UNUSED, 0.0, 0.0
            elif self.state[k] == UNUSED:
                self.state[k] = HEARD

    def take(self, ins: F32, missing: npt.NDArray[np.generic] | None, beside: PlugInBlocks) -> None:
        """Before the chains run: captures [captures, n] to whoever waits for them."""
        for k, _row, left, right, send, back, _part in self._rows:
            came = beside.returns[FIRST_PLACE + k]
            came[0], came[1] = ins[left], ins[right]
            if not np.isfinite(came).all():
                came[:] = 0.0
            self.blocks[k, 1] = came[0] + came[1]
            if missing is not None and (missing[send] or missing[back]):
                self.state[k] = GONE
            elif self.state[k] == GONE:
                self.state[k] = NO_RETURN  # until something comes back
            beside.answered[FIRST_PLACE + k] = self.state[k] == HEARD

    def give(self, beside: PlugInBlocks, outs: F32, level: F32) -> None:
        """After the chains ran: what they sent goes out in its row of `outs` [L, C, n]. `level` [2, P] is what a mute
        leaves of each part at the beginning and at the end of the block: of what is muted nothing goes out here either.
        """
        for k, row, *_ends, part in self._rows:
            outs[row] = 0.0
            sent = np.clip(beside.sends[FIRST_PLACE + k], -1.0, 1.0)
            if part >= 0 and not level[0, part] == level[1, part] == 1.0:
                sent = sent * np.linspace(level[0, part], level[1, part], self._n, dtype=np.float32)
            outs[row, :2] = sent

    def look(self, outs: F32) -> None:
        """With what really went out: whether it comes back."""
        seconds = self._n / self._rate
        for k, row, *_rest in self._rows:
            self.blocks[k, 0] = outs[row, 0] + outs[row, 1]
            sent, came = np.abs(self.blocks[k]).max(axis=1)
            if came > NOTHING:
                self._quiet[k] = 0.0
                self._again[k] += seconds
                if self.state[k] == NO_RETURN and self._again[k] > BACK_S:
                    self.state[k] = HEARD
            else:
                self._again[k] = 0.0
                # What went out a round trip ago is still on its way; a pause in between counts for neither.
                self._quiet[k] += seconds if sent > LOUD else 0.0
                if self.state[k] == HEARD and self._quiet[k] > SILENT_S:
                    self.state[k] = NO_RETURN
