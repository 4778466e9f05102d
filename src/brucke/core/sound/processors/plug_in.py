"""A plug-in as a chain knows it: what it made of the block before comes back a block later."""

from typing import ClassVar

from .base import ON, OWN, RING, ProcessorBase, Ranged

MAX_PLUG_IN_FRAMES = 2048  # what one may cost itself
PLACE, LATENCY = range(1, 3)


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    """What a plug-in made of the block before; where it has not answered, the same sound dry and as late. State:
    position, share of the plug-in, whether it answered."""
    sends, returns, answered = beside
    at, share, n = int(state[OWN]), state[OWN + 1], sound.shape[1]
    place = int(params[PLACE])
    wait = n + int(params[LATENCY])
    sends[place] = sound
    there = answered[place] != 0.0
    if not there:
        share = 0.0  # there is nothing to fade out from
    state[OWN + 2] = 1.0 if there else 0.0
    for i in range(n):
        if there:
            share += smooth * (params[ON] - share)
        for c in range(2):
            memory[c * RING + at] = sound[c, i]
            dry = memory[c * RING + (at - wait) % RING]
            sound[c, i] = dry + share * (returns[place, c, i] - dry) if there else dry
        at = (at + 1) % RING
    state[OWN], state[OWN + 1] = at, share


class PlugInParameter(Ranged, frozen=True, kw_only=True):
    """One setting of a plug-in; `value` from 0 to 1, as plug-ins count."""

    key: str
    name: str
    value: float


class PlugIn(ProcessorBase, frozen=True, kw_only=True, tag="plug_in"):
    """One of the user's own plug-ins, by the name it was found under on this computer; a setup never says where a
    plug-in stands, so that none from outside can start anything. It runs beside the engine, in `place`, a block later;
    `latency_frames` is what it was measured to cost itself."""

    kernel: ClassVar = run

    name: str
    place: int = 0
    latency_frames: int = 0
    parameters: tuple[PlugInParameter, ...] = ()

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        return self.place, self.latency_frames

    def costs_frames(self, block: int) -> int:
        return block + self.latency_frames
