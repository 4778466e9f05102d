"""The running engine as the window sees it: start, stop, watch, transport, levels. Only through `engine/processes/link.py`."""

import tempfile
import time
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from PyQt6.QtCore import QObject, pyqtSignal

from ..core.document.setup import Setup
from ..core.document.setup_file import save
from ..core.knowledge.learned import now
from ..core.knowledge.quantities import DROPOUT, REJOINED, RESTARTED, SLEPT, STARTED, spoiled_keys
from ..engine.processes.link import EngineLink
from ..engine.processes.region import Head
from ..engine.step.live import Live
from ..engine.step.plan import PlanError, compile_plan, shape_of
from ..ports.devices.kind import DeviceError
from ..ports.devices.opening import ServerWiring, Wiring, wirings_of
from ..rehearse.equipment import world_command
from .carrying import carried
from .devices_seen import came_and_went, with_devices
from .dropouts import Dropouts
from .following import Following
from .inputs import Inputs
from .session import Session
from .track_orders import TrackOrders

SLEEP_S = 1.0
HANG_LOOKS = 6
CARD_HANG_S = 4.0  # a card that vanishes is given up and looked for again within that
HANG_S = 0.7  # an engine that lives and gives nothing for so long is replaced
LISTEN_S = 1.0  # after the engine is up, loudness is measured
STAND_BY_S = 2.0  # after the engine is up, another is made ready; as long after that one more
STAND_BYS = 2  # one takes a few seconds to be ready, and an engine may end again within them


def slept_s() -> float:
    """How long this computer has slept since it was switched on."""
    return time.clock_gettime(time.CLOCK_BOOTTIME) - time.monotonic()


def _end(link: EngineLink, folder: "tempfile.TemporaryDirectory[str] | None") -> None:
    link.close()
    if folder is not None:
        folder.cleanup()


class LiveEngine(QObject):
    """`state`: stopped, starting, running, restarting."""

    changed = pyqtSignal()
    levels = pyqtSignal()
    restarted = pyqtSignal()
    slept = pyqtSignal()

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.link: EngineLink | None = None
        self.state = "stopped"
        self.part_peaks = np.zeros((1, 2), np.float32)
        self.out_peaks = np.zeros((1, 2), np.float32)
        self.readings = self.loudness = self.chain_loudness = np.zeros((0, 0), np.float32)
        self.inputs = Inputs()
        self._frames = self._still = 0
        self._dropouts = Dropouts()
        self._moved = 0.0
        self._track = TrackOrders()
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._pool = ThreadPoolExecutor(1)  # what ends and what is asked, in its order
        self._ready: Future[None] | None = None
        self._closing: Future[None] | None = None
        self._play_when_up = False
        self._following: Following | None = None
        self._asleep = slept_s()
        self._up_since = 0.0
        self._fade_db = 0.0
        self.why_not = ""  # what was to be started could not be, and may be there later
        session.can_follow = self._can_follow
        session.changed.connect(self._send_plan)
        session.replaced.connect(self._replaced)

    # Life

    def start(self, play: bool = False) -> None:
        if self.link is not None or self._ready is not None:
            return
        session = self.session
        try:
            compile_plan(session.setup, session.live)
        except PlanError as e:
            session.noticed.emit(f"Not started: {e}.", "coral")
            return
        real = wirings_of(session.setup)
        self._play_when_up = play
        if real.leading is None and (self._closing is None or self._closing.done()):
            self._launch()
            return
        # A driver may take its time to answer, and what ran before to end; the window does not wait for them.
        rate = session.setup.rate_hz
        self._ready = self._pool.submit(lambda: real.check(rate))
        self._set("starting")

    def _look_ready(self) -> None:
        """Once the card has answered and what ran before has ended."""
        if self._ready is None or not self._ready.done():
            return
        ready, self._ready = self._ready, None
        try:
            ready.result()
        except DeviceError as e:
            if str(e) != self.why_not:  # what is tried again and again is said once
                self.session.noticed.emit(f"Not started: {e}.", "coral")
            self.why_not = str(e)
            self._set("stopped")
            return
        self.why_not = ""
        self._launch()

    def _launch(self) -> None:
        session = self.session
        try:
            first = carried(session.setup, max([2, *(x.channels for x in session.setup.listeners)]))
            plan = compile_plan(session.setup, session.live, first.rows)
        except PlanError as e:
            session.noticed.emit(f"Not started: {e}.", "coral")
            self._set("stopped")
            return
        self._folder = tempfile.TemporaryDirectory(prefix="brucke-")
        document = Path(self._folder.name) / "running.brucke.json"
        save(document, session.setup, session.knowledge)
        real = [d for i, d in enumerate(first.rows.devices.who) if d is not None and i in first.wirings.devices]
        world = world_command(document, session.folders, real=real, roomy=True)
        shape, order = shape_of(session.setup, first.rows), first.rows.order(session.setup)
        self.link = EngineLink(shape, plan, world, first.wirings, order)
        self._following = Following(self.link, Path(self._folder.name), first)
        self.inputs = Inputs()
        self._track = TrackOrders()
        self._dropouts = Dropouts()
        self._doubt(STARTED)
        self._set("starting")

    def stop(self) -> None:
        self.why_not = ""
        if self._ready is not None:
            self._ready.cancel()
            self._ready = None
            self._set("stopped")
        if self.link is None:
            return
        link, folder, self.link, self._folder, self._following = self.link, self._folder, None, None, None
        self._closing = self._pool.submit(_end, link, folder)
        self.session.see(replace(self.session.facts, missing=(), looked=False, matched={}))
        if self.session.live.on_air:
            self.set_on_air(False)
        self._set("stopped")

    def end(self) -> None:
        """The window closes: wait until everything that was started has ended."""
        self.stop()
        self._pool.shutdown(wait=True)

    def _replaced(self) -> None:
        """Another document: what ran belonged to the old one."""
        was_running = self.link is not None
        self.stop()
        if was_running and self.session.setup.parts:
            self.start()

    def _set(self, state: str) -> None:
        if state != self.state:
            self.state = state
            self.changed.emit()

    def tick(self) -> None:
        """Once a frame: is it alive, what are the levels."""
        self._look_ready()
        link = self.link
        if link is None:
            return
        asleep = slept_s()
        if asleep - self._asleep > SLEEP_S:
            self._doubt(SLEPT)
            self.session.noticed.emit("The computer slept. Confirm the round trip before you rely on it.", "coral")
            self.slept.emit()
        self._asleep = asleep
        if self._following is not None:
            self._following.tick(self.session.setup)
        if not link.world.alive:
            self.session.noticed.emit("The stand-in equipment stopped; everything was stopped. Start again.", "coral")
            self.stop()
            return
        if link.engine_died or self._hangs(link):
            self._restart(link)
            return
        if link.running:
            if self.state != "running":
                self._came_up(link)
            ready = len(link.standbys)
            if ready < STAND_BYS and time.monotonic() - self._up_since > STAND_BY_S * (1 + ready):
                link.stand_by()
            if time.monotonic() - self._up_since > LISTEN_S:
                link.listen()
            if "loudness" in link.watch_helpers():
                self.session.noticed.emit("Loudness was not being measured; it is again, from now on.", "amber")
            self.readings = link.readings()
            self.loudness, self.chain_loudness = link.listener_loudness(), link.chain_loudness()
            parts, outs = link.meters()
            self.part_peaks, self.out_peaks = parts[:, :, 0], outs[:, :, 0]
            self.inputs.see(self.session.setup, *link.inputs())
            self._see_devices(link)
            self._see_dropouts()
            self.levels.emit()

    def _see_devices(self, link: EngineLink) -> None:
        """What they say of themselves, and which are there."""
        session, setup = self.session, self.session.setup
        who = self._following.carried.rows.devices.who if self._following is not None else ()
        leading = [id for i in (self.card.devices if self.card is not None else ()) if (id := who[i]) is not None]
        facts, moved = with_devices(session.facts, setup, link, leading)
        session.see(facts)
        missing = tuple(setup.devices[i].id for i in link.missing())
        if missing != facts.missing or not facts.looked:
            session.see(replace(facts, missing=missing, looked=True))
            said, back = came_and_went(setup, facts.missing, missing)
            for text, tone in said:
                session.noticed.emit(text, tone)
            moved += back
        for device in moved:
            self._doubt(REJOINED, device)

    def set_absent(self, devices: set[str]) -> None:
        """Stand-in equipment unplugged and plugged in again."""
        if self.link is not None:
            self.link.tell_world("absent", devices=sorted(devices))

    def _hangs(self, link: EngineLink) -> bool:
        """An engine that lives and does nothing (a driver that never answers) is ended, and then started again."""
        frames, now = link.get(Head.FRAMES), time.monotonic()
        if frames != self._frames or self.state != "running":
            self._frames, self._moved, self._still = frames, now, 0
        self._still += 1  # the window may itself have been stopped meanwhile: it has to have looked several times
        return now - self._moved > (HANG_S if self.card is None else CARD_HANG_S) and self._still > HANG_LOOKS

    def _came_up(self, link: EngineLink) -> None:
        again = self.state == "restarting"
        link.set_on_air(self.session.live.on_air)
        self._up_since = time.monotonic()
        self._set("running")
        if self._play_when_up:
            self._play_when_up = False
            link.tell_world("play")
        if again:
            self.session.noticed.emit(
                "The engine stopped and is back. Sound goes on; confirm the round trip when there is time.", "coral"
            )
            self.restarted.emit()

    def _restart(self, link: EngineLink) -> None:
        """The engine died: say so, bring it back with the same setup, and count its clock as spoiled."""
        self._set("restarting")
        self.session.noticed.emit("The engine stopped. It is being started again with the same setup.", "coral")
        link.restart_engine()
        self._doubt(RESTARTED)

    def _doubt(self, event: str, only: str = "") -> None:
        """What this spoils of all that was measured (with everything, or `only` one device) is unconfirmed from now on."""
        knowledge = self.session.knowledge.doubted(spoiled_keys(self.session.setup, event, only), now(), event)
        if knowledge is not self.session.knowledge:
            self.session.learn(knowledge)

    def moved(self, device: str) -> None:
        """A device has become another one by itself: what was measured through it wants confirming."""
        self._doubt(REJOINED, device)

    def _see_dropouts(self) -> None:
        """A dropout may have moved a stream; nothing is said of it here, the deck counts them."""
        if self._dropouts.see(self.dropouts):
            self._doubt(DROPOUT)

    # Orders

    def _send_plan(self) -> None:
        if self.link is None or self._following is None:
            return
        try:
            goes_on = self._following.follow(self.session.setup, replace(self.session.live, fade_db=self._fade_db))
        except (PlanError, OSError) as e:
            self.session.noticed.emit(f"Not carried over: {e}.", "coral")
            return
        if goes_on:
            self._track.tell(self.link, self.session.setup, self.session.folders)
            return
        playing = self.playing
        self.stop()
        self.start(play=playing)

    def _can_follow(self, setup: Setup) -> bool:
        return self._following is None or self._following.can(setup)

    @property
    def carried(self) -> tuple[Setup, ServerWiring | None] | None:
        """What is carried now, with what has just left, and how the sound server reaches it; None while nothing runs."""
        if self._following is None:
            return None
        now = self._following.carried
        return now.setup, now.wiring if isinstance(now.wiring, ServerWiring) else None

    @property
    def card(self) -> Wiring | None:
        """The real device that is open, None where all are stand-ins."""
        return self._following.carried.wiring if self._following is not None else None

    def chain_index(self, owner: str) -> int:
        """Where a chain stands in what the engine tells of chains: parts first, then listeners; −1 where it is not."""
        setup, (kind, _, id) = self.session.setup, owner.partition("/")
        things = setup.parts if kind == "part" else setup.listeners
        at = next((i for i, x in enumerate(things) if x.id == id), -1)
        return at if kind == "part" or at < 0 else at + len(setup.parts)

    def measure_loudness_anew(self) -> None:
        if self.link is not None:
            self.link.measure_loudness_anew()

    def set_on_air(self, on: bool) -> None:
        self.set_doors(replace(self.session.live, on_air=on))

    def set_doors(self, live: Live) -> None:
        """Others open or closed than before. Nothing opens but by a hand: who calls this with more open has been asked to."""
        begins = live.on_air and not self.session.live.on_air
        self.session.set_live(live)
        if self.link is not None:
            self.link.set_on_air(live.on_air)
        if begins:
            self.measure_loudness_anew()
        self.changed.emit()

    def set_fade(self, db: float) -> None:
        """How far the leads are faded now, for everybody; 0 not at all."""
        if db != self._fade_db:
            self._fade_db = db
            self._send_plan()

    @property
    def playing(self) -> bool:
        return self.link is not None and self.link.get(Head.PLAYER_STATE) == 1

    @property
    def track(self) -> tuple[float, float]:
        """(position, length) of the backing track in seconds."""
        if self.link is None:
            return 0.0, 0.0
        rate = self.link.shape.rate
        return self.link.get(Head.PLAYER_FRAME) / rate, self.link.get(Head.PLAYER_LENGTH) / rate

    def play(self, on: bool) -> None:
        if self.link is None:
            self.start(play=on)
        else:
            self.link.tell_world("play" if on else "pause")

    def seek(self, seconds: float) -> None:
        if self.link is not None:
            length = max(1, self.link.get(Head.PLAYER_LENGTH))
            self.link.tell_world("seek", frame=round(seconds * self.link.shape.rate) % length)

    @property
    def dropouts(self) -> int:
        if self.link is None:
            return 0
        matched = sum(m.lost for m in self.session.facts.matched.values())
        return self.link.get(Head.LATE) + self.link.get(Head.MISSED) + self.link.get(Head.CARD_DROPOUTS) + matched

    @property
    def cycle(self) -> int:
        """Frames at a time that a device insists on, 0 where it takes what was asked for."""
        return self.link.get(Head.CYCLE) if self.link is not None and self.state == "running" else 0

    def recent_dropouts(self) -> int:
        """Those of the last minute."""
        return self._dropouts.recent()

    @property
    def simulated(self) -> bool:
        """Whether any equipment of this setup is a stand-in."""
        return any(d.kind != "recorder" and not d.card for d in self.session.setup.devices)

    @property
    def back_frame(self) -> int:
        """How far listening back has come, −1 when nothing is played back."""
        return self.link.get(Head.BACK) if self.link is not None else -1
