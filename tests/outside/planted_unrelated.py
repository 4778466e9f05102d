"""Films and recordings that have nothing to do with each other, and the same song sung twice: of all of them nothing
may be accepted."""

from collections.abc import Callable

import numpy as np

from ..core.test_sound_and_picture import SMALL, flashing
from ..films import Hands, hands_at
from .planted import claps, drums, late, looped, noisy, pattern, performance, room, speech, tune
from .planted_pictures import OnceHands, cutting, film, glowing


def _loop(seconds: float, rng: np.random.Generator) -> np.ndarray:
    return looped(2.0, seconds, rng)


KINDS: tuple[Callable[..., np.ndarray], ...] = (
    speech, tune, drums, _loop, lambda s, r: noisy(tune(s, r), 6, r), lambda s, r: room(speech(s, r), r),
    lambda s, r: claps(np.sort(r.uniform(0.5, s - 0.5, 6)), s, r), pattern,
)  # fmt: skip


REPEATING = (drums, _loop, pattern)


def moments(rng: np.random.Generator) -> np.ndarray:
    """As people clap or flash: some, uneven or on a beat."""
    count = int(rng.integers(3, 11))
    if rng.random() < 0.3:
        return 2.0 + rng.uniform(0, 0.5) + rng.uniform(0.4, 1.2) * np.arange(count)
    return 2.0 + np.cumsum(rng.uniform(0.35, 2.2, count))


def unrelated_film(seed: int) -> tuple[object, np.ndarray]:
    """Hands, flashes, cuts or a lamp, and the sounds of another place."""
    rng = np.random.default_rng(10_000 + seed)
    seen_at, heard_at = moments(rng), moments(rng)
    draws = (
        lambda: hands_at(Hands(background=bool(rng.integers(2))), seen_at, SMALL, rng),
        lambda: hands_at(OnceHands(), seen_at, SMALL, rng),
        lambda: flashing(seen_at, rng), lambda: cutting(seen_at, rng), lambda: glowing(seen_at, rng),
    )  # fmt: skip
    fps = float(rng.choice([24, 25, 30, 50, 60]))
    return film(heard_at, draws[seed % len(draws)](), fps, rng, length=float(max(seen_at[-1], heard_at[-1]) + 2.5))


def unrelated_pair(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """Two recordings of other things, often of one kind, on one beat or none."""
    rng = np.random.default_rng(20_000 + seed)
    first, second = _kinds(rng)
    seconds = float(rng.uniform(8, 25))
    return first(seconds, rng), second(float(rng.uniform(8, 25)), rng)


def both_repeat(seed: int) -> bool:
    """Whether it is two patterns that come again and again: with beats of one length nobody could say that they have
    nothing to do with each other."""
    return all(k in REPEATING for k in _kinds(np.random.default_rng(20_000 + seed)))


def _kinds(rng: np.random.Generator) -> tuple[Callable[..., np.ndarray], Callable[..., np.ndarray]]:
    first = KINDS[int(rng.integers(len(KINDS)))]
    return first, first if rng.random() < 0.5 else KINDS[int(rng.integers(len(KINDS)))]


def sung_twice(seed: int) -> tuple[np.ndarray, np.ndarray]:
    """One song, two performances, the second begun a little later."""
    rng = np.random.default_rng(30_000 + seed)
    seconds = float(rng.uniform(10, 30))
    first, second = performance(seconds, seed, rng), performance(seconds, seed, rng)
    return first, late(second, float(rng.uniform(-1, 1)))
