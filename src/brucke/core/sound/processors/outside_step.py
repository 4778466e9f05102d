"""A step that stands outside: the sound goes out to equipment or to another program and comes back later."""

from typing import ClassVar

from .base import MAX_PLUG_INS, ON, OWN, RING, ProcessorBase, Range, ring

MAX_OUTSIDE = 4  # in a whole setup
FIRST_PLACE = MAX_PLUG_INS  # of those beside a chain: plug-ins have the places before
PLACES = FIRST_PLACE + MAX_OUTSIDE
MAX_WAIT_FRAMES = RING  # within which it has to be back
PLACE, LATENCY, GAIN, RATE = range(1, 5)


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    """What came back, while something does; else the same sound dry and as late. Never measured, it is dry and costs
    nothing. State: position, share of what came back, whether it is heard."""
    sends, returns, answered = beside
    at, share, n, most = int(state[OWN]), state[OWN + 1], sound.shape[1], ring(rate)
    place, wait = int(params[PLACE]), int(params[LATENCY])
    sends[place] = sound
    there = answered[place] != 0.0 and wait > 0 and params[RATE] == rate
    state[OWN + 2] = 1.0 if there else 0.0
    goal = params[ON] if there else 0.0
    for i in range(n):
        share += smooth * (goal - share)
        for c in range(2):
            memory[c * most + at] = sound[c, i]
            dry = memory[c * most + (at - wait) % most]
            sound[c, i] = dry + share * (params[GAIN] * returns[place, c, i] - dry)
        at = (at + 1) % most
    state[OWN], state[OWN + 1] = at, share


class OutsideStep(ProcessorBase, frozen=True, kw_only=True, tag="outside_step"):
    """It goes out at `send_device`, at an interface on its channels from `send_channel` on, and comes back on
    `return_channels` of `return_device`; “” is nowhere yet. `latency_frames` is what it was measured to take there and
    back, with our own buffers, at `measured_rate_hz` and in blocks of `measured_block`; 0: never. `gain_db` brings what
    comes back to the level at which it went."""

    kernel: ClassVar = run
    RANGES: ClassVar = {"gain_db": Range(-24.0, 24.0, "dB")}

    name: str = ""
    place: int = 0
    send_device: str = ""
    send_channel: int = 2
    return_device: str = ""
    return_channels: tuple[int, int] = (0, 1)
    latency_frames: int = 0
    measured_rate_hz: int = 0
    measured_block: int = 0
    gain_db: float = 0.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        gain = 10.0 ** (self.gain_db / 20.0)
        return FIRST_PLACE + self.place, self.latency_frames, gain, self.measured_rate_hz

    def waits_at(self, rate_hz: int, block: int) -> bool:
        """Whether what comes back is heard then: it was measured so, and nothing else."""
        return self.latency_frames > 0 and (self.measured_rate_hz, self.measured_block) == (rate_hz, block)

    def costs_frames(self, block: int) -> int:
        return self.latency_frames
