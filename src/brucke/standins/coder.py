"""A real Opus coder both ways (RFC 6716), a frame of 20 ms at a time, on a continuous timeline.

libopus looks ahead 312 frames at 48 kHz (6.5 ms) and PyAV drops that pre-skip from what it decodes, so
decoded frame i of the timeline is coded frame i, available one coder frame and the pre-skip later.
"""

from fractions import Fraction

import av
import numpy as np
import numpy.typing as npt

from .opus_timing import FRAME, RATE

F32 = npt.NDArray[np.float32]


class OpusLink:
    """Encodes and decodes one stream. `push` takes and returns shape (channels, frames)."""

    def __init__(self, channels: int, bit_rate: int):
        self.channels = channels
        layout = "stereo" if channels == 2 else "mono"
        self._encoder = av.CodecContext.create("libopus", "w")
        self._encoder.sample_rate = RATE
        self._encoder.format = "flt"
        self._encoder.layout = layout
        self._encoder.bit_rate = bit_rate
        self._encoder.time_base = Fraction(1, RATE)
        self._encoder.open()
        self._decoder = av.CodecContext.create("libopus", "r")
        self._decoder.sample_rate = RATE
        self._decoder.layout = layout
        self._decoder.extradata = self._encoder.extradata
        self._pending = np.zeros((channels, 0), np.float32)
        self._coded = 0
        self.decoded = 0

    def push(self, sound: F32) -> F32:
        """Decoded frames that became complete, possibly none; they follow each other without a gap."""
        self._pending = np.concatenate([self._pending, sound], axis=1)
        out = []
        while self._pending.shape[1] >= FRAME:
            piece, self._pending = self._pending[:, :FRAME], self._pending[:, FRAME:]
            for packet in self._encode(piece):
                out += [self._to_array(frame) for frame in self._decoder.decode(packet)]
        result = np.concatenate(out, axis=1) if out else np.zeros((self.channels, 0), np.float32)
        self.decoded += result.shape[1]
        return result

    def _encode(self, piece: F32) -> "list[av.Packet[av.AudioStream]]":
        layout = "stereo" if self.channels == 2 else "mono"
        packed = np.ascontiguousarray(np.clip(piece, -1, 1).T.reshape(1, -1), np.float32)
        frame = av.AudioFrame.from_ndarray(packed, format="flt", layout=layout)
        frame.sample_rate = RATE
        frame.pts = self._coded
        frame.time_base = Fraction(1, RATE)
        self._coded += FRAME
        return list(self._encoder.encode(frame))

    def _to_array(self, frame: av.AudioFrame) -> F32:
        array = frame.to_ndarray()
        if array.dtype == np.int16:
            array = array.astype(np.float32) / 32768
        if array.shape[0] != self.channels:
            array = array.reshape(-1, self.channels).T
        return np.ascontiguousarray(array, np.float32)
