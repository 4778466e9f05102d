"""Two recordings of which it is known how fast the second becomes later, ppm."""

import numpy as np

from .planted import (
    RATE,
    Case,
    Cases,
    jumped,
    late,
    looped,
    noisy,
    other_clock,
    pair,
    pattern,
    performance,
    room,
    speech,
    telephone,
    tune,
)  # fmt: skip


def mixed(seconds: float, rng: np.random.Generator) -> np.ndarray:
    return speech(seconds, rng) + 0.5 * tune(seconds, rng)


def bent(sound: np.ndarray, ppm: float) -> np.ndarray:
    """From its middle on recorded by a clock that is that much faster."""
    half = len(sound) // 2
    return np.concatenate([sound[:half], other_clock(sound[half:], ppm)])


def swinging(sound: np.ndarray, ms: float, every_s: float) -> np.ndarray:
    at = np.arange(len(sound)) + ms / 1e3 * RATE * np.sin(2 * np.pi * np.arange(len(sound)) / RATE / every_s)
    return np.interp(at, np.arange(len(sound)), sound).astype(np.float32)


def drift_cases() -> list[Case]:
    cases = Cases(100)
    case = cases.add

    def drifting(sound, ppm, change=None):
        return pair(sound, lambda s: other_clock(late(s, 0.12), ppm), change)

    for ppm, seconds in (
        (0, 20),
        (0, 60),
        (1, 60),
        (-1, 60),
        (5, 40),
        (-20, 30),
        (60, 20),
        (100, 60),
        (-200, 40),
        (500, 30),
        (2000, 30),
        (-1500, 40),
    ):
        case(f"{ppm} ppm, {seconds} s", drifting(lambda r, s=seconds: mixed(s, r), ppm), float(ppm))
    case("40 ppm, noise as loud", drifting(lambda r: tune(40, r), 40, lambda x, r: noisy(x, 0, r)), 40.0)
    case("-30 ppm, noise 6 dB above", drifting(lambda r: tune(60, r), -30, lambda x, r: noisy(x, -6, r)), -30.0)
    case("25 ppm, a room", drifting(lambda r: speech(40, r), 25, room), 25.0)
    case("80 ppm, telephone", drifting(lambda r: mixed(40, r), 80, lambda x, r: telephone(x)), 80.0)
    case("upside down, 50 ppm", drifting(lambda r: mixed(40, r), 50, lambda x, r: -0.4 * x), 50.0)
    case("upside down, 0 ppm, a room", drifting(lambda r: tune(40, r), 0, lambda x, r: -room(x, r)), 0.0)
    case("70 ppm, a step of 3 ms", drifting(lambda r: mixed(50, r), 70, lambda x, r: jumped(x, 23.4, 0.003)), 70.0)
    case(
        "10 ppm, two steps",
        drifting(lambda r: mixed(60, r), 10, lambda x, r: jumped(jumped(x, 40, -0.02), 20.7, 0.01)),
        10.0,
    )
    # In these nobody could be sure, or only of a part.
    for jump in (3.0, -4.0, 8.0, 1.2):
        case(
            f"0 ppm, a jump of {jump:g} s",
            drifting(lambda r: mixed(50, r), 0, lambda x, r, j=jump: jumped(x, 25.3, j)),
            0.0,
            False,
        )
    for period in (2.0, 0.5, 3.0):
        case(
            f"30 ppm, a loop of {period:g} s",
            drifting(lambda r, p=period: looped(p, 40, r), 30, lambda x, r: noisy(x, 30, r)),
            30.0,
            False,
        )
    case(
        "a loop of 2 s, jumped by half of it",
        drifting(lambda r: looped(2.0, 40, r), 0, lambda x, r: jumped(x, 21.3, 1.0)),
        0.0,
        False,
    )
    for name, count in (("five", 5), ("ten", 10)):
        case(
            f"0 ppm, {name} jumps anywhere",
            drifting(lambda r: mixed(60, r), 0, lambda x, r, n=count: _jumping(x, n, r)),
            0.0,
            False,
        )
    case("a clock that changes, 0 then 100 ppm", lambda r: (lambda s: (s, bent(s, 100)))(mixed(60, r)), 50.0, False)
    case("a clock that changes, 0 then -300 ppm", lambda r: (lambda s: (s, bent(s, -300)))(mixed(40, r)), -150.0, False)
    for ms, every in ((0.8, 17), (3.0, 25), (1.0, 60)):
        case(
            f"0 ppm, swings by {ms:g} ms every {every} s",
            lambda r, m=ms, e=every: (lambda s: (s, swinging(s, m, e)))(mixed(50, r)),
            0.0,
            False,
        )
    case("0 ppm, ends after a third", lambda r: (lambda s: (s, late(s, 0.2)[: 14 * RATE]))(mixed(40, r)), 0.0, False)
    case(
        "0 ppm, half of it something else",
        lambda r: (lambda s: (s, np.concatenate([s[: 15 * RATE], speech(25, r)])))(speech(40, r)),
        0.0,
        False,
    )
    for k in range(2):
        case(f"two speeches {k}", lambda r: (speech(30, r), speech(30, r)), None, False)
        case(f"two patterns of one instrument {k}", lambda r: (pattern(30, r), pattern(30, r)), None, False)
        case(
            f"the same song played twice {k}",
            lambda r, k=k: (performance(40, k, r), performance(40, k, r)),
            None,
            False,
        )
    case("a tone", lambda r: (lambda x: (x, noisy(other_clock(x, 50), 30,
        r)))((0.3 * np.sin(2 * np.pi * 440 * np.arange(30 * RATE) / RATE)).astype(np.float32)), 50.0,
        False)  # fmt: skip
    return cases


def _jumping(sound: np.ndarray, count: int, rng: np.random.Generator) -> np.ndarray:
    for at in sorted(rng.uniform(6, len(sound) / RATE - 6, count), reverse=True):
        sound = jumped(sound, at, rng.uniform(-0.4, 0.4))
    return sound
