"""A take as it is after its edits: tracks and mixes as blocks, click-free at every seam.

Convention: blocks are float32 [channels, frames]; a seam fades out and in over SEAM_S on both sides, so that what is
left lasts exactly as long as its stretches.
"""

from bisect import bisect_left
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec
import numpy as np

from ..core.measure.correlation import F32
from ..core.sound.chain_parameters import latency_frames
from ..core.units import db_to_gain
from .broadcast_wav import shifted
from .edits import NONE, Edits, Stretch, TrackEdits, kept
from .sounds import track_blocks, track_frames
from .take import Take, TakeError

SEAM_S = 0.01
# (folder, take, listener) → (rate, blocks [2, frames]) of a mix that is made anew from the edited parts.
Remix = Callable[[Path, Take, str], tuple[int, Iterator[F32]]]


def ramp(length: int) -> F32:
    """[length] from 0 to 1, a raised cosine."""
    return (0.5 - 0.5 * np.cos(np.pi * (np.arange(length) + 0.5) / max(1, length))).astype(np.float32)


class Envelope:
    """The gain of one track over time, with ramps of SEAM_S inside the muted and raised stretches' edges."""

    def __init__(self, track: TrackEdits, rate: int):
        self._rate, self._edge = rate, round(SEAM_S * rate)
        self._all = float(db_to_gain(track.gain_db))
        self._stretches = sorted(
            [(round(s.begin_s * rate), round(s.end_s * rate), 0.0) for s in track.muted]
            + [(round(r.begin_s * rate), round(r.end_s * rate), float(db_to_gain(r.gain_db))) for r in track.raised]
        )
        self._begins = [s[0] for s in self._stretches]
        self._longest = max((b - a for a, b, _g in self._stretches), default=0)

    def apply(self, block: F32, at: int) -> F32:
        """`block` [channels, frames] that begins at frame `at` of the track."""
        count = block.shape[1]
        gain = np.full(count, self._all, np.float32)
        first = bisect_left(self._begins, at - self._longest)
        for begin, end, to in self._stretches[first:]:
            if begin >= at + count:
                break
            a, b = max(begin, at), min(end, at + count)
            if a < b:
                gain[a - at : b - at] *= self._inside(begin, end, to)[a - begin : b - begin]
        return np.ascontiguousarray(block * gain)

    def _inside(self, begin: int, end: int, to: float) -> F32:
        edge = min(self._edge, (end - begin) // 2)
        shape = np.full(end - begin, to, np.float32)
        up = ramp(edge)
        shape[:edge] = 1.0 + (to - 1.0) * up
        shape[len(shape) - edge :] = (1.0 + (to - 1.0) * up)[::-1]
        return shape


class Sounds(msgspec.Struct, frozen=True):
    """The sounds of a take after its edits. `remix` makes a mix anew where single tracks of it were edited; without one
    that is refused."""

    folder: Path
    take: Take
    remix: Remix | None = None

    @property
    def seconds(self) -> float:
        """Of the take as it was recorded."""
        lengths = [track_frames(self.folder, f) for f in (*self.take.parts.values(), *self.take.listeners.values())]
        return max((n / rate for n, rate in lengths), default=0.0)

    def part(self, id: str, processed: bool = False) -> tuple[int, int, Iterator[F32]]:
        """(rate, channels, blocks) of a part with its own edits, on the take's own time: nothing is left out yet.
        `processed` is what its chain made of it, brought back by what that costs. Errors: TakeError."""
        files = self.take.processed if processed else self.take.parts
        rate, channels, blocks = track_blocks(self.folder, files[id])
        track = self.take.edits.of(id)
        frames = round(self.seconds * rate)
        if processed:
            setup = self.take.setup
            costs = latency_frames(setup.part(id).chain, setup.block_frames)
            blocks = (np.ascontiguousarray(b.T) for b in shifted(blocks, -costs, frames))
        if track == NONE:
            return rate, channels, (np.ascontiguousarray(b.T) for b in blocks)
        envelope = Envelope(track, rate)

        def edited() -> Iterator[F32]:
            at = 0
            for block in blocks:
                yield envelope.apply(block.T, at).T
                at += len(block)

        return rate, channels, shifted(edited(), round(track.moved_s * rate), frames)

    def mix(self, listener: str) -> tuple[int, Iterator[F32]]:
        """(rate, blocks [2, frames]) of what a listener got, on the take's own time. Where single tracks in it were
        edited it is made anew from them. Errors: TakeError."""
        if self.remixed(listener):
            if self.remix is None:
                raise TakeError(f"{self.folder.name}: single tracks were edited; the mix has to be made anew for that")
            return self.remix(self.folder, self.take, listener)
        rate, channels, blocks = track_blocks(self.folder, self.take.listeners[listener])

        def both() -> Iterator[F32]:
            for block in blocks:
                two = block if channels == 2 else np.repeat(block.sum(axis=1, keepdims=True), 2, axis=1)
                yield np.ascontiguousarray(two.T)

        return rate, both()

    def remixed(self, listener: str) -> bool:
        """Whether a track that this listener hears was edited by itself."""
        routed = {r.part for r in self.take.setup.routes if r.listener == listener and r.on}
        return any(part in routed for part in self.take.edits.tracks)

    def left(self, rate: int, blocks: Iterator[F32]) -> Iterator[F32]:
        """What is left of blocks [channels, frames] on the take's own time."""
        return left(blocks, self.take.edits, self.seconds, rate)

    def left_frames(self, rate: int) -> int:
        return sum(b - a for a, b in _frames(kept(self.take.edits, self.seconds), rate))


def _frames(stretches: list[Stretch], rate: int) -> list[tuple[int, int]]:
    return [(round(s.begin_s * rate), round(s.end_s * rate)) for s in stretches]


def left(blocks: Iterator[F32], edits: Edits, seconds: float, rate: int) -> Iterator[F32]:
    """Only what was not left out, faded at its seams, and at its very beginning and end as the edits say."""
    keeps = _frames(kept(edits, seconds), rate)
    if not keeps:
        return
    edge, at, now = round(SEAM_S * rate), 0, 0
    fades = (round(edits.fade_in_s * rate), round(edits.fade_out_s * rate))
    whole = (0, round(seconds * rate))
    for block in blocks:
        while now < len(keeps) and block.shape[1]:
            begin, end = keeps[now]
            low, high = max(begin, at), min(end, at + block.shape[1])
            if low >= high:
                if end <= at:
                    now += 1
                    continue
                break
            piece = block[:, low - at : high - at].copy()
            into = fades[0] if now == 0 and fades[0] else (edge if begin > whole[0] else 0)
            out = fades[1] if now == len(keeps) - 1 and fades[1] else (edge if end < whole[1] else 0)
            _fade(piece, low - begin, end - begin, into, out)
            yield piece
            if end > at + block.shape[1]:
                break
            now += 1
        at += block.shape[1]


def _fade(piece: F32, at: int, length: int, into: int, out: int) -> None:
    """In place: `piece` begins `at` frames into a stretch of `length`."""
    into, out = min(into, length // 2), min(out, length // 2)
    if at < into:
        shape = ramp(into)[at : at + piece.shape[1]]
        piece[:, : len(shape)] *= shape
    first = length - out  # of the stretch
    if out and at + piece.shape[1] > first:
        begin = max(0, first - at)
        shape = ramp(out)[::-1][at + begin - first : at + piece.shape[1] - first]
        piece[:, begin : begin + len(shape)] *= shape
