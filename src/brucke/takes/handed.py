"""What is asked of handing a take on, what comes of it, and what its uses have in common: names, the mix and its
loudness."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from pathlib import Path

import msgspec
import numpy as np

from ..core.errors import BruckeError
from ..core.measure.correlation import F32
from ..core.sound.loudness import LoudnessMeter
from .edited import Sounds

CEILING_DB = -1.0  # of true peaks, EBU R 128
FITTING = str.maketrans(dict.fromkeys('/\\:*?"<>|\x00\n\r\t', "_"))
Progress = Callable[[float], bool]  # a share; False: stop


class Stopped(BruckeError):
    """Whoever watches wants no more of it."""

    code = "stopped"


class Handed(msgspec.Struct, frozen=True):
    """One file that was written; it begins `start_frames` after the take does."""

    path: Path
    seconds: float
    channels: int
    start_frames: int = 0


@dataclass
class HandedOn:
    """`reached_lufs` is None where loudness was not asked for; `says` are codes of what the user should know."""

    files: list[Handed] = field(default_factory=list)
    reached_lufs: float | None = None
    peak_db: float | None = None
    says: list[str] = field(default_factory=list)


def free(home: Path, name: str, ending: str) -> Path:
    """A file in `home` that is not there yet."""
    fit = name.translate(FITTING).strip(". ")[:120] or "take"
    return next(p for i in range(1, 10_000) if not (p := home / f"{fit}{'' if i == 1 else f' {i}'}{ending}").exists())


def watched(blocks: Iterator[F32], frames: int, progress: Progress) -> Iterator[F32]:
    done = 0
    for block in blocks:
        yield block
        done += block.shape[1]
        if not progress(done / max(1, frames)):
            raise Stopped


def mixed(sounds: Sounds, listener: str) -> tuple[int, int, Iterator[F32]]:
    """(rate, frames, blocks [2, frames]) of what is left of what a listener got, every track of it together."""
    rate, blocks = sounds.mix(listener)
    return rate, sounds.left_frames(rate), sounds.left(rate, blocks)


def gain_for(sounds: Sounds, listener: str, target_lufs: float | None, made: HandedOn, progress: Progress) -> float:
    """The factor that brings the mix to a loudness, no more than its true peaks allow (ITU-R BS.1770)."""
    if target_lufs is None:
        return 1.0
    rate, frames, blocks = mixed(sounds, listener)
    meter = LoudnessMeter(rate, 2)
    for block in watched(blocks, frames, progress):
        meter.push(block)
    found = meter.result()
    if not np.isfinite(found.integrated_lufs):
        made.says.append("silent")
        return 1.0
    wanted, allowed = target_lufs - found.integrated_lufs, CEILING_DB - found.true_peak_dbtp
    gain_db = min(wanted, allowed)
    if allowed < wanted - 0.05:
        made.says.append("peaks")
    made.reached_lufs, made.peak_db = found.integrated_lufs + gain_db, found.true_peak_dbtp + gain_db
    return float(10 ** (gain_db / 20))
