"""The takes of a setup that are on disk, and which of them are shown."""

import re
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from typing import Any

from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.document.ranges import printable
from ...core.timing.take_verdict import TakeVerdict
from ...takes.judging import judge
from ...takes.take import Take, TakeError, load_take, save_take
from ...words.translation import _
from ..session.session import Session
from .take_folders import file_name, folders_of

BY_DATE = re.compile(r"\d{4}-\d\d-\d\d \d\d\.\d\d\.\d\d( \d+)?\Z")


class TakeList(QObject):
    """`takes` in the order they were made, newest last; `chosen` is shown `against` the one before it."""

    changed = pyqtSignal()

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.takes: list[tuple[Path, Take]] = []
        self.chosen = -1
        self.against = -1
        session.replaced.connect(self.find)

    def _say(self, text: str, tone: str) -> None:
        self.session.noticed.emit(text, tone)

    def find(self) -> None:
        """The takes of this setup that are already on disk."""
        self.takes = []
        for home in folders_of(self.session):
            for file in sorted(home.glob("*/take.json")):
                if not file.parent.name.startswith("."):  # one that is still being copied
                    self._read(file.parent)
        self._choose_newest()
        self.changed.emit()

    def _read(self, folder: Path) -> bool:
        """Put a take of the disk into the list. Whether it could be read; said where not."""
        try:
            take = load_take(folder)
        except TakeError as e:
            self._say(_("Left out: {why}.").format(why=e), "amber")
            return False
        places = [i for i, (f, _other) in enumerate(self.takes) if f == folder]
        if places:  # it stays where it is in time, also when it was measured anew
            self.takes[places[0]] = (folder, take)
        else:
            self.takes = sorted(
                [*self.takes, (folder, take)], key=lambda x: datetime.fromisoformat(x[1].date).timestamp()
            )
        return True

    def _choose(self, folder: Path) -> None:
        """The take in that folder, against the one before it."""
        self.chosen = next((i for i, (f, _other) in enumerate(self.takes) if f == folder), len(self.takes) - 1)
        self.against = self.chosen - 1

    def _choose_newest(self) -> None:
        self.chosen = len(self.takes) - 1
        self.against = self.chosen - 1

    def choose(self, index: int) -> None:
        """Show one take against the one before it."""
        self.chosen, self.against = index, index - 1
        self.changed.emit()

    def name_of(self, index: int) -> str:
        """What the user called a take; empty where it has only its date."""
        name = self.takes[index][0].name
        return "" if BY_DATE.match(name) else name

    def rename(self, index: int, name: str) -> None:
        """The folder of a take is called so. Errors: OSError, and everything stays as it is."""
        folder, take = self.takes[index]
        fit = file_name(name)
        if not fit:
            raise OSError(f"“{printable(name)}” cannot be the name of a folder")
        target = folder.with_name(fit)
        if target == folder:
            return
        if target.exists():
            raise OSError(f"there is one called {fit} already")
        folder.rename(target)
        self.takes[index] = (target, take)
        self.changed.emit()

    def change(self, folder: Path, do: Callable[[Callable[[], None]], None], **fields: Any) -> None:
        """What the user notes of a take, on the disk and here; `do` runs what waits for the disk. Errors: OSError,
        TakeError, and it stays as it was."""
        index = next(i for i, (f, _other) in enumerate(self.takes) if f == folder)
        do(lambda: save_take(folder, replace(load_take(folder), **fields)))
        self.takes[index] = (folder, replace(self.takes[index][1], **fields))
        self.changed.emit()

    def leave_out(self, folder: Path) -> None:
        """A take that is not there any more; the one before it is shown, or the next."""
        index = next((i for i, (f, _other) in enumerate(self.takes) if f == folder), None)
        if index is None:
            return
        del self.takes[index]
        self.choose(min(max(0, self.chosen - (index <= self.chosen)), len(self.takes) - 1))

    def take_back(self, folder: Path) -> None:
        """A take that is there again is shown."""
        if self._read(folder):
            self._choose(folder)
        self.changed.emit()

    @property
    def take(self) -> Take | None:
        return self.takes[self.chosen][1] if 0 <= self.chosen < len(self.takes) else None

    @property
    def verdicts(self) -> dict[str, TakeVerdict]:
        """Of the take that is shown, by listener."""
        return judge(self.take) if self.take is not None else {}

    @property
    def before(self) -> Take | None:
        return self.takes[self.against][1] if 0 <= self.against < len(self.takes) else None
