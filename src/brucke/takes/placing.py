"""A film from elsewhere finds its place in a take by its sound. A film is any file with sound that FFmpeg's libraries
read: a telephone's, a streaming program's own recording."""

from pathlib import Path

import numpy as np
from msgspec.structs import replace

from ..core.files.copying import copy_whole
from ..core.measure.correlation import F32, decimate
from ..core.measure.placement import Placement, place
from .recording import sound_pieces
from .sounds import track_blocks
from .take import FilmPiece, PlacedFilm, Take, TakeError, load_take, save_take

LOW_HZ = 12_000
LONGEST_S = 3 * 3600.0
PIECE_S = 30
PLAYED = ("track", "count_in", "program", "computer", "mix")  # the same on every evening


def place_film(folder: Path, take: Take, film: Path) -> Placement:
    """Where `film` belongs in the take in `folder`; in time of the take's tracks, and of the film's own stamps. Errors:
    TakeError."""
    everything, live, low_hz = _sounds(folder, take)
    heard, start_s = _film_sound(film, low_hz)
    return place(everything, live, heard, round(low_hz)).later(start_s)


def bring_film(folder: Path, film: Path, found: Placement) -> Take:
    """The film is the take's from now on: it lies in its folder, and the take says where its pieces belong. Errors:
    OSError, TakeError, and nothing has changed."""
    home = folder / "film"
    home.mkdir(exist_ok=True)
    target = home / f"film{film.suffix.lower()}"
    if not (target.exists() and target.samefile(film)):
        copy_whole(film, target)
    pieces = tuple(
        FilmPiece(begin_s=p.begin_s, end_s=p.end_s, at_s=p.at_s, plus_minus_s=p.plus_minus_s, drift_ppm=p.drift_ppm)
        for p in found.pieces
    )
    take = replace(load_take(folder), film=PlacedFilm(file=f"film/{target.name}", pieces=pieces))
    save_take(folder, take)  # as it is by now: somebody may have noted something meanwhile
    return take


def _sounds(folder: Path, take: Take) -> tuple[F32, F32, float]:
    """(everything that sounded, what was played live, both [frames]; their rate, about LOW_HZ)."""
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
        track = _Lowered(step)
        for block in blocks:
            track.push(np.nan_to_num(block.mean(axis=1), nan=0.0, posinf=0.0, neginf=0.0))
        low = track.whole()
        is_live = id not in played
        before = sums.get(is_live, np.zeros(0, np.float32))
        sums[is_live] = _added(before, low)
    live = sums.get(True, np.zeros(0, np.float32))
    everything = _added(live, sums.get(False, np.zeros(0, np.float32)))
    return everything, _added(live, np.zeros_like(everything)), rate_hz / step


def _added(a: F32, b: F32) -> F32:
    both = np.zeros(max(len(a), len(b)), np.float32)
    both[: len(a)] += a
    both[: len(b)] += b
    return both


class _Lowered:
    """Sound [frames] that comes piece by piece, at a `step`-th of its rate, through one low-pass without seams."""

    def __init__(self, step: int):
        self._step, self._around = step, 4 * step
        self._held, self._length = [np.zeros(self._around, np.float32)], self._around
        self._done: list[F32] = []

    def push(self, sound: F32) -> None:
        self._held.append(sound)
        self._length += len(sound)
        if self._length > PIECE_S * LOW_HZ * self._step:
            self._lower()

    def whole(self) -> F32:
        """All of it, after the last."""
        self.push(np.zeros(self._around, np.float32))
        self._lower()
        return np.concatenate(self._done)

    def _lower(self) -> None:
        held = np.concatenate(self._held)
        count = max(0, (len(held) - 2 * self._around) // self._step)
        piece = held[: count * self._step + 2 * self._around]
        self._done.append(decimate(piece, self._step)[4 : 4 + count])
        self._held = [held[count * self._step :]]
        self._length = len(self._held[0])


def _film_sound(film: Path, low_hz: float) -> tuple[F32, float]:
    """(its sound [frames] at `low_hz`, when that begins on its own stamps)."""
    sides: tuple[_Lowered, _Lowered] | None = None
    own_hz, begins_s = low_hz, 0.0
    for rate, start, piece in sound_pieces(film, LONGEST_S):
        if sides is None:
            step = max(1, rate // LOW_HZ)
            own_hz, begins_s, sides = rate / step, start, (_Lowered(step), _Lowered(step))
        for side, sound in zip(sides, piece, strict=True):
            side.push(sound)
    assert sides is not None
    sound = _louder(np.stack([side.whole() for side in sides]))
    if own_hz != low_hz:
        import samplerate

        sound = np.asarray(samplerate.resample(sound, low_hz / own_hz, "sinc_medium"), np.float32)
    return sound, begins_s


def _louder(sound: F32) -> F32:
    """[2, frames] as one: the mean, or the louder side where they cancel each other out or one is silent."""
    power = np.einsum("ij,ij->i", sound, sound)
    mean = sound.mean(axis=0)
    return np.ascontiguousarray(mean if float(mean @ mean) > 0.3 * float(power.max()) else sound[int(np.argmax(power))])
