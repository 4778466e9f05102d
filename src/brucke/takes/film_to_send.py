"""One film: the pictures of the film that found its place in a take, copied as they are, with what a listener got."""

from collections.abc import Iterator
from contextlib import ExitStack
from pathlib import Path
from typing import Any

import av
import numpy as np

from ..core.measure.correlation import F32
from .broadcast_wav import UNSIGNED
from .contents import Asked, mix_of
from .edited import Sounds
from .film_copy import KINDS, copy_pictures, ending_for, opened_film
from .film_left import AHEAD_S, SoundStream, film_of_what_is_left
from .handed import Handed, HandedOn, Progress, free, gain_for, mixed
from .take import FilmPiece, TakeError
from .whole_file import whole_file

SLIDES_S = 0.5e-3  # over a whole piece: less is nothing that anybody could tell
BLOCK = 48_000


def film_to_send(sounds: Sounds, home: Path, asked: Asked, made: HandedOn, progress: Progress) -> None:
    """MP4 where its pictures fit in one, Matroska else; coded anew where something of the take is left out. Errors:
    TakeError, OSError, Stopped."""
    folder, take = sounds.folder, sounds.take
    if take.film is None:
        raise TakeError(f"{folder.name}: no film has found its place in this take yet")
    source = folder / take.film.file
    listener = mix_of(take, asked.mix, asked.far_ends)
    gain = gain_for(sounds, listener, asked.loudness_lufs, made, progress)
    if sounds.remixed(listener):
        made.says.append("mixed_anew")
    with ExitStack() as stack:
        film, pictures = stack.enter_context(opened_film(source))
        ending = ".mp4" if take.edits.left_out else ending_for(pictures)
        target = free(home, f"{take.setup.name} film", ending)
        path = stack.enter_context(whole_file(target))
        with av.open(str(path), "w", format=KINDS[ending], options=UNSIGNED) as out:
            rate, _frames, blocks = mixed(sounds, listener)
            if take.edits.left_out:
                louder = (np.clip(gain * b, -1.0, 1.0) for b in blocks)
                seconds = film_of_what_is_left(sounds, film, out, rate, louder, progress)
            else:
                seconds = _put_together(film, pictures, out, rate, _sound(sounds, listener, rate, gain), progress)
    made.files.append(Handed(target, seconds, 2))


def _put_together(film: Any, pictures: Any, out: Any, rate: int, sound: Iterator[F32], progress: Progress) -> float:
    """Its pictures, in step with the sound beside them. Seconds of film."""
    audio: SoundStream | None = None

    def along(time: float) -> None:
        nonlocal audio
        audio = audio or SoundStream(out, rate)
        audio.until(sound, time + AHEAD_S)

    seconds = copy_pictures(film, pictures, out, progress, along)
    if audio is not None:
        audio.end()
    return seconds


def _sound(sounds: Sounds, listener: str, rate: int, gain: float) -> Iterator[F32]:
    """[2, frames] on the film's own time from its beginning; silence where it is of something else."""
    assert sounds.take.film is not None
    at = 0
    for piece in sounds.take.film.pieces:
        begin = round(piece.begin_s * rate)
        while at < begin:
            count = min(BLOCK, begin - at)
            yield np.zeros((2, count), np.float32)
            at += count
        for block in _of_piece(sounds, listener, rate, piece):
            yield np.clip(gain * block, -1.0, 1.0)
            at += block.shape[1]


def _of_piece(sounds: Sounds, listener: str, rate: int, piece: FilmPiece) -> Iterator[F32]:
    """What the listener got in one piece, on the film's clock."""
    seconds = piece.end_s - piece.begin_s
    share = 1 - piece.drift_ppm * 1e-6  # of the take's time in one of the film's
    first, last = round(piece.at_s * rate), round((piece.at_s + seconds * share) * rate)
    stretch = _stretch(sounds, listener, first, last)
    if abs(piece.drift_ppm) * 1e-6 * seconds < SLIDES_S:
        yield from stretch
        return
    import samplerate

    converter = samplerate.Resampler("sinc_medium", channels=2)
    for block in stretch:
        yield np.ascontiguousarray(np.atleast_2d(converter.process(block.T, 1 / share)).T, np.float32)
    rest = converter.process(np.zeros((0, 2), np.float32), 1 / share, end_of_input=True)
    if len(rest):
        yield np.ascontiguousarray(np.atleast_2d(rest).T, np.float32)


def _stretch(sounds: Sounds, listener: str, first: int, last: int) -> Iterator[F32]:
    """Frames `first` to `last` of the mix; silence before its beginning."""
    if first < 0:
        yield np.zeros((2, min(-first, last - first)), np.float32)
    at = 0
    for block in mixed(sounds, listener)[2]:
        low, high = max(0, first - at), last - at
        if high <= 0:
            return
        if low < block.shape[1]:
            yield block[:, low : min(high, block.shape[1])]
        at += block.shape[1]
