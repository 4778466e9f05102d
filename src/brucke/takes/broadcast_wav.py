"""Sound as broadcast WAV: 24 bits, and where on the clock of the day it begins (EBU Tech 3285, time reference), written
by FFmpeg's own writer. Longer than 4 GB it is RF64 (EBU Tech 3306)."""

from collections.abc import Iterator
from contextlib import suppress
from datetime import datetime
from pathlib import Path
from types import TracebackType

import av
import numpy as np

from ..core.measure.correlation import F32
from .whole_file import whole_file

FULL = 2.0**31
UNSIGNED = {"fflags": "+bitexact"}  # the writer does not put its own name and version into the file


def time_reference(date: str, rate_hz: int) -> int:
    """Frames since midnight, of an ISO date with its time."""
    at = datetime.fromisoformat(date)
    return round((at.hour * 3600 + at.minute * 60 + at.second + at.microsecond * 1e-6) * rate_hz)


class BroadcastWav:
    """A file that grows by blocks [channels, frames]; nobody sees it before `complete`. Errors: OSError."""

    def __init__(self, path: Path, channels: int, rate_hz: int, reference: int, date: str):
        self._path, self._whole = path, whole_file(path)
        self._file = av.open(
            str(self._whole.__enter__()), "w", format="wav",
            options={"write_bext": "1", "rf64": "auto", **UNSIGNED},
        )  # fmt: skip
        at = datetime.fromisoformat(date)
        self._file.metadata.update(
            {
                "time_reference": str(reference), "origination_date": at.strftime("%Y-%m-%d"),
                "origination_time": at.strftime("%H:%M:%S"),
            }
        )  # fmt: skip
        self._stream = self._file.add_stream("pcm_s24le", rate=rate_hz)
        self._layout = "mono" if channels == 1 else "stereo" if channels == 2 else f"{channels}c"
        self._stream.layout = self._layout
        self._at = 0

    def write(self, sound: F32) -> None:
        whole = np.clip(sound * FULL, -FULL, FULL - 256).astype(np.int32)
        packed = np.ascontiguousarray(whole.T).reshape(1, -1)
        frame = av.AudioFrame.from_ndarray(packed, format="s32", layout=self._layout)
        frame.sample_rate, frame.pts = self._stream.rate, self._at
        self._at += sound.shape[1]
        for packet in self._stream.encode(frame):
            self._file.mux(packet)

    def complete(self) -> Path:
        for packet in self._stream.encode(None):
            self._file.mux(packet)
        self._file.close()
        self._whole.__exit__(None, None, None)
        return self._path

    def __enter__(self) -> "BroadcastWav":
        return self

    def __exit__(self, kind: type[BaseException] | None, e: BaseException | None, tb: TracebackType | None) -> None:
        if kind is None:
            try:
                self.complete()
            except OSError as full:
                self._leave(full)
                raise
            return
        with suppress(OSError):  # what it holds back finds no room either
            self._file.close()
        self._leave(e or OSError("left"))

    def _leave(self, e: BaseException) -> None:
        """Nothing of it stays."""
        with suppress(OSError, RuntimeError):
            self._whole.__exit__(type(e), e, None)


def shifted(blocks: Iterator[F32], by: int, frames: int) -> Iterator[F32]:
    """Blocks [frames, channels] as [channels, frames], `by` frames later (earlier where it is negative: their
    beginning is left out), ended or gone on in silence to so many `frames`."""
    done, skip, channels = 0, max(0, -by), 1
    first = True
    for block in blocks:
        if first and by > 0:
            pad = np.zeros((block.shape[1], min(by, frames)), np.float32)
            yield pad
            done += pad.shape[1]
        first, channels = False, block.shape[1]
        if skip:
            cut = min(skip, len(block))
            block, skip = block[cut:], skip - cut
        block = block[: frames - done]
        if len(block):
            yield np.ascontiguousarray(block.T)
            done += len(block)
    if done < frames:
        yield np.zeros((channels, frames - done), np.float32)
