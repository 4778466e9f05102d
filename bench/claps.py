"""Hand claps in drawn films, however the hands move: how often the truth lies within the stated ±. Takes some
minutes."""

import collections
import itertools
import multiprocessing

import numpy as np

RATES = (24.0, 25.0, 30000 / 1001, 30.0, 50.0, 60.0)
SIZE = (160, 90)
Scene = tuple[float, bool, float, float, bool, int, int]


def scenes(times: int) -> list[Scene]:
    """(pictures a second, soft stop, leaving, exposure, background, claps, seed)."""
    kinds = itertools.product(RATES, (False, True), (0.0, 0.3, 1.0), (0.0, 0.5), (False, True), (1, 8))
    return [(*k, i) for k in kinds for i in range(times)]


def looked(scene: Scene) -> tuple[Scene, float, float]:
    """(scene, how far off, stated ±), seconds; NaN where nothing was found."""
    from tests.core.test_sound_and_picture import seen, uneven
    from tests.films import Hands, hands_at

    from brucke.core.measure.sound_and_picture import sound_and_picture

    fps, soft, leaving, exposure, background, count, seed = scene
    rng = np.random.default_rng(
        (seed, round(fps * 1000), int(soft), round(leaving * 10), round(exposure * 10), int(background), count)
    )
    claps, later = uneven(rng, count, 0.7, 1.1), rng.uniform(-0.15, 0.25)
    hands = Hands(rng.uniform(0.1, 0.17), soft, leaving, exposure, background)
    times = np.arange(rng.uniform(0, 1 / fps), claps[-1] + 1.6, 1 / fps)
    found = sound_and_picture(seen(times, hands_at(hands, claps + later, SIZE, rng), claps), claps).offset
    if found is None:
        return scene, float("nan"), float("nan")
    return scene, found.seconds - later, found.plus_minus_s


def run(times: int = 3) -> None:
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        results = pool.map(looked, scenes(times), chunksize=4)
    missed = [r for r in results if np.isnan(r[1])]
    told = [r for r in results if not np.isnan(r[1])]
    inside = [abs(off) <= pm for _s, off, pm in told]
    print(f"{len(results)} scenes, nothing found in {len(missed)}; within the stated ± {np.mean(inside):.1%}")
    for name, place in (
        ("pictures a second", 0),
        ("soft", 1),
        ("leaving", 2),
        ("exposure", 3),
        ("background", 4),
        ("claps", 5),
    ):
        groups = collections.defaultdict(list)
        for r, ok in zip(told, inside, strict=True):
            groups[r[0][place]].append((ok, r[1], r[2]))
        for key, rows in sorted(groups.items()):
            ok, off, pm = (np.array(x) for x in zip(*rows, strict=True))
            print(
                f"  {name} {key}: within {ok.mean():.0%}, off {np.median(off) * 1e3:+.1f} ms (90 % below "
                f"{np.percentile(np.abs(off), 90) * 1e3:.0f}), ± {np.median(pm) * 1e3:.0f}"
            )
