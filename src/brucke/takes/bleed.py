"""Where a microphone's track of a take holds only what it picks up of the others."""

from collections.abc import Callable, Iterator
from pathlib import Path

import numpy as np
import samplerate

from ..core.document.setup import Part
from ..core.measure.bleed import PIECE_S, RATE_HZ, BleedFinder
from ..core.measure.correlation import F32
from .edits import Stretch
from .sounds import track_blocks, track_frames
from .take import Take, TakeError


def may_pick_up(take: Take) -> list[Part]:
    """Parts whose tracks may hold others: microphones."""
    return [p for p in take.setup.parts if p.id in take.parts and p.source == "microphone"]


def find_bleed(
    folder: Path, take: Take, part: str, progress: Callable[[float], bool] = lambda _share: True
) -> list[Stretch]:
    """Stretches of the take in which `part` holds only what it picks up of the other parts. Errors: TakeError, also
    where `progress` said no."""
    others = [id for id in take.parts if id != part]
    if not others:
        raise TakeError(f"{folder.name}: the parts: only one was recorded, so there is nothing to pick up")
    frames, rate = track_frames(folder, take.parts[part])
    pieces = {id: _pieces(folder, take.parts[id]) for id in (part, *others)}
    finder, seconds, at = BleedFinder(), max(frames / rate, PIECE_S), 0.0
    for voice in pieces[part]:
        sounds = [_as_long(next(pieces[id], np.zeros(0, np.float32)), len(voice)) for id in others]
        finder.push(voice, sounds)
        at += PIECE_S
        if not progress(min(1.0, at / seconds)):
            raise TakeError(f"{folder.name}: stopped, nothing was written")
    return [Stretch(a, b) for a, b in finder.stretches()]


def _as_long(sound: F32, frames: int) -> F32:
    return np.concatenate([sound, np.zeros(max(0, frames - len(sound)), np.float32)])[:frames]


def _pieces(folder: Path, name: str) -> Iterator[F32]:
    """Of PIECE_S each, mono at RATE_HZ; nothing where the track cannot be read."""
    try:
        rate, _channels, blocks = track_blocks(folder, name)
    except TakeError:
        return
    held, length, wanted = [], 0, round(PIECE_S * rate)
    for block in blocks:
        held.append(np.nan_to_num(block.mean(axis=1), nan=0.0, posinf=0.0, neginf=0.0))
        length += len(block)
        if length >= wanted:
            whole = np.concatenate(held)
            yield _at_rate(whole[:wanted], rate)
            held, length = [whole[wanted:]], length - wanted
    if length:
        yield _at_rate(np.concatenate(held), rate)


def _at_rate(sound: F32, rate: int) -> F32:
    wanted = round(len(sound) * RATE_HZ / rate)
    return _as_long(np.asarray(samplerate.resample(sound, RATE_HZ / rate, "sinc_fastest"), np.float32), wanted)
