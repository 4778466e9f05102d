"""Flashes in drawn films: how often the truth lies within the stated ±, by rate, exposure, and how the flashes fall."""

import collections
import itertools
import multiprocessing

import numpy as np

RATES = (24.0, 25.0, 30.0, 50.0, 60.0)
Scene = tuple[float, float, str, int, int]


def scenes(times: int) -> list[Scene]:
    """(pictures a second, exposure as a share of a period, how they fall, flashes, seed)."""
    return [
        (*k, i)
        for k in itertools.product(RATES, (0.0, 0.25, 0.5), ("uneven", "even seconds"), (1, 4, 8))
        for i in range(times)
    ]


def looked(scene: Scene) -> tuple[Scene, float, float]:
    """(scene, how far off, stated ±), seconds; NaN where nothing was found."""
    from tests.core.test_sound_and_picture import flashing, seen, uneven

    from brucke.core.measure.sound_and_picture import sound_and_picture

    fps, exposure, fall, count, seed = scene
    rng = np.random.default_rng((seed, round(fps), round(exposure * 100), len(fall), count))
    sounds, later = uneven(rng, count) if fall == "uneven" else 2.0 + np.arange(count), rng.uniform(-0.15, 0.25)
    draw = flashing(sounds + later, rng)

    def exposed(t: float, period: float) -> np.ndarray:
        moments = t + period * exposure * (np.arange(8) + 0.5) / 8 if exposure else [t]
        return np.mean([draw(m, period) for m in moments], axis=0).astype(np.uint8)

    times = np.arange(rng.uniform(0, 1 / fps), sounds[-1] + 1.6, 1 / fps)
    found = sound_and_picture(seen(times, exposed, sounds), sounds).offset
    return (scene, float("nan"), float("nan")) if found is None else (scene, found.seconds - later, found.plus_minus_s)


def run(times: int = 8) -> None:
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        results = pool.map(looked, scenes(times), chunksize=8)
    told = [r for r in results if not np.isnan(r[1])]
    inside = [abs(off) <= pm for _s, off, pm in told]
    print(
        f"{len(results)} scenes, nothing found in {len(results) - len(told)}; within the stated ± {np.mean(inside):.1%}"
    )
    for name, place in (("pictures a second", 0), ("exposure", 1), ("falling", 2), ("flashes", 3)):
        groups = collections.defaultdict(list)
        for r, ok in zip(told, inside, strict=True):
            groups[r[0][place]].append((ok, r[1], r[2], r[2] * r[0][0]))
        for key, rows in sorted(groups.items()):
            ok, off, pm, share = (np.array(x) for x in zip(*rows, strict=True))
            print(
                f"  {name} {key}: within {ok.mean():.0%}, off {np.median(off) * 1e3:+.1f} ms, ± "
                f"{np.median(pm) * 1e3:.1f}, {np.median(share):.2f} of a period"
            )
