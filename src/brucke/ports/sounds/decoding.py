"""A file's sound, decoded in a process of its own: a file that makes a decoder fall over takes nothing along but
itself.

python -m brucke.ports.sounds.decoding FILE RATE — started by `DecodingProcess`, asked over its standard input.
"""

import struct
import subprocess
import sys
from pathlib import Path

import numpy as np
import numpy.typing as npt

from ...core.errors import BruckeError
from .files import SoundFileError

F32 = npt.NDArray[np.float32]
HEAD = struct.Struct("<qq")  # (frame that a chunk begins with, frames of it), or (length of an error's text, REFUSED)
ASK = struct.Struct("<cq")
CHUNK, SEEK = b"c", b"s"
END, REFUSED = -1, -2
CHANNELS = 2
MOST_FRAMES = 2**24
MOST_TEXT = 4000


class DecoderEnded(BruckeError, RuntimeError):
    """The process has ended, and nobody asked it to."""

    code = "decoder_ended"


class DecodingProcess:
    """As `track.Decoder`, which it runs; `length` in frames is known after `wait_open`."""

    def __init__(self, path: Path, rate_hz: int):
        self.at = self.length = 0
        self._process = subprocess.Popen(
            [sys.executable, "-m", "brucke.ports.sounds.decoding", str(path), str(rate_hz)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL,
        )  # fmt: skip

    def wait_open(self) -> None:
        """Errors: SoundFileError for what is no sound, DecoderEnded."""
        first, kind = self._head()
        if kind == REFUSED:
            raise SoundFileError(self._read(min(first, MOST_TEXT)).decode(errors="replace"))
        self.length = first

    def seek(self, frame: int) -> None:
        """The next chunk begins with `frame`. Errors: DecoderEnded."""
        self.at = frame
        self._ask(SEEK, frame)

    def chunk(self) -> F32 | None:
        """The next sound [2, frames], or None at the end. Errors: DecoderEnded."""
        self._ask(CHUNK, 0)
        _first, frames = self._head()
        if frames == END:
            return None
        if not 0 < frames <= MOST_FRAMES:
            raise DecoderEnded
        sound = np.frombuffer(self._read(4 * CHANNELS * frames), np.float32).reshape(CHANNELS, frames)
        self.at += frames
        return sound

    def end(self) -> None:
        """Whoever waits for it goes on."""
        self._process.kill()

    def close(self) -> None:
        """At once."""
        self._process.kill()
        for pipe in (self._process.stdin, self._process.stdout):
            if pipe is not None:
                try:
                    pipe.close()
                except OSError:
                    continue
        self._process.wait()

    def _ask(self, what: bytes, frame: int) -> None:
        assert self._process.stdin is not None
        try:
            self._process.stdin.write(ASK.pack(what, frame))
            self._process.stdin.flush()
        except (OSError, ValueError):
            raise DecoderEnded from None

    def _head(self) -> tuple[int, int]:
        first, frames = HEAD.unpack(self._read(HEAD.size))
        return first, frames

    def _read(self, count: int) -> bytes:
        assert self._process.stdout is not None
        try:
            data = self._process.stdout.read(count)
        except (OSError, ValueError):
            raise DecoderEnded from None
        if len(data) < count:
            raise DecoderEnded
        return data


def main() -> None:
    from .track import Decoder, track_info

    out, asked = sys.stdout.buffer, sys.stdin.buffer
    path, rate = Path(sys.argv[1]), int(sys.argv[2])
    try:
        decoder = Decoder(path, rate)
        length = round(track_info(path).seconds * rate)
    except SoundFileError as e:
        text = str(e).encode(errors="replace")[:MOST_TEXT]
        out.write(HEAD.pack(len(text), REFUSED) + text)
        return
    out.write(HEAD.pack(length, 0))
    out.flush()
    while len(order := asked.read(ASK.size)) == ASK.size:
        what, frame = ASK.unpack(order)
        if what == SEEK:
            decoder.seek(frame)
            continue
        at, sound = decoder.at, decoder.chunk()
        out.write(HEAD.pack(at, END) if sound is None else HEAD.pack(at, sound.shape[1]) + sound.tobytes())
        out.flush()


if __name__ == "__main__":
    main()
