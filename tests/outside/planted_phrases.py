"""A voice and its music of which it is known how much later the voice is, ms."""

import numpy as np

from .planted import Case, Cases, noisy, notes, room, speech


def sung(when: np.ndarray, seconds: float, rng: np.random.Generator, scatter_s: float = 0.012) -> np.ndarray:
    """A note that swells for each, as somebody sings it."""
    return notes(when + scatter_s * rng.standard_normal(len(when)), seconds, rng, 330, 0.015)


def song(late_s: float, rng: np.random.Generator, count: int = 60, scatter_s: float = 0.012):
    """A melody of uneven notes with rests, and who plays along."""
    beats = 1.5 + np.cumsum(rng.choice([0.3, 0.45, 0.6, 0.9], count))
    seconds = float(beats[-1]) + 3
    some = beats[np.arange(count) % 14 < 11]
    return sung(some + late_s, seconds, rng, scatter_s), notes(beats, seconds, rng)


def grid(step_s: float, late_s: float, seconds: float, rng: np.random.Generator, scatter_s: float = 0.01):
    """Both on every beat of an even grid."""
    beats = np.arange(1.5, seconds - 1.5, step_s)
    return sung(beats + late_s, seconds, rng, scatter_s), notes(beats, seconds, rng)


def phrase_cases() -> list[Case]:
    cases = Cases(300)
    case = cases.add
    for ms in (0, 30, -45, 80, 120, -100, 160, 220, 280, -180):
        case(f"a song, {ms} ms", lambda r, m=ms: song(m / 1e3, r), float(ms))
    case("a song, long, 60 ms", lambda r: song(0.06, r, 140), 60.0)
    case("a song, a room, 95 ms", lambda r: (lambda v, m: (room(v, r), m))(*song(0.095, r)), 95.0)
    case("a song, noise, -60 ms", lambda r: (lambda v, m: (noisy(v, 12, r), noisy(m, 20, r)))(*song(-0.06, r)), -60.0)
    case("a song, upside down, 70 ms", lambda r: (lambda v, m: (-v, m))(*song(0.07, r)), 70.0)
    case("a singer who scatters by 25 ms, 110 ms", lambda r: song(0.11, r, 100, 0.025), 110.0)
    for seconds, ms in ((8, 40), (9, -30), (10, 60), (11, 20), (12, -50)):
        case(f"even eighths for {seconds} s, {ms} ms", lambda r, s=seconds, m=ms: grid(0.25, m / 1e3, s, r), float(ms))
    case("even quarters for 30 s, 90 ms", lambda r: grid(0.6, 0.09, 30, r), 90.0)
    # In these nobody could be sure.
    for step, ms in (
        (600, 450),
        (600, 600),
        (600, -350),
        (500, 250),
        (500, -400),
        (400, 330),
        (250, 210),
        (300, 480),
        (600, 1200),
    ):
        case(
            f"an even grid of {step} ms, {ms} ms",
            lambda r, s=step, m=ms: grid(s / 1e3, m / 1e3, 30, r),
            float(ms),
            False,
        )
    for ms in (620, -700, 900, 1500):
        case(f"beyond the range, a song, {ms} ms", lambda r, m=ms: song(m / 1e3, r), float(ms), False)
    for k in range(4):
        case(f"two songs {k}", lambda r: (song(0, r)[0], song(0, r)[1]), None, False)
        case(f"speech and a song {k}", lambda r: (lambda m: (speech(len(m) / 48000, r), m))(song(0, r)[1]), None, False)
    case("two tempos", lambda r: (grid(0.5, 0, 30, r)[0], grid(0.43, 0, 30, r)[1]), None, False)
    return cases
