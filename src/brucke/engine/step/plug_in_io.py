"""Plug-ins beside the block path: what each is sent, and what it gave back of the block before."""

import contextlib
import os

import numpy as np
import numpy.typing as npt

from ...core.sound.kernel_arguments import PlugInBlocks
from ...core.sound.processors import PlugIn, code_of
from ...core.sound.processors.outside_step import FIRST_PLACE, PLACES
from ...core.sound.processors.plug_in import PLACE
from .plan import F32, I32

PLUG_IN = code_of(PlugIn)
SENT, DONE, STATE = range(3)
# What a plug-in's process says of itself.
ABSENT, READY, NOT_FINITE, WRONG_LATENCY, NOT_LOADED = range(5)


class Beside:
    """Without anybody beside: nobody ever answers, so every plug-in's sound is dry."""

    def __init__(self, block: int):
        self.sends = np.zeros((PLACES, 2, block), np.float32)
        self.returns = np.zeros((PLACES, 2, block), np.float32)
        self.answered = np.zeros(PLACES)

    def take(self) -> PlugInBlocks:
        """Before a block."""
        return PlugInBlocks(self.sends, self.returns, self.answered)

    def give(self, codes: I32, params: F32, listener_codes: I32, listener_params: F32) -> None:
        """After a block: what was sent goes out."""


class SharedBeside(Beside):
    """`sends`, `returns` and `told` [MAX_PLUG_INS, 3] are shared with the processes that run the plug-ins; a write to
    `bells` wakes them."""

    def __init__(self, sends: F32, returns: F32, told: npt.NDArray[np.int64], bells: list[int]):
        super().__init__(sends.shape[2])
        self._out, self._in, self._told, self._bells = sends, returns, told, bells
        self._places: tuple[int, ...] = ()
        self._of: tuple[object, ...] = ()

    def take(self) -> PlugInBlocks:
        told = self._told
        for k in self._places:
            # Whoever has done what it was sent rests now, so that what it gave can be read.
            there = told[k, STATE] == READY and 0 < told[k, SENT] == told[k, DONE]
            self.answered[k] = there
            if there:
                self.returns[k] = self._in[k]
        return super().take()

    def give(self, codes: I32, params: F32, listener_codes: I32, listener_params: F32) -> None:
        self._look_for(codes, params, listener_codes, listener_params)
        for k in self._places:
            if self._told[k, STATE] == READY:
                self._out[k] = self.sends[k]
                self._told[k, SENT] += 1
                with contextlib.suppress(BlockingIOError):
                    os.eventfd_write(self._bells[k], 1)

    def _look_for(self, *chains: npt.NDArray[np.generic]) -> None:
        """Places in use, found once for every plan."""
        # Codes and numbers of a plan come together.
        if self._of and self._of[0] is chains[0] and self._of[2] is chains[2]:
            return
        self._of = chains
        codes, params, listener_codes, listener_params = chains
        found = [*params[codes == PLUG_IN][:, PLACE], *listener_params[listener_codes == PLUG_IN][:, PLACE]]
        self._places = tuple(sorted({int(k) for k in found}))
        self.answered[:FIRST_PLACE] = 0.0
