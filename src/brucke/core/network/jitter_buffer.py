"""Sound from another computer by the frames of its sender, until its time has come; what never came is silence that
fades. Pure."""

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
FADE = 64  # frames at both sides of a hole


class JitterBuffer:
    """Of some streams of two channels, all by the frames of one sender. `frames` is how much it holds."""

    def __init__(self, streams: int, frames: int = 32768):
        self.streams, self._size = streams, frames
        self._sound = np.zeros((frames, 2 * streams), np.float32)
        self._there = np.zeros((frames, streams), bool)
        self._refused = np.zeros((frames, streams), bool)  # what was faded away already
        self._refuses = False  # whether there is any of it
        self._taken = 0  # the frame before which nothing is wanted any more
        self._newest = [0] * streams  # the frame behind the newest one that came
        self._whole = [0] * streams  # the frame before which, from what was taken on, all is there
        self._hole = [0] * streams  # behind the newest hole in what was taken
        self.late = [0] * streams  # frames that came after their time
        self.lost = [0] * streams  # frames that were not there at their time

    def _spans(self, first: int, end: int) -> list[tuple[int, int, int]]:
        """(frames before it, from, to) of the pieces of the ring that hold these frames."""
        at = first % self._size
        if at + end - first <= self._size:
            return [(0, at, at + end - first)]
        before = self._size - at
        return [(0, at, self._size), (before, 0, end - first - before)]

    def put(self, stream: int, first: int, sound: F32) -> None:
        """[frames, 2] of a stream from its sender's frame `first`. What is too old or too far ahead is left out."""
        end = first + len(sound)
        begin = max(first, self._taken)
        self.late[stream] += max(0, min(end, self._taken) - first)
        if begin >= end or end > self._taken + self._size - 2 * FADE:
            return
        for before, low, high in self._spans(begin, end):
            piece = sound[begin - first + before : begin - first + before + high - low]
            self._sound[low:high, 2 * stream : 2 * stream + 2] = piece
            self._there[low:high, stream] = ~self._refused[low:high, stream] if self._refuses else True
        if begin == self._whole[stream] == self._newest[stream] and not self._refuses:
            self._whole[stream] = self._newest[stream] = end  # mostly: what comes is what comes next
            return
        self._newest[stream] = max(self._newest[stream], end)
        if begin <= self._whole[stream]:
            self._find_whole(stream)

    def _find_whole(self, stream: int) -> None:
        """How far all is there, from where that was known."""
        for _, low, high in self._spans(self._whole[stream], max(self._newest[stream], self._whole[stream])):
            missing = ~self._there[low:high, stream]
            if missing.any():
                self._whole[stream] += int(missing.argmax())
                return
            self._whole[stream] += high - low

    def newest(self, stream: int) -> int:
        """The frame behind the newest one that came of a stream."""
        return self._newest[stream]

    def begin_at(self, frame: int) -> None:
        """Whatever is before this is not wanted."""
        self._there[:], self._refused[:] = False, False
        self._refuses = False
        self._taken = frame
        self._newest = [frame] * self.streams
        self._whole, self._hole = [frame] * self.streams, [frame] * self.streams

    @property
    def taken(self) -> int:
        return self._taken

    def complete_to(self, streams: list[int], most: int) -> int:
        """The frame before which all these streams are there, at most `most`."""
        return min([most, *(self._whole[i] for i in streams)])

    def take(self, end: int) -> F32:
        """All streams [frames, 2·streams] up to the sender's frame `end`. Holes are silent, with faded sides. What is
        missing within FADE frames beyond `end` counts as a hole from now on, whether it comes or not."""
        first, self._taken = self._taken, end
        if min(self._whole, default=end) >= end + FADE and max(self._hole, default=first) <= first - FADE:
            sound: F32 = np.concatenate([self._sound[low:high] for _, low, high in self._spans(first, end)])
        else:
            sound = self._take_with_holes(first, end)
        for _, low, high in self._spans(first - FADE, end - FADE):
            self._there[low:high] = False
            if self._refuses:
                self._refused[low:high] = False
        if self._refuses:
            self._refuses = bool(self._refused.any())
        return sound

    def _take_with_holes(self, first: int, end: int) -> F32:
        count = end - first
        at = np.arange(first - FADE, end + FADE) % self._size
        there = self._there[at]
        inside = slice(FADE, FADE + count)
        sound = self._sound[at[inside]] * np.repeat(_gains(there)[inside], 2, axis=1)
        for stream in range(self.streams):
            holes, beyond = np.flatnonzero(~there[inside, stream]), np.flatnonzero(~there[FADE + count :, stream])
            self.lost[stream] += len(holes)
            if len(holes):
                self._hole[stream] = first + int(holes[-1]) + 1
            if len(beyond):
                self._refused[at[FADE + count + int(beyond[0])], stream] = self._refuses = True
            if self._whole[stream] < end:
                self._whole[stream] = end
                self._find_whole(stream)
        return sound


def _gains(there: npt.NDArray[np.bool_]) -> F32:
    """[frames, streams] how loud every frame is: 0 in holes, rising and falling within FADE frames beside them."""
    frames = len(there)
    gains = np.ones(there.shape, np.float32)
    at = np.arange(frames)
    for stream in range(there.shape[1]):
        holes = np.flatnonzero(~there[:, stream])
        if not len(holes):
            continue
        place = np.searchsorted(holes, at)
        before = at - holes[np.maximum(place - 1, 0)]
        before[place == 0] = frames
        after = holes[np.minimum(place, len(holes) - 1)] - at
        after[place == len(holes)] = frames
        near = np.minimum(np.where(before < 0, frames, before), after)
        ramp = np.minimum(near, FADE) / FADE
        gains[:, stream] = np.where(there[:, stream], 0.5 - 0.5 * np.cos(np.pi * ramp), 0.0)
    return gains
