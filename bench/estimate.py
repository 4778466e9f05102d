"""CPU time of the delay estimate beside SciPy's plain FFT correlation, and a thousand pairs that must be refused."""

import time
from collections.abc import Callable

import numpy as np
from scipy import signal

from brucke.core.measure.offset import known_delay, natural_offset
from brucke.core.measure.stimulus import stimulus
from brucke.demo import FOLDER
from brucke.demo.make_sounds import pluck
from brucke.ports.sounds.files import mono, read_sound

RATE = 48000


def cpu_ms(work: Callable[[], object], times: int = 10) -> float:
    work()
    began = time.process_time()
    for _ in range(times):
        work()
    return (time.process_time() - began) / times * 1e3


def run() -> None:
    rng = np.random.default_rng(3)
    sound = stimulus("sweep", RATE, -12)
    heard = np.concatenate([np.zeros(5000, np.float32), sound, np.zeros(2 * RATE - 5000, np.float32)])
    heard += (0.01 * rng.standard_normal(len(heard))).astype(np.float32)
    ours = cpu_ms(lambda: known_delay(sound, heard, RATE, 2.0))
    theirs = cpu_ms(lambda: signal.correlate(heard, sound, method="fft"))
    print(
        f"known sound, 1 s with 2 s of search: {ours:.0f} ms (budget 30 ms); scipy.signal.correlate alone "
        f"{theirs:.0f} ms"
    )
    voice = mono(read_sound(FOLDER / "voice.flac")[0])[13 * RATE : 21 * RATE]
    late = np.concatenate([np.zeros(7000, np.float32), voice])
    ours = cpu_ms(lambda: natural_offset(voice, late, RATE))
    theirs = cpu_ms(lambda: signal.correlate(late, voice, method="fft"))
    print(f"natural sound, 8 s: {ours:.0f} ms (budget 300 ms); scipy.signal.correlate alone {theirs:.0f} ms")


def refuse(pairs: int = 1000) -> None:
    """Patterns of the very same samples on regular grids: how many of a thousand are taken for a match."""
    rng = np.random.default_rng(11)
    harp = [pluck(m, 1.2, np.random.default_rng(m), 0.55).astype(np.float32) for m in (50, 54, 57, 62, 66, 69, 74)]
    drums = [
        (0.5 * np.exp(-np.arange(9600) / a) * np.random.default_rng(i).standard_normal(9600)).astype(np.float32)
        for i, a in enumerate((400, 1500, 3000))
    ]

    def pattern(bank: list[np.ndarray]) -> np.ndarray:
        length = int(rng.uniform(5, 8) * RATE)
        out = np.zeros(length + 2 * RATE, np.float32)
        for at in range(0, length, int(RATE * 30 / rng.choice([90, 100, 120]))):
            if rng.random() < 0.8:
                sample = bank[rng.integers(len(bank))]
                out[at : at + len(sample)] += sample * rng.uniform(0.5, 1)
        return out[:length]

    wrong = sum(
        natural_offset(pattern(bank), pattern(bank), RATE).match
        for i in range(pairs)
        for bank in ((harp, drums)[i % 2],)
    )
    print(f"unrelated patterns of one instrument: {wrong} of {pairs} taken for a match (budget 1)")
