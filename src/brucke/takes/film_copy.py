"""The pictures of a film as they are, packet by packet, into another file."""

from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import av

from ..ports.sounds.track import open_media
from .handed import Progress, Stopped
from .take import TakeError

IN_MP4 = ("h264", "hevc", "mpeg4", "av1")
KINDS = {".mp4": "mp4", ".mkv": "matroska"}


@contextmanager
def opened_film(source: Path) -> Iterator[tuple[Any, Any]]:
    """(the film, its pictures). Errors: TakeError where there are none."""
    try:
        opening = open_media(source)
        film = opening.__enter__()
    except (av.FFmpegError, OSError) as e:
        raise TakeError(f"{source.name}: the film: {(getattr(e, 'strerror', None) or str(e)).lower()}") from None
    try:
        if not film.streams.video:
            raise TakeError(f"{source.name}: the film: holds no picture")
        yield film, film.streams.video[0]
    finally:
        opening.__exit__(None, None, None)


def ending_for(pictures: Any) -> str:
    """MP4 where they fit in one, Matroska else."""
    return ".mp4" if pictures.codec_context.name in IN_MP4 else ".mkv"


def copy_pictures(
    film: Any, pictures: Any, out: Any, progress: Progress, before: Callable[[float], None] = lambda _s: None
) -> float:
    """Seconds of them. `before` is called with the time of each that is to be written. Errors: Stopped, FFmpeg's."""
    stream = out.add_stream_from_template(pictures)
    total, end = float((film.duration or 0) / av.time_base) or 1.0, 0.0
    for packet in film.demux(pictures):
        if packet.dts is None:
            continue
        time = float((packet.pts if packet.pts is not None else packet.dts) * packet.time_base)
        end = max(end, time + float((packet.duration or 0) * packet.time_base))
        before(time)
        packet.stream = stream
        out.mux(packet)
        if not progress(min(1.0, time / total)):
            raise Stopped
    return end
