"""The user's plug-ins in the window: looked for in a folder, started beside the engine, watched while they run."""

import signal
import time
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.edits.chain_edits import plug_ins
from ...core.sound.processors import PlugIn
from ...engine.step.plug_in_io import NOT_FINITE, NOT_LOADED, READY, WRONG_LATENCY
from ...ports.plug_ins.known import Found, Register, look_through
from ...words.shape import plug_in_fault_text
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session

HANGS_S = 1.0
LOADS_S = 30.0
FAULTS = {NOT_FINITE: "not_finite", WRONG_LATENCY: "wrong_latency", NOT_LOADED: "not_loaded"}


class _Watched:
    """One that was started: as what, and when it last did something."""

    def __init__(self, plug_in: PlugIn):
        self.plug_in, self.fault = plug_in, ""
        self.done, self.moved, self.ready = 0, time.monotonic(), False


class PlugInHosts(QObject):
    """`fault(place)` is what is wrong with a plug-in, “” while nothing is; `looking` the share of a folder that was
    looked through, below 0 while none is."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, register: Register):
        super().__init__()
        self.session, self.running, self.register = session, running, register
        self.looking = -1.0
        self._stop = False
        self._pool = ThreadPoolExecutor(1)
        self._search: Future[tuple[list[Found], list[tuple[str, str]]]] | None = None
        self._of: object = None
        self._watched: dict[int, _Watched] = {}
        session.changed.connect(self._reconcile)

    def fault(self, place: int) -> str:
        watched = self._watched.get(place)
        return watched.fault if watched is not None else ""

    @property
    def faults(self) -> dict[int, str]:
        """By place."""
        return {k: w.fault for k, w in self._watched.items() if w.fault}

    # Looking

    def look(self, folder: Path) -> None:
        """Every plug-in below a folder, each in a process that may die of it."""
        if self._search is not None:
            return
        rate, block = self.session.setup.rate_hz, self.session.setup.block_frames
        self._stop, self.looking = False, 0.0

        def told(done: int, count: int) -> bool:
            self.looking = done / max(1, count)
            return not self._stop

        def search() -> tuple[list[Found], list[tuple[str, str]]]:
            found: list[Found] = []
            bad: list[tuple[str, str]] = []
            for file, inside, problem in look_through(folder, rate, block, told):
                found += inside
                if not inside:
                    bad.append((file.name, problem))
            return found, bad

        self._search = self._pool.submit(search)
        self.changed.emit()

    def cancel(self) -> None:
        self._stop = True

    def close(self) -> None:
        self._stop = True
        self._pool.shutdown(wait=False, cancel_futures=True)

    def _looked(self, search: "Future[tuple[list[Found], list[tuple[str, str]]]]") -> None:
        self._search, self.looking = None, -1.0
        try:
            found, bad = search.result()
        except (OSError, ValueError, RuntimeError) as e:
            why = (getattr(e, "strerror", None) or str(e) or type(e).__name__).lower()
            self.session.noticed.emit(_("The folder could not be looked through: {why}.").format(why=why), "coral")
            self.changed.emit()
            return
        try:
            self.register.add(tuple(found))
        except OSError as e:
            self.session.noticed.emit(_("Not remembered: {why}.").format(why=(e.strerror or str(e)).lower()), "coral")
        said = _("{n} plug-ins found.").format(n=len(found)) if len(found) != 1 else _("1 plug-in found.")
        for name, problem in bad[:3]:
            said += " " + _("Not {name}: {why}.").format(name=name, why=problem)
        self.session.noticed.emit(said, "amber" if bad or not found else "water")
        self.changed.emit()

    # Running

    def _reconcile(self) -> None:
        """What runs beside the engine becomes what the setup wants."""
        link = self.running.link
        if link is not self._of:
            self._of, self._watched = link, {}
        if link is None:
            return
        wanted = plug_ins(self.session.setup)
        for place in [k for k in self._watched if k not in wanted]:
            link.stop_plug_in(place)
            del self._watched[place]
        for place, (_owner, p) in wanted.items():
            known = self._watched.get(place)
            if known is None or (known.plug_in.name, known.plug_in.latency_frames) != (p.name, p.latency_frames):
                self._start(place, p)
                continue
            before = {x.key: x.value for x in known.plug_in.parameters}
            for x in p.parameters:
                if before.get(x.key) != x.value:
                    link.set_plug_in(place, x.key, x.value)
            known.plug_in = p

    def _start(self, place: int, p: PlugIn) -> None:
        link, found = self.running.link, self.register.of(p.name)
        watched = self._watched[place] = _Watched(p)
        if link is None:
            return
        if found is None or not Path(found.file).exists():
            link.stop_plug_in(place)
            self._fails(watched, "not_here")
            return
        settings = {x.key: x.value for x in p.parameters}
        link.start_plug_in(place, found.file, p.name, p.latency_frames, settings)
        self.changed.emit()

    def again(self, place: int) -> None:
        """One that failed is started once more, with the settings it has."""
        if place in self._watched:
            self._start(place, self._watched[place].plug_in)

    def _fails(self, watched: _Watched, fault: str) -> None:
        watched.fault = fault
        said = plug_in_fault_text(watched.plug_in.name, fault)
        self.session.stands.emit(said, "coral", lambda: watched.fault == fault and watched in self._watched.values())
        self.changed.emit()

    def tick(self) -> None:
        """Once a frame: what was found, and who has died or hangs."""
        if self._search is not None and self._search.done():
            self._looked(self._search)
        if self.running.link is not self._of:
            self._reconcile()
        link = self.running.link
        if link is None or self.running.state != "running":
            return
        now = time.monotonic()
        for place, watched in self._watched.items():
            if watched.fault:
                continue
            state, done = link.plug_in_state(place)
            child = link.plug_ins.get(place)
            if state == READY and (done != watched.done or not watched.ready):
                watched.moved, watched.done, watched.ready = now, done, True
            elif now - watched.moved > (HANGS_S if watched.ready else LOADS_S):
                link.stop_plug_in(place)
                self._fails(watched, "hangs")
                continue
            if state in FAULTS:
                link.stop_plug_in(place)
                self._fails(watched, FAULTS[state])
            elif child is not None and not child.alive:
                too_long = child.process.returncode in (-signal.SIGXCPU, -signal.SIGKILL)
                link.stop_plug_in(place)
                self._fails(watched, "hangs" if too_long else "crashed")
