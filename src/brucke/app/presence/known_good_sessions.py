"""Remembers an hour that ended well, and tells at the next opening what is different since."""

import contextlib
import hashlib
import platform
import time
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ...core.checks.revert_difference import put_back
from ...core.document.setup import Setup
from ...core.edits.route_edits import change_device
from ...core.knowledge.good_hour import Change, GoodHour, changes, ended_well, round_trips
from ...core.storage.setup_problems import problems
from ...core.storage.small_files import FileProblem, read_own, write_own
from ...core.timing.make_evidence import now
from ...ports.devices.server.names import choosing, chosen_ends
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session
from ..sound_server.desktop import Desktop

FORMAT, VERSION = "brucke hour", 1
KNOWN_AFTER_S = 3.0  # what an end is at the computer, once it runs
AFTER_CHANGE_MS = 200
MEASURE = "measure"


def keep_hour(file: Path, hour: GoodHour) -> None:
    """Errors: OSError."""
    file.parent.mkdir(parents=True, exist_ok=True, mode=0o700)
    write_own(file, FORMAT, VERSION, "hour", hour)


def kept_hour(file: Path) -> GoodHour | None:
    """None where none is kept, or it cannot be read: then nothing is said of it."""
    try:
        hour = read_own(file, FORMAT, VERSION, "hour", GoodHour)
        datetime.fromisoformat(hour.date)
    except (FileProblem, ValueError):
        return None
    return hour if next(iter(problems(hour.setup)), None) is None else None


class KnownGoodSessions(QObject):
    """`then` is the last good hour of the open setup, `changes` what is different since. `found`: they are known, told
    once after opening."""

    found = pyqtSignal()
    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, taking: TakeRecorder, desktop: Desktop, home: Path):
        super().__init__()
        self.session, self.running, self.taking, self.desktop, self.home = session, running, taking, desktop, home
        self.then: GoodHour | None = None
        self.changes: tuple[Change, ...] = ()
        self._told = False
        self._open_since = self._runs_since = 0.0
        self._dropouts = self._troubles = self._gaps = 0
        running.restarted.connect(self._trouble)
        session.replaced.connect(self._read)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(AFTER_CHANGE_MS)
        self._timer.timeout.connect(self._compare)
        for signal in (session.changed, desktop.changed):
            signal.connect(self._later)
        self._missing: tuple[str, ...] = ()
        self._read()

    @property
    def file(self) -> Path:
        """Of the open setup: by where it is kept, or its name while it is kept nowhere."""
        s = self.session
        key = str(s.path.resolve()) if s.path is not None else f"name {s.setup.name}"
        return self.home / "hours" / f"{hashlib.sha256(key.encode()).hexdigest()[:16]}.json"

    def _read(self) -> None:
        self.then = kept_hour(self.file)
        self._told, self._open_since = False, 0.0
        self._compare()

    # What is so now

    def now(self, minutes: float = 0.0) -> GoodHour:
        setup = self.session.setup
        equipment: dict[str, str] = {}
        for device, (records, plays) in self.desktop.ends.items():
            equipment |= {f"in/{device}": records, f"out/{device}": plays}
        frames = (self.running.cycle or setup.block_frames) if self.running.state == "running" else 0
        return GoodHour(
            date=now(), minutes=minutes, setup=setup, equipment=equipment, frames=frames,
            round_trips_s=round_trips(setup, self.session.knowledge), versions=self._versions(),
        )  # fmt: skip

    def _versions(self) -> dict[str, str]:
        from importlib import metadata

        found = {"brucke": metadata.version("brucke"), "system": platform.release()}
        if self.desktop.version:
            found["server"] = self.desktop.version
        return found

    def _later(self) -> None:
        if self.then is not None and not self._timer.isActive():
            self._timer.start()

    def _compare(self) -> None:
        found = changes(self.then, self.now()) if self.then is not None else ()
        if found != self.changes:
            self.changes = found
            self.changed.emit()

    # An hour

    def _trouble(self) -> None:
        self._troubles += 1

    def tick(self) -> None:
        """Once a frame."""
        at = time.monotonic()
        running = self.running.state == "running"
        self._runs_since = (self._runs_since or at) if running else 0.0
        known = not self.session.setup.parts or (running and at - self._runs_since > KNOWN_AFTER_S)
        if not self._told and known:
            self._told = True
            self._compare()
            if self.changes:
                self.found.emit()
        on_air = self.session.live.on_air and running
        if on_air and not self._open_since:
            self._open_since, self._dropouts, self._troubles = at, self.running.dropouts, 0
            self._gaps = self.running.gaps
            self._missing = self.session.facts.missing
        elif on_air:
            self._watch()
        elif self._open_since:
            minutes, self._open_since = (at - self._open_since) / 60, 0.0
            self._troubles += self.running.gaps - self._gaps
            if running and ended_well(minutes, self.running.dropouts - self._dropouts, self._troubles):
                self._keep(minutes)

    def _watch(self) -> None:
        missing = self.session.facts.missing
        self._troubles += len(set(missing) - set(self._missing))
        self._missing = missing
        if self.taking.state == "recording" and self.taking.recording.state == "lost":
            self._troubles += 1

    def _keep(self, minutes: float) -> None:
        hour = self.now(minutes)
        with contextlib.suppress(OSError):  # it is only not remembered
            keep_hour(self.file, hour)
            self.then = hour
            self._compare()

    # Back

    def back(self, c: Change) -> str:
        """Bring one thing back, where that is an edit; else the action of the window that leads to it."""
        if self.then is None:
            return ""
        setup = self.session.setup
        if c.kind == "setup" and c.difference is not None:
            after = put_back(setup, self.then.setup, c.difference)
            if after is None:
                self.session.noticed.emit(
                    _("That does not go back by itself: bring back first what it depends on."), "amber"
                )
                return ""
            self._edit(_("as in the last good hour"), after)
            return "edit"
        if c.kind == "equipment":
            return self._take_again(setup, c)
        return MEASURE

    def _take_again(self, setup: Setup, c: Change) -> str:
        """The device that it was, by its name: where it is there."""
        what, _slash, device = c.of.partition("/")
        some = self.desktop.sources if what == "in" else self.desktop.sinks
        name = next((name for name, shown in some if shown == c.before), "")
        if not name:
            self.session.noticed.emit(
                _("{before} is not there. Connect it, then take it again.").format(before=c.before), "amber"
            )
            return ""
        records, plays = chosen_ends(setup.device(device))
        card = choosing(name, plays) if what == "in" else choosing(records, name)
        self._edit(f"{c.before} again", change_device(setup, device, card=card))
        return "edit"

    def _edit(self, label: str, after: Setup) -> None:
        self.session.edit(label, after, "soundcheck")
