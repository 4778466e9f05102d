"""The backing player: a track on two channels, and a count-in on a third that only who is routed to it hears."""

from typing import Protocol

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
CLICK_S = 0.03
CLICK_HZ = (1760.0, 1320.0)  # the first beat, the others
CLICK_LEVEL = 0.25


class TrackLike(Protocol):
    """A track in memory or in a file; `loop` is (first frame, end), an end of 0 the end of the track. `jumps` are where
    the newest block went on elsewhere: (frame of the block, frame of the track, or −1 where nothing was ready)."""

    length: int
    position: int
    loop: tuple[int, int]
    jumps: list[tuple[int, int]]

    def seek(self, frame: int) -> None: ...

    def block(self, n: int) -> F32: ...

    def close(self) -> None: ...


def click(rate_hz: int, first: bool) -> F32:
    t = np.arange(round(CLICK_S * rate_hz)) / rate_hz
    fall = np.exp(-t / (CLICK_S / 5)) * np.minimum(1.0, t / 0.001)
    return (CLICK_LEVEL * fall * np.sin(2 * np.pi * CLICK_HZ[0 if first else 1] * t)).astype(np.float32)


class BackingPlayer:
    """`position` is the next frame of the track it sends, negative while it counts in. `marks` are where in the newest
    block the track began, stopped (−1) or went on elsewhere."""

    def __init__(self, track: TrackLike, rate_hz: int, beats: int = 0, tempo_bpm: float = 100.0):
        self.track, self.rate = track, rate_hz
        self.playing = False
        self.jumped = False  # whether the music went round since somebody last looked
        self.marks: list[tuple[int, int]] = []
        self._next: int | None = None  # the track's frame that the next block begins with, None while nothing plays
        self.gain = 1.0
        self._gain_now = 1.0
        self._count_left = 0
        self.set_count_in(beats, tempo_bpm)

    def set_count_in(self, beats: int, tempo_bpm: float) -> None:
        self._beat = round(60 / tempo_bpm * self.rate)
        self._count = np.zeros(beats * self._beat, np.float32)
        for i in range(beats):
            sound = click(self.rate, i == 0)[: self._beat]
            self._count[i * self._beat : i * self._beat + len(sound)] = sound

    @property
    def length(self) -> int:
        return self.track.length

    @property
    def position(self) -> int:
        return self.track.position - self._count_left

    def play(self) -> None:
        """Counts in, where it has a count-in and stands at the beginning or at the loop's."""
        self.playing = True
        at_start = self.track.position in (0, self.track.loop[0])
        self._count_left = len(self._count) if at_start else 0

    def pause(self) -> None:
        self.playing = False
        self._count_left = 0

    def seek(self, frame: int) -> None:
        self._count_left = 0
        self.track.seek(frame % self.length if self.length else frame)

    def leap(self, frames: int) -> None:
        """Where it would be so much later."""
        counted = min(frames, self._count_left)
        self._count_left -= counted
        position = self.track.position + frames - counted
        first, end = self.track.loop
        end = end if self.track.position < end else self.length
        if end and position >= end:
            position = first + (position - end) % max(1, end - first)
        self.track.seek(position)

    def use(self, track: TrackLike) -> None:
        """Another track, from its beginning."""
        old, self.track = self.track, track
        self._count_left = 0
        old.close()

    def _mark(self, at: int, frame: int) -> None:
        """From frame `at` of the block the track plays from `frame`, −1: nothing plays; noted where that is news."""
        going_on = frame == self._next or (frame < 0 and self._next is None)
        if not going_on:
            self.marks.append((at, frame))
        self._next = None if frame < 0 else frame

    def block(self, n: int) -> F32:
        """[3, n]: left, right, count-in."""
        out = np.zeros((3, n), np.float32)
        self.marks = []
        if not self.playing:
            self._mark(0, -1)
            return out
        counted = min(n, self._count_left)
        if counted:
            at = len(self._count) - self._count_left
            out[2, :counted] = self._count[at : at + counted]
            self._count_left -= counted
            self._mark(0, -1)
        if counted < n:
            before = self.track.position
            self._mark(counted, before)
            out[:2, counted:] = self.track.block(n - counted)
            for at, frame in self.track.jumps:
                self._mark(counted + at, frame)
            self._next = None if self._next is None else self.track.position
            self.jumped = self.jumped or self.track.position < before
        if self.gain != 1.0 or self._gain_now != 1.0:
            out[:2] *= np.linspace(self._gain_now, self.gain, n, dtype=np.float32)
            self._gain_now = self.gain
        return out
