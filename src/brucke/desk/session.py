"""The open document: setup with undo, knowledge, live state, and what they mean in time.

One way round for every change: view → edit → new Setup → undo stack → engine plan → repaint.
"""

import time
from collections.abc import Callable
from pathlib import Path

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from ..core.document.bundle import find_file, sound_files
from ..core.document.copying import copy_whole
from ..core.document.setup import Setup
from ..core.document.setup_file import SUFFIX, SetupError, load, save
from ..core.knowledge.evidence import Facts, Knowledge, Measurement
from ..core.knowledge.learned import now
from ..core.knowledge.quantities import OPENED, spoiled_keys
from ..core.timing.align import timing
from ..core.timing.arrivals import Timing
from ..core.timing.paths import Situation
from ..demo import FOLDER as SHIPPED
from ..engine.step.live import Live
from ..rehearse.equipment import facts_of
from ..words.timing import day_text

MERGE_S = 0.6


class _Edit(QUndoCommand):
    """One step back or forth. Nudges of one field within 0.6 s are one step."""

    def __init__(self, session: "Session", label: str, before: Setup, after: Setup, key: str, place: str, thing: str):
        super().__init__(label)
        self.session, self.before, self.after = session, before, after
        self.key, self.place, self.thing = key, place, thing
        self.at = time.monotonic()
        self.first = True

    def redo(self) -> None:
        self.session.put(self.after)
        if not self.first:
            self.session.went.emit(self.place, self.thing, f"Again: {self.text()}")
        self.first = False

    def undo(self) -> None:
        self.session.put(self.before)
        self.session.went.emit(self.place, self.thing, f"Undone: {self.text()}")

    def id(self) -> int:
        return 1 if self.key else -1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Edit) or other.key != self.key or other.at - self.at > MERGE_S:
            return False
        self.after, self.at = other.after, other.at
        return True


class Session(QObject):
    """`changed`: setup, knowledge or live state; `went(place, thing, what)`: undo or redo moved there;
    `noticed(text, tone)`: something to tell the user; `replaced`: another document; `rewired`: other listeners or
    moments than before."""

    changed = pyqtSignal()
    went = pyqtSignal(str, str, str)
    noticed = pyqtSignal(str, str)
    replaced = pyqtSignal()
    rewired = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setup = Setup()
        self.knowledge = Knowledge()
        self.facts = Facts()
        self.live = Live()
        self.path: Path | None = None
        self.more_folders: tuple[Path, ...] = ()
        self.recording = False  # a take is being recorded: nothing restarts the engine
        self.undo_stack = QUndoStack(self)
        # Whether what runs now, if anything does, can go on with a setup without starting anew.
        self.can_follow: Callable[[Setup], bool] = lambda _after: True
        self._saved: tuple[Setup, tuple[Measurement, ...]] = (self.setup, ())
        self._air_limit = 0
        self._wired: tuple[object, ...] = ()
        self.timing: Timing = timing(self.situation)

    @property
    def situation(self) -> Situation:
        return Situation(self.setup, self.knowledge, self.facts, self.live.moment)

    @property
    def unsaved(self) -> bool:
        """Intent and measurements; what only came into doubt is in doubt again whenever it is opened."""
        return (self.setup, self.knowledge.measurements) != self._saved

    # Changes

    def edit(self, label: str, after: Setup, place: str, thing: str = "", key: str = "") -> None:
        """The one way to change the setup. Nothing happens where nothing would change."""
        held = "On air" if self.live.on_air else "While a take is recorded" if self.recording else ""
        if held and not self.can_follow(after):
            self.noticed.emit(f"{held}, nothing is started anew, which this needs; not done: {label}.", "amber")
        elif after != self.setup:
            self.undo_stack.push(_Edit(self, label, self.setup, after, key, place, thing))

    def put(self, setup: Setup) -> None:
        if setup.devices != self.setup.devices:
            self.facts = msgspec.structs.replace(self.facts, reported_s=facts_of(setup).reported_s)
        self.setup = setup
        self._renew()

    def learn(self, knowledge: Knowledge) -> None:
        """Knowledge only grows; undo never touches it."""
        self.knowledge = knowledge
        self._renew()

    def set_live(self, live: Live) -> None:
        if live.on_air and not self.live.on_air:
            self._air_limit = self.undo_stack.index()
        self.live = live
        self._renew()

    def _would_restart(self, step: int) -> bool:
        """Whether one step back or forth would end what is being recorded."""
        edit = self.undo_stack.command(self.undo_stack.index() + step)
        if not self.recording or not isinstance(edit, _Edit):
            return False
        if self.can_follow(edit.before if step < 0 else edit.after):
            return False
        self.noticed.emit(f"Not while a take is recorded: {edit.text()}. End it first (R).", "amber")
        return True

    def undo(self) -> None:
        if self._would_restart(-1):
            return
        if self.live.on_air and self.undo_stack.index() <= self._air_limit:
            self.noticed.emit("On air, undo reaches only what was changed since.", "amber")
        elif self.undo_stack.canUndo():
            self.undo_stack.undo()
        else:
            self.noticed.emit("Nothing to undo.", "mute")

    def redo(self) -> None:
        if self._would_restart(0):
            return
        if self.undo_stack.canRedo():
            self.undo_stack.redo()

    def _renew(self) -> None:
        self.timing = timing(self.situation)
        wiring = self._wiring()
        if wiring != self._wired:
            self._wired = wiring
            self.rewired.emit()
        self.changed.emit()

    def _wiring(self) -> tuple[object, ...]:
        listeners = tuple((x.id, x.name, x.kind, min(2, x.channels)) for x in self.setup.listeners)
        return listeners, tuple((m.id, m.name) for m in self.setup.moments)

    # Files

    @property
    def folders(self) -> tuple[Path, ...]:
        """Where the sounds this document names may stand, the first match counts."""
        beside = (self.path.parent,) if self.path is not None else ()
        return tuple(dict.fromkeys((*beside, *self.more_folders, SHIPPED)))

    def open(self, path: Path) -> None:
        """Replace the document. SetupError, and the open one stays as it is."""
        setup, knowledge = load(path)
        missing = next((f for f in sound_files(setup) if not (path.parent / f).exists()), None)
        if missing:
            raise SetupError(f"{path.name}: parts: no sound {missing} beside it")
        self.replace(setup, knowledge, path)

    def replace(
        self, setup: Setup, knowledge: Knowledge | None = None, path: Path | None = None,
        more_folders: tuple[Path, ...] = (), saved: bool = True,
    ) -> None:  # fmt: skip
        """Another document, with nothing to undo. One that is not `saved` counts as changed."""
        self.setup = setup
        self.knowledge = (knowledge or Knowledge()).doubted(spoiled_keys(setup, OPENED), now(), OPENED)
        self.path, self.more_folders = path, more_folders
        self.facts = facts_of(setup)
        self.live = Live(moment=setup.moments[0].id if setup.moments else "")
        self._saved = (self.setup, self.knowledge.measurements) if saved else (Setup(), ())
        self.undo_stack.clear()
        self._wired = ()
        self._renew()
        self.replaced.emit()
        as_of = min((t.verdict.as_of for t in self.timing.listeners if t.verdict.as_of), default="")
        if as_of:
            self.noticed.emit(
                f"What was measured on {day_text(as_of)} still counts. One quiet sweep in Align confirms it.", "mute"
            )

    def see(self, facts: Facts) -> None:
        """What is so now has changed."""
        if facts != self.facts:
            self.facts = facts
            self._renew()

    def save_as(self, path: Path) -> None:
        """Write the document; its sounds come along when it goes to another folder. OSError."""
        if not path.name.endswith(".json"):
            path = path.with_name(path.name + SUFFIX)
        for name in sound_files(self.setup):
            source, target = find_file(name, self.folders), path.parent / name
            if source.exists() and not target.exists():
                target.parent.mkdir(parents=True, exist_ok=True)
                copy_whole(source, target)
        save(path, self.setup, self.knowledge)
        self.path = path
        self._saved = (self.setup, self.knowledge.measurements)
        self.changed.emit()
