"""Sound against picture of a film at 1280 × 720, the estimator included, beside decoding it alone: median of five,
budget 1.5 times."""

import statistics
import tempfile
import time
from pathlib import Path

import av
import numpy as np

SECONDS, FPS, SIZE = 12.0, 30, (1280, 720)


def decode(file: Path) -> None:
    """All of it, as quickly as FFmpeg's libraries do."""
    for kind in ("audio", "video"):
        with av.open(str(file)) as opened:
            stream = getattr(opened.streams, kind)[0]
            stream.thread_type = "AUTO"
            for _frame in opened.decode(stream):
                pass


def run() -> None:
    from tests.films import Hands, clap_sound, hands_at, write_film

    from brucke.takes.film import judge_film

    rng = np.random.default_rng(4)
    claps = np.arange(1.5, SECONDS - 1.5, 1.13)
    with tempfile.TemporaryDirectory(prefix="quay-") as folder:
        times = np.arange(0, SECONDS, 1 / FPS)
        draw = hands_at(Hands(background=True), claps + 0.08, SIZE, rng)
        file = write_film(Path(folder) / "claps.mkv", times, draw, clap_sound(claps, SECONDS, rng), SIZE)
        judge_film(file)
        spent: dict[str, list[float]] = {"decode": [], "judge": []}
        for _ in range(5):
            for name, what in (("decode", decode), ("judge", judge_film)):
                began = time.perf_counter()
                what(file)
                spent[name].append(time.perf_counter() - began)
    alone, whole = (statistics.median(spent[k]) for k in ("decode", "judge"))
    print(
        f"a film of {SECONDS:.0f} s at {SIZE[0]} × {SIZE[1]}, {FPS} pictures a second, {len(claps)} claps: judged in "
        f"{whole:.2f} s, decoded alone "
        f"in {alone:.2f} s: {whole / alone:.2f} times (budget 1.5)"
    )
