"""Paths of which it is known what they do to what is sent through them: FFmpeg's filters and coders, a library for
speech, echoes, rooms, noise, sides."""

from collections.abc import Callable
from dataclasses import dataclass
from functools import cache

import numpy as np
from scipy.signal import istft, stft

from brucke.core.measure.clean_path import PathReport, look_at_path
from brucke.core.measure.path_test_signal import passage

from ..paths import RATE, through_filters, through_opus
from ..speech_library import processed
from .planted import other_clock, room

# What may be named beside what was done, since it does that as well.
BESIDES = {
    "echo_removal": {"noise_removal", "levelling", "gate", "filter"}, "noise_removal": {"filter", "gate", "levelling"},
    "gate": {"noise_removal"},
    "levelling": {"noise", "filter"}, "room": {"echo"}, "filter": {"band_edge"}, "band_edge": {"filter"},
    "noise": set(),
    "echo": {"filter"},
}  # fmt: skip


@dataclass(frozen=True)
class Path:
    """`does`: what has to be named; empty is clean. `clear`: a person who listens would know."""

    name: str
    make: Callable[[np.random.Generator], np.ndarray]
    does: frozenset[str]
    clear: bool = True


@cache
def sent() -> np.ndarray:
    return passage(RATE)


def one_side() -> np.ndarray:
    return np.ascontiguousarray(sent().mean(axis=0))


def later(sound: np.ndarray, seconds: float = 0.21) -> np.ndarray:
    return np.concatenate([np.zeros((sound.shape[0], round(seconds * RATE)), np.float32), sound], axis=1)


def with_holes(rng: np.random.Generator) -> np.ndarray:
    """Bands that come and go, as a canceller of echoes leaves them (common practice, no source)."""
    _, _, bands = stft(sent(), RATE, nperseg=1024)
    holes = rng.random((bands.shape[1] // 8 + 1, bands.shape[2] // 6 + 1)) < 0.5
    holes = holes.repeat(8, 0).repeat(6, 1)[: bands.shape[1], : bands.shape[2]]
    back = istft(bands * np.where(holes, 0.15, 1.0), RATE, nperseg=1024)[1]
    return np.asarray(back[:, : sent().shape[1]], np.float32)


def noise(level: float, rng: np.random.Generator, frames: int) -> np.ndarray:
    return (level * rng.standard_normal((2, frames))).astype(np.float32)


def path_cases() -> list[Path]:
    cases: list[Path] = []

    def case(name: str, make: Callable[[np.random.Generator], np.ndarray], *does: str, clear: bool = True) -> None:
        cases.append(Path(name, make, frozenset(does), clear))

    for bit_rate, channels in ((24_000, 1), (32_000, 2), (64_000, 2), (96_000, 2), (128_000, 2)):
        case(
            f"a coder, {bit_rate // 1000} kbit/s, {channels}",
            lambda r, b=bit_rate, c=channels: later(through_opus(sent(), b, frozenset(), c)),
        )
    for share in (0.02, 0.05):
        case(f"a coder, {share:.0%} of the packets lost", lambda r, s=share: later(through_opus(sent(), 64_000,
            frozenset(np.flatnonzero(r.random(3000) < s).tolist()))), clear=False)  # fmt: skip
    for name, gain in (("20 dB softer", 0.1), ("6 dB louder", 2.0)):
        case(name, lambda r, g=gain: np.clip(g * later(sent()), -1, 1) if g < 1 else g * later(sent()))
    for seconds in (0.02, 3.0, 7.0):
        case(f"{seconds} s later", lambda r, s=seconds: later(sent(), s))
    for ppm in (30, -60):
        case(f"another clock, {ppm} ppm", lambda r, p=ppm: later(np.stack([other_clock(x, p) for x in sent()])))
    case("noise far below", lambda r: (lambda x: x + noise(1e-4, r, x.shape[1]))(later(sent())))
    for name, does, filters in (
        ("noise taken out, 12 dB", "noise_removal", [("afftdn", "nr=12")]), ("noise taken out, 24 dB", "noise_removal",
        [(
        "afftdn", "nr=24")]),
        ("a gate, soft", "gate", [("agate", "threshold=0.003:ratio=9:attack=5:release=100")]),
        ("a gate, hard", "gate", [(
        "agate", "threshold=0.0015:ratio=20:range=0.001")]),
        ("a compressor", "levelling", [("acompressor", "threshold=0.05:ratio=4")]), ("a compressor, gentle",
        "levelling", [("acompressor", "threshold=0.1:ratio=2.5")]),
        ("levels kept", "levelling", [("dynaudnorm", "")]), ("no lows", "filter", [("highpass", "f=200")]), (
        "no lows at all", "filter", [("highpass", "f=400")]),
        ("a bell at 2 kHz", "filter", [("equalizer", "f=2000:t=o:w=1:g=4")]), ("a dip at 500 Hz", "filter", [(
        "equalizer", "f=500:t=o:w=1:g=-5")]),
    ):  # fmt: skip
        case(name, lambda r, f=filters: later(through_filters(sent(), *f)), does)
        if does != "noise_removal":
            case(
                f"{name}, and a coder",
                lambda r, f=filters: later(through_opus(through_filters(sent(), *f), 64_000)),
                does,
                clear=False,
            )
    for does, more in (
        ("noise_removal", {"noise_db": 15}),
        ("noise_removal", {"noise_db": 30}),
        ("levelling", {"level": 9000.0}),
    ):
        case(f"a library for speech, {more}", lambda r, m=more: later(processed(one_side(), RATE, **m)[None]), does)
    for seed in range(2):
        case(f"pieces taken out {seed}", lambda r: later(with_holes(r)), "echo_removal")
    for apart, gain in ((0.08, 0.7), (0.25, 0.5), (0.25, 0.25), (1.2, 0.5)):
        case(f"an echo {apart} s later, {gain}", lambda r, a=apart, g=gain: later(sent()) + g * later(sent(),
            0.21 + a)[:, : sent().shape[1] + round(0.21 * RATE)],
            "echo")  # fmt: skip
    case("left lost", lambda r: later(sent() * np.array([[0.0], [1.0]], np.float32)), "dead_side")
    case("right lost, and a coder", lambda r: later(through_opus(sent() * np.array([[1.0], [0.0]], np.float32),
        64_000)),
        "dead_side", clear=False)  # fmt: skip
    case("upside down", lambda r: later(-sent()), "inverted")
    case("upside down, and a coder", lambda r: later(through_opus(-sent(), 64_000)), "inverted", clear=False)
    case("sides opposite", lambda r: later(np.stack([one_side(), -one_side()])), "opposite")
    for seed in range(2):
        case(f"a room {seed}", lambda r: later(np.stack([room(s, r) for s in sent()])), "room")
    for level in (0.004, 0.01):
        case(
            f"noise added, {level}", lambda r, v=level: (lambda x: x + noise(v, r, x.shape[1]))(later(sent())), "noise"
        )
    case("nothing of it", lambda r: 0.1 * noise(1.0, r, sent().shape[1]), clear=False)
    case("silence", lambda r: np.zeros_like(sent()), clear=False)
    case("drowned in noise", lambda r: 0.02 * sent() + noise(0.2, r, sent().shape[1]), clear=False)
    return cases


def judged(path: Path, report: PathReport) -> str:
    """“right”, “refused”, “maybe” where it was named as uncertain, “missed”, or “wrong” where something was named for
    certain that the path does not do."""
    if report.reason or report.verdict == "unsure":
        return "refused"
    certain, named = ({f.what for f in report.found if f.certain or not only} for only in (True, False))
    allowed = path.does.union(*(BESIDES.get(d, set()) for d in path.does))
    if certain - allowed:
        return "wrong"
    if path.does <= certain:
        return "right"
    return "maybe" if path.does <= named else "missed"


def said(report: PathReport) -> str:
    named = [f.what + ("" if f.certain else "?") for f in report.found]
    return report.reason or f"{report.verdict} {' '.join(named)}".strip()


def look(path: Path, seed: int) -> PathReport:
    return look_at_path(sent(), path.make(np.random.default_rng(seed)).astype(np.float32), RATE)


def rows(paths: list[Path]) -> list[tuple[Path, str, str]]:
    found = []
    for i, path in enumerate(paths):
        report = look(path, 900 + i)
        found.append((path, said(report), judged(path, report)))
    return found
