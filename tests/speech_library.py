"""The echo canceller, noise remover and level keeper of libspeexdsp, a general library for speech, as somebody else's
processors on a path."""

import ctypes
import ctypes.util

import numpy as np

FRAME = 480  # 10 ms
SET_DENOISE, SET_AGC, SET_AGC_LEVEL, SET_NOISE_SUPPRESS, SET_ECHO_STATE, ECHO_SET_RATE = 0, 2, 6, 18, 24, 24


def _library() -> ctypes.CDLL | None:
    name = ctypes.util.find_library("speexdsp") or "libspeexdsp.so.1"
    try:
        lib = ctypes.CDLL(name)
    except OSError:
        return None
    for make in ("speex_echo_state_init", "speex_preprocess_state_init"):
        getattr(lib, make).restype = ctypes.c_void_p
    return lib


LIBRARY = _library()


def processed(
    sound: np.ndarray,
    rate: int,
    noise_db: int = 0,
    level: float = 0.0,
    echo_of: np.ndarray | None = None,
    tail_s: float = 0.1,
) -> np.ndarray:
    """[frames] of one channel: noise lowered by `noise_db` dB, kept at `level` (of 32768), and what it has in common
    with `echo_of` taken out."""
    assert LIBRARY is not None
    lib, null = LIBRARY, ctypes.c_void_p
    state = null(lib.speex_preprocess_state_init(FRAME, rate))

    def tell(request: int, value: object) -> None:
        lib.speex_preprocess_ctl(state, request, ctypes.byref(value) if not isinstance(value, null) else value)  # type: ignore[arg-type]

    tell(SET_DENOISE, ctypes.c_int(int(noise_db > 0)))
    if noise_db:
        tell(SET_NOISE_SUPPRESS, ctypes.c_int(-noise_db))
    tell(SET_AGC, ctypes.c_int(int(level > 0)))
    if level:
        tell(SET_AGC_LEVEL, ctypes.c_float(level))
    echo = None
    if echo_of is not None:
        echo = null(lib.speex_echo_state_init(FRAME, round(tail_s * rate)))
        lib.speex_echo_ctl(echo, ECHO_SET_RATE, ctypes.byref(ctypes.c_int(rate)))
        tell(SET_ECHO_STATE, echo)
    pieces = np.clip(np.round(sound * 32767), -32768, 32767).astype(np.int16)
    heard = None if echo_of is None else np.clip(np.round(echo_of * 32767), -32768, 32767).astype(np.int16)
    out = np.zeros(len(pieces), np.int16)
    short = ctypes.POINTER(ctypes.c_int16)
    for at in range(0, len(pieces) - FRAME + 1, FRAME):
        block = pieces[at : at + FRAME].copy()
        if echo is not None and heard is not None:
            played, left = heard[at : at + FRAME].copy(), np.zeros(FRAME, np.int16)
            lib.speex_echo_cancellation(
                echo, block.ctypes.data_as(short), played.ctypes.data_as(short), left.ctypes.data_as(short)
            )
            block = left
        lib.speex_preprocess_run(state, block.ctypes.data_as(short))
        out[at : at + FRAME] = block
    lib.speex_preprocess_state_destroy(state)
    if echo is not None:
        lib.speex_echo_state_destroy(echo)
    return out.astype(np.float32) / 32768
