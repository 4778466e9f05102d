"""Filters one after the other, five numbers each: g, k, and what of input, band-pass and low-pass goes out.

State-variable filters after Simper 2013 (“Linear trapezoidal integrated state variable filter”); their responses are
those of the Audio EQ Cookbook (Bristow-Johnson).
"""

import math

import numpy as np

from .base import F64, ON, OWN

MOST = 6
NUMBERS = 5
NO_FILTER = (0.1, 1.0, 1.0, 0.0, 0.0)
ROOT = math.sqrt(0.5)  # the quality of a Butterworth filter of second order
Filter = tuple[float, float, float, float, float]


def high_pass(frequency_hz: float, q: float, rate_hz: float) -> Filter:
    return math.tan(math.pi * min(frequency_hz, 0.49 * rate_hz) / rate_hz), 1 / q, 1.0, -1 / q, -1.0


def rows(filters: list[Filter]) -> tuple[float, ...]:
    """The numbers of MOST filters, those that are not there doing nothing."""
    some = filters[:MOST]
    return tuple(x for f in (*some, *[NO_FILTER] * (MOST - len(some))) for x in f)


def response_db(filters: list[Filter], hz: F64, rate_hz: float) -> F64:
    """[n] dB of all filters together at the frequencies `hz` [n]: the state-variable filter's transfer function on the
    unit circle."""
    # The bilinear transform: s = j · tan(π f / rate).
    s = 1j * np.tan(np.pi * np.minimum(hz, 0.499 * rate_hz) / rate_hz)
    total = np.ones(len(hz), complex)
    for g, k, m0, m1, m2 in filters:
        below = g * g + g * k * s + s * s
        total *= m0 + (m1 * g * s + m2 * g * g) / below
    return np.asarray(20 * np.log10(np.maximum(np.abs(total), 1e-9)), np.float64)


def run(sound, params, state, memory, smooth, rate, beside):  # type: ignore[no-untyped-def]
    for i in range(sound.shape[1]):
        for k in range(1 + MOST * NUMBERS):
            state[k] += smooth * (params[k] - state[k])
        left, right = float(sound[0, i]), float(sound[1, i])
        for b in range(MOST):
            at = 1 + b * NUMBERS
            if params[at + 2] == 1.0 and params[at + 3] == 0.0 and params[at + 4] == 0.0 and (
                abs(state[at + 2] - 1.0) + abs(state[at + 3]) + abs(state[at + 4]) < 1e-6
            ):  # fmt: skip
                continue  # a filter that does nothing
            g, damp = state[at], state[at + 1]
            a1 = 1.0 / (1.0 + g * (g + damp))
            for c in range(2):
                own = OWN + 4 * b + 2 * c
                one, two = state[own], state[own + 1]
                x = left if c == 0 else right
                v3 = x - two
                v1 = a1 * one + g * a1 * v3
                v2 = two + g * a1 * one + g * g * a1 * v3
                state[own], state[own + 1] = 2.0 * v1 - one, 2.0 * v2 - two
                y = state[at + 2] * x + state[at + 3] * v1 + state[at + 4] * v2
                if c == 0:
                    left = y
                else:
                    right = y
        sound[0, i] += state[ON] * (left - sound[0, i])
        sound[1, i] += state[ON] * (right - sound[1, i])
    for k in range(OWN, OWN + 4 * MOST):
        if abs(state[k]) < 1e-15:
            state[k] = 0.0
