"""Cycles of any length as whole blocks. NumPy only."""

import math
from collections.abc import Callable

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]


class BlockQueue:
    """A block reads `come` [inputs, n] and puts what goes out in place of `go` [outputs, n]. What goes out of a cycle
    is `wait` = n − gcd(n, cycle) frames later than it came, the least there can be; nothing where a cycle is so many
    whole blocks. A cycle of another length begins anew, with silence."""

    def __init__(self, inputs: int, outputs: int, block: int):
        self.n = block
        self.come, self.go = np.zeros((inputs, block), np.float32), np.zeros((outputs, block), np.float32)
        self.wait = 0
        self._cycle = 0
        self._left_in, self._left_out = self.come[:, :0], self.go[:, :0]

    def run(self, come: F32, go: F32, block: Callable[[], bool]) -> bool:
        """One cycle: `come` [inputs, cycle] in, `go` [outputs, cycle] out. False, and silence, where a block was the
        last."""
        cycle = go.shape[1]
        if cycle != self._cycle:
            self._cycle, self.wait = cycle, self.n - math.gcd(self.n, cycle)
            self._left_in = self.come[:, :0]
            self._left_out = np.zeros((go.shape[0], self.wait), np.float32)
        if not self.wait:  # whole blocks: nothing is kept, and nothing copied twice
            for at in range(0, cycle, self.n):
                self.come = come[:, at : at + self.n]
                if not block():
                    go[:] = 0.0
                    return False
                go[:, at : at + self.n] = self.go
            return True
        waiting = np.concatenate([self._left_in, come], axis=1)
        done = [self._left_out]
        at = 0
        while at + self.n <= waiting.shape[1]:
            self.come = waiting[:, at : at + self.n]
            at += self.n
            if not block():
                go[:] = 0.0
                return False
            done.append(self.go.copy())
        line = np.concatenate(done, axis=1)
        go[:] = line[:, :cycle]
        self._left_in, self._left_out = waiting[:, at:], line[:, cycle:]
        return True
