"""A film from elsewhere finds its place in a take by its sound. A film is any file with sound that FFmpeg's libraries
read: a telephone's, a streaming program's own recording."""

from collections.abc import Iterator
from pathlib import Path

import numpy as np
from msgspec.structs import replace

from ..core.files.copying import copy_whole
from ..core.measure.correlation import F32, decimate
from ..core.measure.placement import Placement, place
from .recording import read_film_sound
from .sounds import track_blocks
from .take import FilmPiece, PlacedFilm, Take, TakeError, save_take

LOW_HZ = 12_000
LONGEST_S = 3 * 3600.0
PIECE_S = 30
PLAYED = ("track", "count_in", "program", "computer", "mix")  # the same on every evening


def place_film(folder: Path, take: Take, film: Path) -> Placement:
    """Where `film` belongs in the take in `folder`; in time of the take's tracks, and of the film's own stamps. Errors:
    TakeError."""
    everything, live, rate_hz, step = _sounds(folder, take)
    sound = read_film_sound(film, LONGEST_S)
    heard = _at_rate(_louder(sound.sound), sound.rate_hz, rate_hz, step)
    if not np.isfinite(heard).all():
        raise TakeError(f"{film.name}: the sound: not a number in it; the file is damaged")
    found = place(everything, live, heard, rate_hz // step)
    return found.later(sound.start_s)


def bring_film(folder: Path, take: Take, film: Path, found: Placement) -> Take:
    """The film is the take's from now on: it lies in its folder, and the take says where its pieces belong. Errors:
    OSError, and nothing has changed."""
    home = folder / "film"
    home.mkdir(exist_ok=True)
    target = home / f"film{film.suffix.lower()}"
    if not (target.exists() and target.samefile(film)):
        copy_whole(film, target)
    pieces = tuple(
        FilmPiece(begin_s=p.begin_s, end_s=p.end_s, at_s=p.at_s, plus_minus_s=p.plus_minus_s, drift_ppm=p.drift_ppm)
        for p in found.pieces
    )
    take = replace(take, film=PlacedFilm(file=f"film/{target.name}", pieces=pieces))
    save_take(folder, take)
    return take


def _sounds(folder: Path, take: Take) -> tuple[F32, F32, int, int]:
    """(everything that sounded, what was played live, both [frames] at about LOW_HZ; the take's rate; by how much that
    was divided)."""
    played = {p.id for p in take.setup.parts if p.source in PLAYED}
    tracks = {id: track_blocks(folder, name) for id, name in take.parts.items()}
    rates = {rate for rate, _channels, _blocks in tracks.values()}
    if not tracks:
        raise TakeError(f"{folder.name}: the parts: none was recorded")
    if len(rates) > 1:
        raise TakeError(f"{folder.name}: the parts: at several rates, {' and '.join(f'{r} Hz' for r in sorted(rates))}")
    rate_hz = rates.pop()
    step = max(1, rate_hz // LOW_HZ)
    sums: dict[bool, F32] = {}
    for id, (_rate, _channels, blocks) in tracks.items():
        low = np.concatenate([np.zeros(0, np.float32), *_lower(blocks, step)])
        is_live = id not in played
        before = sums.get(is_live, np.zeros(0, np.float32))
        sums[is_live] = _added(before, low)
    live = sums.get(True, np.zeros(0, np.float32))
    everything = _added(live, sums.get(False, np.zeros(0, np.float32)))
    return everything, _added(live, np.zeros_like(everything)), rate_hz, step


def _added(a: F32, b: F32) -> F32:
    both = np.zeros(max(len(a), len(b)), np.float32)
    both[: len(a)] += a
    both[: len(b)] += b
    return both


def _lower(blocks: Iterator[F32], step: int) -> Iterator[F32]:
    """Blocks [frames, channels] as pieces [frames // step] of their mean, through one low-pass without seams."""
    around, held = 4 * step, np.zeros(4 * step, np.float32)
    gathered: list[F32] = []
    for block in blocks:
        gathered.append(np.nan_to_num(block.mean(axis=1), nan=0.0, posinf=0.0, neginf=0.0))
        if sum(map(len, gathered)) > PIECE_S * LOW_HZ * step:
            held = np.concatenate([held, *gathered])
            gathered = []
            count = (len(held) - 2 * around) // step
            yield decimate(held[: count * step + 2 * around], step)[4 : 4 + count]
            held = held[count * step :]
    held = np.concatenate([held, *gathered, np.zeros(around, np.float32)])
    count = max(0, (len(held) - 2 * around) // step)
    yield decimate(held[: count * step + 2 * around], step)[4 : 4 + count]


def _louder(sound: F32) -> F32:
    """[2, frames] as one: the mean, or the louder side where they cancel each other out or one is silent."""
    power = np.einsum("ij,ij->i", sound, sound)
    mean = sound.mean(axis=0)
    return np.ascontiguousarray(mean if float(mean @ mean) > 0.3 * float(power.max()) else sound[int(np.argmax(power))])


def _at_rate(sound: F32, own_hz: int, rate_hz: int, step: int) -> F32:
    """At the take's rate divided by `step`."""
    if own_hz != rate_hz:
        import samplerate

        sound = np.asarray(samplerate.resample(sound, rate_hz / own_hz, "sinc_fastest"), np.float32)
    return decimate(sound, step)
