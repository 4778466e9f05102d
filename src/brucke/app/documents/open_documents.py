"""Which setups are open in which window of this user, so that a second window on one says so."""

import hashlib
from contextlib import suppress
from pathlib import Path

import msgspec

from ...core.files.process_alive import Who, is_alive, this_program
from ...core.files.safe_read import ReadProblem, convert, decode_json, read_bytes

MAX_BYTES = 4096


class OpenDocuments:
    """Notes in `home`, one for every file that is open somewhere."""

    def __init__(self, home: Path):
        self.home = home
        self._mine: Path | None = None

    def _note(self, file: Path) -> Path:
        return self.home / f"{hashlib.sha256(str(file.resolve()).encode()).hexdigest()[:24]}.open.json"

    def take(self, file: Path | None) -> bool:
        """This window has `file` open now and nothing else; whether another one has it too."""
        self.give_up()
        if file is None:
            return False
        note = self._note(file)
        other = self._other(note)
        if not other:
            with suppress(OSError):  # a note that cannot be kept hinders nobody
                self.home.mkdir(parents=True, exist_ok=True, mode=0o700)
                note.write_bytes(msgspec.json.encode(this_program()))
                self._mine = note
        return other

    def _other(self, note: Path) -> bool:
        try:
            who = convert(decode_json(read_bytes(note, MAX_BYTES, "a note")), Who)
        except ReadProblem:
            return False
        return who != this_program() and is_alive(who)

    def give_up(self) -> None:
        if self._mine is not None:
            with suppress(OSError):
                self._mine.unlink(missing_ok=True)
            self._mine = None
