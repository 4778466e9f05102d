"""Gain."""

from typing import ClassVar

from .base import ON, ProcessorBase, Range, Tells, held

GAIN = 1


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    for i in range(sound.shape[1]):
        for k in range(2):
            state[k] += smooth * (params[k] - state[k])
        gain = 10.0 ** (state[ON] * state[GAIN] / 20.0)
        sound[0, i] *= gain
        sound[1, i] *= gain


class Gain(ProcessorBase, frozen=True, kw_only=True, tag="gain"):
    """Louder or softer."""

    RANGES: ClassVar = {"gain_db": Range(-60, 24, "dB")}
    TELLS: ClassVar = Tells("both sides")
    kernel: ClassVar = run

    gain_db: float = 0.0

    def numbers(self, rate_hz: float) -> tuple[float, ...]:
        return (held(self, "gain_db"),)
