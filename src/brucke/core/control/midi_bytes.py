"""A stream of MIDI bytes in whole messages. Pure. MIDI 1.0: running status, real-time bytes anywhere, system exclusive
data, and whatever a stream that begins in the middle or is cut off leaves."""

LENGTHS = {0x80: 2, 0x90: 2, 0xA0: 2, 0xB0: 2, 0xC0: 1, 0xD0: 1, 0xE0: 2}  # data bytes of a channel message
FIRST_STATUS, FIRST_SYSTEM, FIRST_REAL_TIME = 0x80, 0xF0, 0xF8


class MidiBytes:
    """`feed` gives the channel messages that are complete by now, each with its status, as mido and the like want
    them. System messages are left out."""

    def __init__(self) -> None:
        self._status = 0
        self._data: list[int] = []

    def feed(self, stream: bytes) -> list[list[int]]:
        found = []
        for byte in stream:
            if byte >= FIRST_REAL_TIME:
                continue
            if byte >= FIRST_STATUS:
                self._status, self._data = (byte if byte < FIRST_SYSTEM else 0), []
                continue
            if not self._status:
                continue  # of a system message, or of one whose beginning nobody heard
            self._data.append(byte)
            if len(self._data) == LENGTHS[self._status & 0xF0]:
                found.append([self._status, *self._data])
                self._data = []
        return found
