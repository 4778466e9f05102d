"""The open document: setup with undo, knowledge, live state, and what they mean in time.

One way round for every change: view → edit → new Setup → undo stack → engine plan → repaint.
"""

import time
from collections.abc import Callable
from pathlib import Path

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QUndoCommand, QUndoStack

from ...core.aligning.align import timing
from ...core.document.cleaning import cleaned
from ...core.document.ranges import printable
from ...core.document.setup import Setup
from ...core.files.copying import copy_whole
from ...core.knowledge.evidence import Facts, Knowledge
from ...core.knowledge.quantities import OPENED, ROUND_TRIP, spoiled_keys
from ...core.routing.clocks import sounds_for_real
from ...core.storage.bundle import find_file, sound_files
from ...core.storage.setup_file import SUFFIX, SetupError, load, save
from ...core.storage.setup_problems import new_problem
from ...core.timing.arrivals import Timing
from ...core.timing.make_evidence import now
from ...core.timing.paths import Situation
from ...demo import FOLDER as SHIPPED
from ...engine.step.live import Live
from ...words.timing import day_text
from ...words.translation import _
from .equipment import Equipment

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
        if self.first:
            self.session.put(self.after)
        else:
            self.session.step(self.after, self.place, self.thing, f"Again: {self.text()}")
        self.first = False

    def undo(self) -> None:
        self.session.step(self.before, self.place, self.thing, f"Undone: {self.text()}")

    def id(self) -> int:
        return 1 if self.key else -1

    def mergeWith(self, other: QUndoCommand | None) -> bool:
        if not isinstance(other, _Edit) or other.key != self.key or other.at - self.at > MERGE_S:
            return False
        self.after, self.at = other.after, other.at
        return True


class Session(QObject):
    """`changed`: setup, knowledge or live state; `went(place, thing, what)`: undo or redo moved there; `noticed(text,
    tone)`: something to tell the user, the tones “heard” and “silent” as long as they hear them, or nothing sounds;
    `stands(text, tone, holds)`: something that is so as long as it holds; `replaced`: another document; `rewired`:
    other listeners or moments than before."""

    changed = pyqtSignal()
    went = pyqtSignal(str, str, str)
    noticed = pyqtSignal(str, str)
    stands = pyqtSignal(str, str, object)
    replaced = pyqtSignal()
    rewired = pyqtSignal()

    def __init__(self, equipment: Equipment) -> None:
        super().__init__()
        self.equipment = equipment
        self.setup = Setup()
        self.knowledge = Knowledge()
        self.facts = Facts()
        self.live = Live()
        self.path: Path | None = None
        self.opened = 0  # documents so far
        self.more_folders: tuple[Path, ...] = ()
        self.recording = False  # a take is being recorded: nothing restarts the engine
        self.undo_stack = QUndoStack(self)
        # Why a setup must not become what runs now, empty where it may; see `carrying.admits`.
        self.admits: Callable[[Setup, str], str] = lambda _after, _held: ""
        # Hears of another live state before anything else does, so that nothing that takes time stands before it.
        self.tell: Callable[[Live], None] = lambda _live: None
        self._saved: tuple[Setup, tuple[object, ...]] = (self.setup, ())
        self._air_limit = 0
        self._wired: tuple[object, ...] = ()
        self._stepped: Setup | None = None  # where steps have come to that nothing has followed yet
        self._went = ("", "", "")
        self.timing: Timing = timing(self.situation)

    @property
    def situation(self) -> Situation:
        return Situation(self.setup, self.knowledge, self.facts, self.live.moment)

    @property
    def unsaved(self) -> bool:
        """Intent and evidence; what only came into doubt is in doubt again whenever it is opened."""
        return (self.setup, self.knowledge.lasting) != self._saved

    @property
    def empty(self) -> bool:
        """Whether nothing is set up yet."""
        return not self.setup.parts and not self.setup.listeners

    @property
    def measured(self) -> bool:
        """Whether every round trip there is was measured, and counts."""
        ways = [self.knowledge.counting(ROUND_TRIP, self.setup, *w.ids) for w in ROUND_TRIP.ways(self.setup)]
        return bool(ways) and None not in ways

    @property
    def _refusal_tone(self) -> str:
        return "heard" if self.live.on_air else "amber"

    def notice(self, text: str, tone: str, holds: Callable[[], bool] | None = None) -> None:
        """Tell the user, as long as it `holds` where that is known."""
        if holds is None:
            self.noticed.emit(text, tone)
        else:
            self.stands.emit(text, tone, holds)

    # Changes

    def edit(self, label: str, after: Setup, place: str, thing: str = "", key: str = "") -> None:
        """The one way to change the setup. Nothing happens where nothing would change; names and notes are made fit to
        be written."""
        after = cleaned(self.setup, after)
        if after == self.setup:
            return
        why = new_problem(self.setup, after) or self.why_not(after)
        if why:
            self.noticed.emit(
                _("{why}; not done: {printable}.").format(why=why, printable=printable(label, 200)), self._refusal_tone
            )
        else:
            self.undo_stack.push(_Edit(self, label, self.setup, after, key, place, thing))

    def why_not(self, after: Setup) -> str:
        """Why this must not become the document now, empty where it may."""
        return self.admits(
            after, _("While they hear you") if self.live.on_air else _("While you record") if self.recording else ""
        )

    def put(self, setup: Setup) -> None:
        if setup.devices != self.setup.devices:
            self.facts = msgspec.structs.replace(self.facts, reported_s=self.equipment.facts_of(setup).reported_s)
        self.setup = setup
        self._renew()

    def step(self, setup: Setup, place: str, thing: str, what: str) -> None:
        """One step back or forth; what several of them lead to is done once, after the last."""
        self._stepped, self._went = setup, (place, thing, what)

    def _go(self, steps: int) -> None:
        """So many steps forth, back below zero, as far as they may be taken."""
        self._stepped = None
        for _other in range(abs(steps)):
            if not self._one_step(steps > 0):
                break
        if self._stepped is not None:
            stepped, self._stepped = self._stepped, None
            self.put(stepped)
            self.went.emit(*self._went)

    def learn(self, knowledge: Knowledge) -> None:
        """Knowledge only grows; undo never touches it."""
        self.knowledge = knowledge
        self._renew()

    def set_live(self, live: Live) -> None:
        self.tell(live)
        if live.on_air and not self.live.on_air:
            self._air_limit = self.undo_stack.index()
        self.live = live
        self._renew()

    def _refused(self, step: int) -> bool:
        """Whether what runs cannot go one step back or forth; said where that is so."""
        edit = self.undo_stack.command(self.undo_stack.index() + step)
        if not isinstance(edit, _Edit):
            return False
        why = self.why_not(edit.before if step < 0 else edit.after)
        if why:
            self.noticed.emit(
                f"{why}; not {'undone' if step < 0 else 'done again'}: {edit.text()}.", self._refusal_tone
            )
        return bool(why)

    def undo(self, times: int = 1) -> None:
        self._go(-times)

    def redo(self, times: int = 1) -> None:
        self._go(times)

    def _one_step(self, forth: bool) -> bool:
        """Whether it was taken; said where not."""
        if forth:
            if not self.undo_stack.canRedo() or self._refused(0):
                return False
            self.undo_stack.redo()
            return True
        if self.live.on_air and self.undo_stack.index() <= self._air_limit:
            self.noticed.emit(_("While they hear you, undo reaches only what was changed since."), "heard")
        elif not self.undo_stack.canUndo():
            self.noticed.emit(_("Nothing to undo."), "mute")
        elif not self._refused(-1):
            self.undo_stack.undo()
            return True
        return False

    def _renew(self) -> None:
        if self.live.hears_as and self.live.hears_as not in {x.id for x in self.setup.listeners}:
            self.live = msgspec.structs.replace(self.live, hears_as="", half=False)
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
        # Ours are for stand-ins to play: a name in a setup for real equipment means a file of its own.
        ours = () if sounds_for_real(self.setup) else (SHIPPED,)
        return tuple(dict.fromkeys((*beside, *self.more_folders, *ours))) or (Path.cwd(),)

    @property
    def is_demo(self) -> bool:
        return self.path is not None and self.path.parent == SHIPPED

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
        self.opened += 1
        self.setup = setup
        self.knowledge = (knowledge or Knowledge()).doubted(spoiled_keys(setup, OPENED), now(), OPENED)
        self.path, self.more_folders = path, more_folders
        self.facts = self.equipment.facts_of(setup)
        self.live = Live(moment=setup.moments[0].id if setup.moments else "")
        self._saved = (self.setup, self.knowledge.lasting) if saved else (Setup(), ())
        self.undo_stack.clear()
        self._wired = ()
        self._renew()
        self.replaced.emit()
        as_of = min((t.verdict.as_of for t in self.timing.listeners if t.verdict.as_of), default="")
        if as_of:
            self.noticed.emit(
                _("What was measured on {day} still counts. One quiet sweep in Align tests it again.").format(
                    day=day_text(as_of)
                ),
                "mute",
            )

    def see(self, facts: Facts) -> None:
        """What is so now has changed."""
        if facts != self.facts:
            self.facts = facts
            self._renew()

    def save_as(self, path: Path, do: Callable[[Callable[[], None]], None] = lambda work: work()) -> None:
        """Write the document as it is now; its sounds come along when it goes to another folder. `do` runs what waits
        for the disk. OSError."""
        if not path.name.endswith(".json"):
            path = path.with_name(path.name + SUFFIX)
        setup, knowledge = self.setup, self.knowledge
        sounds = [(find_file(name, self.folders), path.parent / name) for name in sound_files(setup)]

        def write() -> None:
            for source, target in sounds:
                if source.exists() and not target.exists():
                    target.parent.mkdir(parents=True, exist_ok=True)
                    copy_whole(source, target)
            save(path, setup, knowledge)

        do(write)
        self.path = path
        self._saved = (setup, knowledge.lasting)
        self.changed.emit()
