"""Somebody who sings to what reaches their ears, on the desktop's own clock: nothing tells them how late that is."""

import contextlib
import gc
import os
import subprocess
import sys
import threading
import time
from types import SimpleNamespace

import numpy as np
from scipy.signal import butter, correlate, sosfilt

from brucke.core.measure.correlation import correlate as correlate_known
from brucke.core.measure.correlation import find_peak
from brucke.core.measure.stimulus import taper
from brucke.ports.devices.server.port import ServerPort

from ..desktop_server import RATE, Nothing

N = 128
LISTENS_S = 2.0
WITHIN = round(0.6 * RATE)


class Body:
    """`plays` the song over and over, as a program would; sings `voice` so that it is heard where the song is. Both
    mono, of one length."""

    def __init__(self, song, voice, plays):
        self.song, self.voice, self.lag = song, voice, None
        self._heard, self._from, self._thinking = [], None, None
        self._block = np.zeros((1, N), np.float32)
        track, body = SimpleNamespace(come=(), go=((0, 0),)), SimpleNamespace(come=(0,), go=((0, 0),))
        self._track, self._body = (
            ServerPort(ends, Nothing(1), N, RATE, lambda *_: None, f"performer.{name}")
            for name, ends in (("track", track), ("body", body))
        )
        self._goes_on = True
        both = [(self._body, self._sing), *([(self._track, self._play)] if plays else [])]
        self._threads = [threading.Thread(target=port.drive, args=(do,), daemon=True) for port, do in both]
        for t in self._threads:
            t.start()

    def _play(self):
        at = self._track._position % len(self.song) // N * N
        self._track.write(np.take(self.song, np.arange(at, at + N), mode="wrap")[None, None])
        return self._goes_on

    def _sing(self):
        self._body.read(self._block)
        position, sound = self._body._position, np.zeros(N, np.float32)
        self._listen(position)
        if self.lag is not None:
            sound = np.take(self.voice, np.arange(position - self.lag, position - self.lag + N), mode="wrap")
        self._body.write(sound[None, None])
        return self._goes_on

    def _listen(self, position):
        """Every two seconds of what was heard tell them where in the song they are, with whatever was missed of
        them."""
        if self._from is None:
            self._from = position if self._block.any() else None
            return
        self._heard.append((position - self._from, self._block[0].copy()))
        if position - self._from < LISTENS_S * RATE:
            return
        if (
            self._thinking is None or not self._thinking.is_alive()
        ):  # aside: who takes a second over a block is taken for gone
            self._thinking = threading.Thread(target=self._think, args=(self._heard, self._from, position - self._from))
            self._thinking.start()
        self._heard, self._from = [], None

    def _think(self, heard, begin, frames):
        line = np.zeros(frames + N, np.float32)
        for at, sound in heard:
            line[at : at + N] = sound
        looped = np.concatenate([self.song, self.song[: len(line)]])
        found = int(np.argmax(np.abs(correlate(looped, line, "valid", "fft")[: len(self.song)])))
        self.lag = (begin - found) % len(self.song)

    def end(self):
        self._goes_on = False
        for t in self._threads:
            t.join(5)


class Performer:
    """The same in a process of its own: a window beside it would hold it up, and it everybody else. `lag` once they
    sing."""

    def __init__(self, desktop, folder, song, voice, into, ear, mouth):
        np.save(folder / "performer.npy", np.stack([song, voice]))
        plays = "plays" if into else ""
        self.process = desktop.run(
            sys.executable, "-m", "tests.call.performer", str(folder / "performer.npy"), plays, stdout=subprocess.PIPE
        )
        os.set_blocking(self.process.stdout.fileno(), False)
        pairs = [("performer.track:out 1 1", p) for p in into] + [(ear, "performer.body:in 1")]
        # The link that closes the circle is the one the server hands over a cycle later, as it did with a cable.
        for a, b in [*pairs, ("performer.body:out 1 1", mouth)]:
            desktop.until(lambda a=a, b=b: desktop.ask("pw-link", a, b).returncode == 0)

    @property
    def lag(self):
        said = self.process.stdout.read() or b""
        self._lag = getattr(self, "_lag", None) if not said else int(said.split()[-1])
        return self._lag

    def end(self):
        self.process.kill()
        self.process.wait()


def main():
    song, voice = np.load(sys.argv[1])
    with contextlib.suppress(OSError):
        os.sched_setscheduler(0, os.SCHED_FIFO, os.sched_param(15))
    gc.disable()
    sys.setswitchinterval(1e-4)
    body, told = Body(song, voice, bool(sys.argv[2])), None
    while True:
        time.sleep(0.05)
        if body.lag != told:
            told = body.lag
            print(told, flush=True)


def known(seed, seconds=30):
    """Sound that does not repeat within it and goes well through a coder: noise of the middle."""
    rng = np.random.default_rng(seed)
    sos = butter(2, (200, 6000), "band", fs=RATE, output="sos")
    return (0.1 * sosfilt(sos, rng.standard_normal(seconds * RATE // 128 * 128))).astype(np.float32)


def where(song, heard):
    """The frame of the song with which what was heard begins, by its first seconds."""
    first = heard[2 * RATE : 8 * RATE]
    looped = np.concatenate([song, song[: len(first)]])
    return int(np.argmax(np.abs(correlate(looped, first, "valid", "fft")))) - 2 * RATE


def in_step(song, voice, heard):
    """(by second, how many frames the voice stands later than the song; seconds in which there is no one delay). What
    waits between the two ends of a call grows and shrinks by whole pieces, for both alike: a second with such a jump in
    it has two."""
    begin = where(song, heard)
    apart, jumped = [], 0
    for at in range(0, len(heard) - 3 * RATE, RATE):
        halves = [lag_of(song, heard, begin, at + k * RATE // 2, RATE // 2) for k in (0, 1)]
        both = [lag_of(sound, heard, begin, at, RATE) for sound in (song, voice)]
        if None in (*halves, *both) or abs(halves[0] - halves[1]) > 1:
            jumped += 1
        else:
            apart.append(both[1] - both[0])
    return np.array(apart), jumped


def lag_of(sound, heard, begin, at, frames):
    """How much later a sound stands from `at` on than a quarter of a second before what began with frame `begin`; None
    where it is not found."""
    expected = np.take(sound, np.arange(at, at + frames) + begin + RATE // 4, mode="wrap")
    c = correlate_known(taper(expected, RATE), taper(heard[at : at + frames + WITHIN], RATE), (0, WITHIN - 1))
    peak = find_peak(c, RATE, signed=False)
    return peak.lag if peak.to_rms > 8 else None


if __name__ == "__main__":
    main()
