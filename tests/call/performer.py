"""Somebody who sings to what reaches their ears, on the desktop's own clock: nothing tells them how late that is."""

import threading
from types import SimpleNamespace

import numpy as np

from brucke.ports.devices.server.port import ServerPort

from ..desktop_server import RATE, Nothing

N = 128
LISTENS_S = 2.0


class Performer:
    """Plays `song`, over and over, into the ports `into`, as a program would; hears the port `ear`, and sings `voice` into
    `mouth` so that it is heard where the song is. Both mono, of one length."""

    def __init__(self, desktop, song, voice, into, ear, mouth):
        self.song, self.voice, self.lag = song, voice, None
        self._heard, self._from = [], None
        self._block = np.zeros((1, N), np.float32)
        track, body = SimpleNamespace(come=(), go=((0, 0),)), SimpleNamespace(come=(0,), go=((0, 0),))
        self._track, self._body = (
            ServerPort(ends, Nothing(1), N, RATE, lambda *_: None, f"performer.{name}")
            for name, ends in (("track", track), ("body", body))
        )
        self._goes_on = True
        both = ((self._track, self._play), (self._body, self._sing))
        self._threads = [threading.Thread(target=port.drive, args=(do,), daemon=True) for port, do in both]
        for t in self._threads:
            t.start()
        pairs = [("performer.track:out 1 1", p) for p in into] + [(ear, "performer.body:in 1")]
        for a, b in [*pairs, ("performer.body:out 1 1", mouth)]:
            desktop.until(lambda a=a, b=b: desktop.ask("pw-link", a, b).returncode == 0)

    def _play(self):
        at = self._track._position % len(self.song) // N * N
        self._track.write(np.take(self.song, np.arange(at, at + N), mode="wrap")[None, None])
        return self._goes_on

    def _sing(self):
        self._body.read(self._block)
        position, sound = self._body._position, np.zeros(N, np.float32)
        if self.lag is None:
            self._listen(position)
        else:
            sound = np.take(self.voice, np.arange(position - self.lag, position - self.lag + N), mode="wrap")
        self._body.write(sound[None, None])
        return self._goes_on

    def _listen(self, position):
        """Until two seconds were heard without a gap; then they know where in the song they are."""
        if not self._block.any() or (self._heard and position != self._from + len(self._heard) * N):
            self._heard = []
        if not self._heard:
            self._from = position
        self._heard.append(self._block[0].copy())
        if len(self._heard) * N >= LISTENS_S * RATE:
            heard = np.concatenate(self._heard)
            size = 2 ** int(np.ceil(np.log2(len(self.song) + len(heard))))
            looped = np.concatenate([self.song, self.song[: len(heard)]])
            c = np.fft.irfft(np.fft.rfft(looped, 2 * size) * np.conj(np.fft.rfft(heard, 2 * size)))
            self.lag = (self._from - int(np.argmax(np.abs(c[: len(self.song)])))) % len(self.song)

    def end(self):
        self._goes_on = False
        for t in self._threads:
            t.join(5)
