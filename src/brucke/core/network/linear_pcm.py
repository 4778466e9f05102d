"""Sound as whole numbers in network byte order: L16 (RFC 3551, section 4.5.11) and L24 (RFC 3190, section 4)."""

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
BYTES = {"L16": 2, "L24": 3}


def decode_pcm(data: bytes, encoding: str, channels: int) -> F32:
    """[frames, channels] within ±1; a frame that is cut off is left out. KeyError for another encoding."""
    wide = BYTES[encoding]
    frames = len(data) // (wide * channels)
    raw = np.frombuffer(data, np.uint8, frames * channels * wide).reshape(-1, wide)
    whole = np.zeros((len(raw), 4), np.uint8)  # the number from the highest byte down, as this computer has it
    for i in range(wide):  # column by column: a third of the time that turning the rows round takes
        whole[:, 3 - i] = raw[:, i]
    sound: F32 = whole.view("<i4").astype(np.float32).reshape(frames, channels)
    sound *= np.float32(2.0**-31)
    return sound
