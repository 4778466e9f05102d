"""Rulers: round steps for milliseconds, marks for decibels. Pure."""

import math

METER_MARKS_DB = (-40.0, -20.0, -12.0, -6.0, 0.0)
METER_FLOOR_DB = -60.0


def round_step(span: float, most: int) -> float:
    """The smallest of 1, 2, 5 × 10ⁿ that divides `span` into at most `most` parts."""
    if span <= 0:
        return 1.0
    raw = span / max(1, most)
    power = 10.0 ** math.floor(math.log10(raw))
    return next(m * power for m in (1, 2, 5, 10) if m * power >= raw * (1 - 1e-9))


def marks(low: float, high: float, step: float) -> list[float]:
    """Multiples of `step` from low to high."""
    first = math.ceil(low / step - 1e-9)
    last = math.floor(high / step + 1e-9)
    return [k * step for k in range(first, last + 1)]


def level_share(db: float) -> float:
    """Where a level stands on a meter, 0 to 1, linear in decibels from −60."""
    if db <= METER_FLOOR_DB:
        return 0.0
    return min(1.0, 1 - db / METER_FLOOR_DB)
