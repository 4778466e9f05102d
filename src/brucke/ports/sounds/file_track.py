"""A backing track that is read ahead from its file while it plays: decoded in a process of its own (`decoding.py`),
taken block by block."""

import threading
from collections import deque
from pathlib import Path

import numpy as np
import numpy.typing as npt

from .decoding import DecoderEnded, DecodingProcess
from .files import SoundFileError

F32 = npt.NDArray[np.float32]
AHEAD_S = 4.0
MOST_AT_ONE_PLACE = 2  # a decoder that ends so often at one place is taken past it
PAST_S = 1.0
PAUSE_S = 0.2


class FileTrack:
    """A track read ahead by a thread of its own; the block path only takes what is there. `troubles` is how often its
    decoder ended and was started again, where it went on."""

    def __init__(self, path: Path, rate_hz: int, wait: bool = True):
        """Errors: SoundFileError for what is no sound, unless nobody is to `wait`: then it plays nothing."""
        self._path = path
        self._decoder = DecodingProcess(path, rate_hz)
        self.length = self.troubles = 0
        if wait:
            self._open()
        self._opened = wait
        self._at_one_place = (-1, 0)
        self.position = 0
        self.late_frames = 0
        self._loop = (0, 0)  # an end of 0 is the end of the file
        self._ready: deque[tuple[int, F32]] = deque()
        self._held = 0
        self._wanted: int | None = None
        self._closed = False
        self.jumps: list[tuple[int, int]] = []
        self._change = threading.Condition()
        self._rate = rate_hz
        self._thread = threading.Thread(target=self._read_ahead, daemon=True)
        self._thread.start()

    @property
    def loop(self) -> tuple[int, int]:
        return self._loop

    @loop.setter
    def loop(self, loop: tuple[int, int]) -> None:
        if loop != self._loop:
            self._loop = loop
            self.seek(self.position)

    def seek(self, frame: int) -> None:
        with self._change:
            self._wanted = max(0, frame)
            self._ready.clear()
            self._held = 0
            self.position = max(0, frame)
            self._change.notify()

    def block(self, n: int) -> F32:
        out = np.zeros((2, n), np.float32)
        done = 0
        self.jumps = []
        with self._change:
            while done < n and self._ready:
                at, sound = self._ready[0]
                if at != self.position:
                    self.jumps.append((done, at))
                take = min(n - done, sound.shape[1])
                out[:, done : done + take] = sound[:, :take]
                done += take
                self.position = at + take
                self._held -= take
                if take == sound.shape[1]:
                    self._ready.popleft()
                else:
                    self._ready[0] = (at + take, sound[:, take:])
            self._change.notify()
        if done < n:
            self.jumps.append((done, -1))
        self.late_frames += n - done
        return out

    def wait_ready(self, seconds: float = 2.0) -> bool:
        """Until something can be played."""
        with self._change:
            return self._change.wait_for(lambda: bool(self._ready) or self._closed, seconds)

    def close(self) -> None:
        with self._change:
            self._closed = True
            self._change.notify()
        self._decoder.end()  # the thread may wait for it

    def _open(self) -> None:
        """Errors: SoundFileError."""
        try:
            self._decoder.wait_open()
        except DecoderEnded:
            self._decoder.close()
            raise SoundFileError(f"{self._path.name}: the file: its decoder ended on it") from None
        except SoundFileError:
            self._decoder.close()
            raise
        self.length = self._decoder.length

    def _read_ahead(self) -> None:
        try:
            if not self._opened:
                self._open()
        except SoundFileError:
            with self._change:
                self._closed = True
                self._change.notify()
            return
        while self._wait_for_room():
            try:
                self._read_on()
            except DecoderEnded:
                self._begin_again()
        self._decoder.close()

    def _wait_for_room(self) -> bool:
        """Until more is to be read; False where it is closed."""
        with self._change:
            self._change.wait_for(lambda: self._closed or self._wanted is not None or self._held < AHEAD_S * self._rate)
            return not self._closed

    def _begin_again(self) -> None:
        """Another decoder, where the one before had come to; where that ends it always, a little later in the file."""
        at = self._decoder.at
        place, times = self._at_one_place
        self._at_one_place = (at, times + 1 if at == place else 1)
        self.troubles += 1
        self._decoder.close()
        with self._change:
            if self._change.wait_for(lambda: self._closed, PAUSE_S):
                return
        if self._at_one_place[1] > MOST_AT_ONE_PLACE:
            at += round(PAST_S * self._rate)
        try:
            self._decoder = DecodingProcess(self._path, self._rate)
            self._decoder.wait_open()
            self._decoder.seek(at)
        except (DecoderEnded, SoundFileError, OSError):
            self._decoder.at = at

    def _read_on(self) -> None:
        """One chunk more. Errors: DecoderEnded."""
        decoder = self._decoder
        with self._change:
            wanted, self._wanted = self._wanted, None
        if wanted is not None:
            decoder.seek(wanted)
        at = decoder.at
        first, end = self._loop
        sound = decoder.chunk()
        if sound is not None and at < end <= at + sound.shape[1]:
            sound = sound[:, : end - at]
            decoder.seek(first)
        if sound is None:
            if at > 0 and not self.length:
                self.length = at
            decoder.seek(first if at > first else 0)
            if at <= first:  # nothing there at all
                with self._change:
                    self._closed = True
            return
        with self._change:
            if self._wanted is None:
                self._ready.append((at, sound))
                self._held += sound.shape[1]
                self._change.notify()
