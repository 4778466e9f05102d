"""Films of which it is known how much later the picture is than the sound, ms: as pictures drawn, without a coder."""

from dataclasses import dataclass

import numpy as np

from ..core.test_sound_and_picture import SMALL, flashing, seen, uneven
from ..films import Hands, hands_at
from .planted import Case, Cases


@dataclass(frozen=True)
class OnceHands(Hands):
    """As people clap once for this: they come, rest, and leave."""

    def apart(self, t: float, claps: np.ndarray) -> float:
        before = claps - t
        come = min(1.0, float(np.min(np.where(before >= 0, before, np.inf), initial=np.inf)) / 0.25)
        gone = float(np.min(np.where(before < 0, -before, np.inf), initial=np.inf))
        left = min(1.0, max(0.0, gone - 0.12) / 0.4)
        return min(come, left) if come < 1 else left


def cutting(at: np.ndarray, rng: np.random.Generator):
    """Another picture at once, at each of these moments."""
    pictures = rng.integers(20, 220, (len(at) + 1, 9, 16)).astype(np.uint8).repeat(10, 1).repeat(10, 2)

    def draw(t, period):
        return np.clip(
            pictures[int(np.searchsorted(at, t, "right"))].astype(int) + rng.integers(0, 4, (90, 160)), 0, 255
        ).astype(np.uint8)

    return draw


def glowing(at: np.ndarray, rng: np.random.Generator):
    """A lamp that comes on over a fifth of a second and goes out again."""

    def draw(t, period):
        picture = 50 + rng.integers(0, 4, (SMALL[1], SMALL[0]))
        since = t - at
        light = np.max(np.where((since > 0) & (since < 0.6), np.minimum(since / 0.2, (0.6 - since) / 0.4), 0.0))
        picture[30:60, 60:100] = picture[30:60, 60:100] + 150 * light
        return picture.astype(np.uint8)

    return draw


def film(sounds, draw, fps, rng, length=0.0):
    times = np.arange(rng.uniform(0, 1 / fps), max(length, sounds[-1] + 2.5), 1 / fps)
    return seen(times, draw, sounds), sounds


def picture_cases() -> list[Case]:
    cases = Cases(500)
    case = cases.add
    for fps, ms in ((24, 40), (25, -80), (30, 120), (50, 0), (60, 200), (30, -180)):
        case(
            f"flashes, {fps} pictures, {ms} ms",
            lambda r, f=fps, m=ms: (lambda s: film(s, flashing(s + m / 1e3, r), f, r))(uneven(r, 6)),
            float(ms),
        )
        case(
            f"claps, {fps} pictures, {ms} ms",
            lambda r, f=fps, m=ms: (
                lambda s: film(s, hands_at(Hands(background=f == 30), s + m / 1e3, SMALL, r), f, r)
            )(uneven(r, 6)),
            float(ms),
        )
    for fps, ms, count in ((25, 90, 1), (30, -50, 1), (60, 150, 1), (30, 60, 4)):
        case(
            f"{count} as people clap once, {fps} pictures, {ms} ms",
            lambda r, f=fps, m=ms, n=count: (lambda s: film(s, hands_at(OnceHands(), s + m / 1e3, SMALL, r), f, r))(
                uneven(r, n, 1.4, 2.0)
            ),
            float(ms),
        )
    for seed in range(4):
        case(
            f"flashes at even seconds, 25 pictures {seed}",
            lambda r: (lambda s, m: film(s, flashing(s + m, r), 25, r))(np.arange(2.0, 9.0), 0.061),
            61.0,
        )
    case(
        "two claps 0.2 s apart",
        lambda r: (lambda s: film(s, hands_at(Hands(0.08, leaving=1.0), s + 0.07, SMALL, r), 60, r))(
            np.array([2.0, 2.2])
        ),
        70.0,
        False,
    )
    # In these nobody could be sure.
    for ms in (-800, 1300, 1700, -1200):
        case(
            f"claps beyond the range, {ms} ms",
            lambda r, m=ms: (lambda s: film(s, hands_at(Hands(), s + m / 1e3, SMALL, r), 30, r))(uneven(r, 6) + 1),
            float(ms),
            False,
        )
        case(
            f"flashes beyond the range, {ms} ms",
            lambda r, m=ms: (lambda s: film(s, flashing(s + m / 1e3, r), 30, r))(uneven(r, 6) + 1),
            float(ms),
            False,
        )
    for step, ms in ((0.6, 450), (0.5, 300), (0.5, -320), (0.8, 500)):
        case(
            f"even claps every {step} s, {ms} ms",
            lambda r, p=step, m=ms: (lambda s: film(s, hands_at(Hands(), s + m / 1e3, SMALL, r), 30, r))(
                2 + p * np.arange(8)
            ),
            float(ms),
            False,
        )
    case(
        "even flashes every 0.6 s, 450 ms",
        lambda r: (lambda s: film(s, flashing(s + 0.45, r), 30, r))(2 + 0.6 * np.arange(8)),
        450.0,
        False,
    )
    for ms in (80, 130):
        case(
            f"cuts on the beat, {ms} ms",
            lambda r, m=ms: (lambda s: film(s, cutting(s + m / 1e3, r), 25, r))(uneven(r, 8)),
            float(ms),
            False,
        )
        case(
            f"a lamp that glows, {ms} ms",
            lambda r, m=ms: (lambda s: film(s, glowing(s + m / 1e3, r), 25, r))(uneven(r, 6)),
            float(ms),
            False,
        )
    for seed in range(6):
        case(
            f"claps of something else {seed}",
            lambda r: (lambda s: film(s, hands_at(Hands(background=True), uneven(r, 6), SMALL, r), 30, r))(
                uneven(r, 6)
            ),
            None,
            False,
        )
    for seed in range(3):
        case(
            f"flashes of something else {seed}",
            lambda r: (lambda s: film(s, flashing(uneven(r, 6), r), 30, r))(uneven(r, 6)),
            None,
            False,
        )
    return cases
