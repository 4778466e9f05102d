"""When something sharp sounds: claps, beeps, knocks.

Conventions: float32 mono, shape (frames,); times in seconds from its beginning. A sharp sound is a rise out of what was
there within 3 ms.
"""

import msgspec
import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
F64 = npt.NDArray[np.float64]
APART_S = 0.25  # what follows sooner belongs to the sound before
SILENT = 1e-9  # mean square of a step below which nothing sounds


class SharpSounds(msgspec.Struct, frozen=True):
    """`times_s` [events] in order; `power` [events] of their first 3 ms."""

    times_s: F64
    power: F64

    def strongest(self, most: int, within_db: float) -> "SharpSounds":
        """At most so many of them, none weaker than the strongest by more than that; in order."""
        order = np.argsort(-self.power, kind="stable")[:most]
        order = order[self.power[order] >= self.power.max(initial=0.0) * 10 ** (-within_db / 10)]
        keep = np.sort(order)
        return SharpSounds(self.times_s[keep], self.power[keep])


def sharp_sounds(sound: F32, rate_hz: int, rise: float = 30.0, share: float = 0.1, least: float = 1e-6) -> SharpSounds:
    """Every moment of `sound` [frames] that rises `rise` times in power and is at least that `share` of the strongest
    rise; `least` is the mean square of what counts at all. Times in seconds."""
    high = np.abs(np.diff(sound, prepend=np.float32(0.0)))
    step = max(1, rate_hz // 1000)
    if len(high) < 30 * step:
        return SharpSounds(np.zeros(0), np.zeros(0))
    energy = np.add.reduceat(high * high, np.arange(0, len(high) - step, step))
    totals = np.concatenate([[0.0], np.cumsum(energy, dtype=np.float64)])
    at = np.arange(22, len(energy) - 3)
    now = (totals[at + 3] - totals[at]) / 3
    before = (totals[at - 2] - totals[at - 22]) / 20
    sharp = (now > rise * before) & (now > share * now.max(initial=0.0)) & (now > least)
    times: list[float] = []
    power: list[float] = []
    ms = step / rate_hz
    for i, loud in zip(at[sharp], now[sharp], strict=True):
        if times and i * ms - times[-1] <= APART_S:
            power[-1] = max(power[-1], float(loud))
            continue
        piece = high[(i - 1) * step : (i + 4) * step]
        first = int(np.argmax(piece > 0.1 * piece.max()))
        times.append(((i - 1) * step + first) / rate_hz)
        power.append(float(loud))
    return SharpSounds(np.array(times), np.array(power))


def clap_times(sound: F32, rate_hz: int) -> F64:
    """When claps sound in `sound` [frames], a recording that holds little else. Returns [claps], in seconds."""
    return sharp_sounds(sound, rate_hz).times_s
