"""The picture that was recorded with a take becomes its film: what the camera gave, in one file, where it belongs on
the time of the tracks."""

import os
from collections.abc import Sequence
from fractions import Fraction
from pathlib import Path
from typing import Any

import av
from msgspec.structs import replace

from ..ports.sounds.segments import Segment
from .camera_place import WHOLE, camera_files, later_than_sound
from .take import FilmPiece, PlacedFilm, Take, TakeError

MS = Fraction(1, 1000)


def with_camera_film(folder: Path, take: Take, segments: Sequence[Segment]) -> Take:
    """`take` with the picture that was recorded beside it as its film; the same where there is none. What cannot be
    read of it is told in `missing`. Errors: OSError."""
    files = camera_files(folder)
    if not files or not segments:
        return take
    rate = take.setup.rate_hz
    try:
        seconds = _joined(files, folder / WHOLE, rate)
    except (av.FFmpegError, TakeError, ValueError, IndexError) as e:
        why = (getattr(e, "strerror", None) or str(e)).lower()
        return replace(take, missing=(*take.missing, f"the picture: {why}"))
    for _frame, path in files:
        path.unlink()
    late = later_than_sound(take)
    piece = FilmPiece(
        begin_s=0.0, end_s=seconds, at_s=(files[0][0] - segments[0].frame) / rate - late.value,
        plus_minus_s=late.plus_minus,
    )  # fmt: skip
    return replace(take, film=PlacedFilm(file=WHOLE, pieces=(piece,)))


def _joined(files: list[tuple[int, Path]], whole: Path, rate: int) -> float:
    """All of them in one, each where it belongs after the first; packets as they are. Its seconds."""
    partly = whole.with_name(f".{whole.name}.part")
    end = 0.0
    try:
        with av.open(str(partly), "w", format="matroska") as out:
            stream: Any = None
            for frame, path in files:
                with av.open(str(path)) as one:
                    pictures = one.streams.video[0]
                    if stream is None:
                        stream = out.add_stream_from_template(pictures)
                    elif (pictures.width, pictures.height) != (stream.width, stream.height):
                        raise TakeError("its size changed in the middle")
                    later = round(1000 * (frame - files[0][0]) / rate)
                    end = _copy(one, pictures, out, stream, later, end)
        os.replace(partly, whole)
    finally:
        partly.unlink(missing_ok=True)
    if not end:
        raise TakeError("nothing of it was written")
    return end


def _copy(one: Any, pictures: Any, out: Any, stream: Any, later_ms: int, end: float) -> float:
    """What a killed recorder has left in the middle of is left out."""
    try:
        for packet in one.demux(pictures):
            if packet.pts is None or not packet.size:
                continue
            ms = round(float(packet.pts * packet.time_base) * 1000) + later_ms
            packet.time_base, packet.pts, packet.dts = MS, ms, ms
            packet.stream = stream
            out.mux(packet)
            end = max(end, ms / 1000 + float((packet.duration or 0) * packet.time_base))
    except av.error.InvalidDataError:
        pass
    return end
