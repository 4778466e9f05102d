"""Sound as whole numbers in network byte order: L16 (RFC 3551, section 4.5.11) and L24 (RFC 3190, section 4)."""

import numpy as np
import numpy.typing as npt

F32 = npt.NDArray[np.float32]
BYTES = {"L16": 2, "L24": 3}
CUT = {"L16": np.int32(-(1 << 16)), "L24": np.int32(-(1 << 8))}


def decode_pcm(data: bytes, encoding: str, channels: int) -> F32:
    """[frames, channels] within ±1; a frame that is cut off is left out. KeyError for another encoding."""
    wide = BYTES[encoding]
    frames = len(data) // (wide * channels)
    # Each number with what follows it, as the highest bytes of four: read where it stands, and the rest is cut off.
    ends = data[: frames * channels * wide] + bytes(4 - wide)
    whole = np.ndarray((frames, channels), ">i4", ends, 0, (wide * channels, wide)).astype(np.int32)
    whole &= CUT[encoding]
    sound: F32 = whole.astype(np.float32)
    sound *= np.float32(2.0**-31)
    return sound
