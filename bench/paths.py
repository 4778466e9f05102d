"""Two hundred clean paths, and twenty of each processor with parameters at random: is what is done to the sound named,
and nothing else? Takes a quarter of an hour."""

import collections
import multiprocessing
from collections.abc import Callable

import numpy as np

RATE = 48_000
CLEAN, EACH = 200, 20


def _rough(sound: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """What every path does: a coder or none, lost packets, a delay that jumps now and then, a gain, a little noise, one
    channel or two."""
    from tests.paths import through_opus

    if rng.random() < 0.85:
        rate = int(rng.choice([24, 32, 48, 64, 96, 128])) * 1000
        lost = float(rng.choice([0, 0, 0.01, 0.02]))
        gone = frozenset(np.flatnonzero(rng.random(4000) < lost).tolist())
        wide = np.repeat(sound, 2, axis=0) if len(sound) == 1 else sound
        sound = through_opus(wide, rate, gone, 1 if rng.random() < 0.4 else 2)
    for _jump in range(int(rng.integers(0, 4))):
        at, by = int(rng.integers(0, sound.shape[1])), round(rng.uniform(0.002, 0.02) * RATE)
        if rng.random() < 0.5:
            sound = np.concatenate([sound[:, :at], np.zeros((len(sound), by), np.float32), sound[:, at:]], axis=1)
        else:
            sound = np.concatenate([sound[:, :at], sound[:, at + by :]], axis=1)
    sound = np.concatenate([np.zeros((len(sound), round(rng.uniform(0.02, 0.6) * RATE)), np.float32), sound], axis=1)
    noise = 10 ** (rng.uniform(-95, -78) / 20) * rng.standard_normal(sound.shape)
    return np.asarray(sound * 10 ** (rng.uniform(-14, 0) / 20) + noise, np.float32)


def _filters(*filters: tuple[str, str]) -> Callable[[np.ndarray, np.random.Generator], np.ndarray]:
    from tests.paths import through_filters

    return lambda sound, _rng: through_filters(sound, *filters)


def _speech(sound: np.ndarray, rng: np.random.Generator, what: str) -> np.ndarray:
    from tests.speech_library import processed

    one = np.ascontiguousarray(sound.mean(axis=0))
    if what == "noise":
        return processed(one, RATE, noise_db=int(rng.integers(12, 31)))[None]
    if what == "level":
        return processed(one, RATE, level=float(rng.uniform(6000, 12000)))[None]
    back = np.concatenate([np.zeros(round(rng.uniform(0.08, 0.4) * RATE), np.float32), one])[: len(one)]
    return processed(one, RATE, echo_of=back * 10 ** (rng.uniform(-6, 0) / 20), tail_s=float(rng.uniform(0.08, 0.25)))[
        None
    ]


def _holes(sound: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    from scipy.signal import istft, stft

    _, _, bands = stft(sound, RATE, nperseg=1024)
    holes = rng.random((bands.shape[1] // 8 + 1, bands.shape[2] // 6 + 1)) < rng.uniform(0.35, 0.6)
    holes = holes.repeat(8, 0).repeat(6, 1)[: bands.shape[1], : bands.shape[2]]
    back = istft(bands * np.where(holes, rng.uniform(0.05, 0.25), 1.0), RATE, nperseg=1024)[1]
    return np.asarray(back[:, : sound.shape[1]], np.float32)


def processor(kind: str, rng: np.random.Generator) -> Callable[[np.ndarray, np.random.Generator], np.ndarray]:
    """One of a kind with parameters at random."""
    even = rng.random() < 0.5
    match kind:
        case "echo_removal":
            return _holes
        case "canceller":
            return lambda s, r: _speech(s, r, "echo")
        case "noise_removal":
            return (
                (lambda s, r: _speech(s, r, "noise"))
                if even
                else _filters(("afftdn", f"nr={rng.uniform(10, 40):.0f}:nf=-40"))
            )
        case "gate":
            threshold = 10 ** (rng.uniform(-58, -36) / 20)
            return _filters(
                (
                    "agate",
                    f"threshold={threshold:.5f}:ratio=9:range={rng.uniform(0.001, 0.06):.4f}:"
                    f"attack=5:release={rng.uniform(50, 300):.0f}",
                )
            )
        case "levelling":
            if even:
                return lambda s, r: _speech(s, r, "level")
            choices = (
                ("dynaudnorm", ""), ("speechnorm", f"e={rng.uniform(4, 15):.1f}:r=0.0001:l=1"),
                ("acompressor",
                f"threshold={10 ** (rng.uniform(-30, -22) / 20):.4f}:ratio={rng.uniform(3, 8):.1f}:"
                f"attack=5:release=200"),
            )  # fmt: skip
            return _filters(choices[int(rng.integers(0, 3))])
        case _:
            hz = float(np.exp(rng.uniform(np.log(140), np.log(6500))))
            db = float(rng.choice([-1, 1]) * rng.uniform(3.5, 12))
            choices = (
                ("equalizer", f"f={hz:.0f}:t=o:w={rng.uniform(0.8, 2):.1f}:g={db:.1f}"), ("highpass",
                f"f={rng.uniform(170, 400):.0f}"),
                ("lowpass", f"f={rng.uniform(2500, 5500):.0f}"), ("treble", f"f=3000:g={db:.1f}"),
            )  # fmt: skip
            return _filters(choices[int(rng.integers(0, 4))])


def tried(job: tuple[str, int]) -> tuple[str, int, str, tuple[str, ...], str]:
    """(kind, seed, verdict, what was named with certainty, what refused it)."""
    from brucke.core.measure.clean_path import look_at_path
    from brucke.core.measure.path_test_signal import passage

    kind, seed = job
    rng = np.random.default_rng((seed, sum(map(ord, kind))))
    sent = passage(RATE)
    sound = sent if kind == "clean" else processor(kind, rng)(sent, rng)
    report = look_at_path(sent, _rough(sound, rng), RATE)
    return kind, seed, report.verdict, tuple(f.what for f in report.found if f.certain), report.reason


# The canceller of a general library leaves this passage as it is: nothing is to be named.
HARMLESS = ("clean", "canceller")
KINDS = ("echo_removal", "noise_removal", "gate", "levelling", "filter")


def run() -> None:
    jobs = [("clean", i) for i in range(CLEAN)] + [(k, i) for k in ("canceller", *KINDS) for i in range(EACH)]
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        results = pool.map(tried, jobs, chunksize=4)
    for kind in (*HARMLESS, *KINDS):
        mine = [r for r in results if r[0] == kind]
        verdicts = collections.Counter(r[2] for r in mine)
        right = sum(not r[3] for r in mine) if kind in HARMLESS else sum(kind in r[3] for r in mine)
        what = "no fault named" if kind in HARMLESS else "named"
        print(f"{kind}: {right} of {len(mine)} {what}; {dict(verdicts)}")
        for r in mine:
            if (kind in HARMLESS and r[3]) or (kind not in HARMLESS and kind not in r[3]):
                print(f"   {r[1]}: {r[2]} {r[3]} {r[4]}")
