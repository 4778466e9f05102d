"""Paths for sound made for tests, of FFmpeg's filters and coders alone."""

import itertools
from fractions import Fraction

import av
import numpy as np

RATE = 48000


def through_filters(sound: np.ndarray, *filters: tuple[str, str], rate: int = RATE) -> np.ndarray:
    """[channels, frames] through FFmpeg's filters (name, arguments), as long as it was."""
    graph = av.filter.Graph()
    layout = "stereo" if sound.shape[0] == 2 else "mono"
    source = graph.add_abuffer(format="fltp", sample_rate=rate, layout=layout, time_base=Fraction(1, rate))
    ends = [
        source,
        *(graph.add(name, arguments or None) for name, arguments in filters),
        graph.add("aformat", f"sample_fmts=fltp:channel_layouts={layout}:sample_rates={rate}"),
        graph.add("abuffersink"),
    ]
    for a, b in itertools.pairwise(ends):
        a.link_to(b)
    graph.configure()
    pieces = []

    def pull() -> None:
        while True:
            try:
                pieces.append(ends[-1].pull().to_ndarray())
            except (av.BlockingIOError, av.EOFError):
                return

    for at in range(0, sound.shape[1], 4800):
        frame = av.AudioFrame.from_ndarray(
            np.ascontiguousarray(sound[:, at : at + 4800], np.float32), format="fltp", layout=layout
        )
        frame.sample_rate, frame.pts, frame.time_base = rate, at, Fraction(1, rate)
        source.push(frame)
        pull()
    source.push(None)
    pull()
    return np.concatenate(pieces, axis=1)


def through_opus(sound: np.ndarray, bit_rate: int, lost: frozenset[int] = frozenset(), channels: int = 2) -> np.ndarray:
    """[channels, frames] through libopus and back at 48 kHz; packets that are lost are concealed."""
    layout = "stereo" if channels == 2 else "mono"
    sound = sound if channels == 2 else sound.mean(axis=0, keepdims=True)
    coder = av.CodecContext.create("libopus", "w")
    coder.sample_rate, coder.layout, coder.format, coder.bit_rate = RATE, layout, "flt", bit_rate
    coder.time_base = Fraction(1, RATE)
    decoder = av.CodecContext.create("libopus", "r")
    decoder.sample_rate, decoder.layout = RATE, layout
    out, last = [], None
    packets = []
    for at in range(0, sound.shape[1] - 960, 960):
        piece = np.ascontiguousarray(sound[:, at : at + 960].T.reshape(1, -1), np.float32)
        frame = av.AudioFrame.from_ndarray(piece, format="flt", layout=layout)
        frame.sample_rate, frame.pts, frame.time_base = RATE, at, Fraction(1, RATE)
        packets += coder.encode(frame)
    for i, packet in enumerate(packets):
        if i in lost and last is not None:
            out.append(last * 0.7)
            continue
        for f in decoder.decode(packet):
            a = f.to_ndarray()
            a = a.reshape(-1, channels).T if not f.format.is_planar else a
            last = a.astype(np.float32) / (32768.0 if a.dtype == np.int16 else 1.0)
            out.append(last)
    return np.concatenate(out, axis=1)
