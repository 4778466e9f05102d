"""The running engine as the application sees it: start, stop, watch, transport, levels; through `link.py` only."""

import contextlib
import tempfile
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from functools import partial
from pathlib import Path

from msgspec.structs import replace
from PyQt6.QtCore import pyqtSignal

from ...core.document.setup import Setup
from ...core.knowledge.quantities import DROPOUT, REJOINED, RESTARTED, SLEPT, STARTED, spoiled_keys
from ...core.storage.setup_file import save
from ...core.timing.make_evidence import now
from ...engine.processes.link import EngineLink
from ...engine.processes.messages import Pause, Play
from ...engine.processes.region import Head
from ...engine.processes.supervisor import HANG_S, Supervisor
from ...engine.step.live import Live, doors
from ...engine.step.plan import PlanError, compile_plan, compile_plans, shape_of
from ...engine.step.safety import safety_of
from ...ports.devices.kind import DeviceError
from ...ports.devices.opening import Wiring, wirings_of
from ...ports.devices.server.wiring import ServerWiring
from ...words.detail import in_numbers
from ...words.engine import (  # fmt: skip
    DECODER_ENDED,
    ENGINE_BACK,
    ENGINE_STOPPED,
    LOUDNESS_ANEW,
    SLEPT_TEXT,
    STANDINS_AGAIN,
    STANDINS_ENDED,
    not_started_text,
    other_rate_text,
)
from ...words.translation import _
from ..jobs.temporary_folders import temporary_folder
from ..session.session import Session
from .device_facts import came_and_went, misses, with_devices
from .dropouts import Dropouts
from .engine_end import end_engine
from .engine_view import EngineView
from .input_levels import InputLevels
from .live_reconfiguration import carried
from .live_updates import LiveUpdates
from .sleep_time import slept_s
from .transport import Transport

SLEEP_S = 1.0
CARD_HANG_S = 4.0  # a card that vanishes is given up and looked for again within that


class LiveEngine(EngineView):
    """`state`: stopped, starting, running, restarting."""

    changed = pyqtSignal()
    levels = pyqtSignal()
    restarted = pyqtSignal()
    slept = pyqtSignal()

    def __init__(self, session: Session):
        super().__init__(session)
        self.inputs = InputLevels()
        self._dropouts = Dropouts()
        self._song_troubles = 0
        self._rate_hz = 0  # what the desktop insists on, 0 where that is ours
        self._track = Transport()
        self._folder: tempfile.TemporaryDirectory[str] | None = None
        self._pool = ThreadPoolExecutor(1)  # what ends and what is asked, in its order
        self._ready: Future[None] | None = None
        self._closing: Future[None] | None = None
        self._play_when_up = False
        self.following: LiveUpdates | None = None
        self._supervisor: Supervisor | None = None
        self.watched: list[Callable[[EngineLink], None]] = []  # called with every look of the supervisor, in its thread
        self._asleep = slept_s()
        self.fade_db, self._sent = 0.0, tuple[object, ...]()
        self.with_acts: Callable[[Live], Live] = lambda live: live  # see `control/live_acts.py`
        self.why_not = ""  # what was to be started could not be, and may be there later
        session.admits, session.tell = self._admits, self._tell
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
            session.noticed.emit(not_started_text(e), "coral")
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
                self.session.noticed.emit(not_started_text(e), "coral")
            self.why_not = str(e)
            self._set("stopped")
            return
        self.why_not = ""
        self._launch()

    def _launch(self) -> None:
        session = self.session
        try:
            first = carried(session.setup, max([2, *(x.channels for x in session.setup.listeners)]))
            plans = compile_plans(session.setup, self._planned, first.rows)
        except PlanError as e:
            session.noticed.emit(not_started_text(e), "coral")
            self._set("stopped")
            return
        self._folder = temporary_folder("running")
        document = Path(self._folder.name) / "running.brucke.json"
        save(document, session.setup, session.knowledge)
        real = [d for i, d in enumerate(first.rows.devices.who) if d is not None and i in first.wirings.devices]
        world = session.equipment.world_command(document, session.folders, real=real, roomy=True)
        shape, order = shape_of(session.setup, first.rows), first.rows.order(session.setup)
        safety = safety_of(session.setup, session.live, first.rows)
        self.link = EngineLink(shape, plans, world, first.wirings, order, safety)
        self._sent = self._to_send()
        self._supervisor = Supervisor(self.link, self._look_at_others)
        self._supervisor.start()
        self.following = LiveUpdates(self.link, Path(self._folder.name), first, lambda live: self.with_acts(live))
        self.inputs = InputLevels()
        self._track = Transport()
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
        if self.following is not None:
            self.following.end()
        link, folder, self.link, self._folder, self.following = self.link, self._folder, None, None, None
        supervisor, self._supervisor = self._supervisor, None
        self._closing = self._pool.submit(end_engine, link, folder, supervisor)
        self.session.see(replace(self.session.facts, missing=(), looked=False, matched={}))
        if self.session.live.on_air:
            self.set_on_air(False)
        self._set("stopped")

    def end(self) -> None:  # the window closes: until everything that was started has ended
        self.stop()
        self._pool.shutdown(wait=True)

    def _look_at_others(self) -> None:
        """In the supervisor's thread."""
        link = self.link
        if link is not None:
            for look in self.watched:
                look(link)

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
            self.session.noticed.emit(SLEPT_TEXT, "coral")
            self.slept.emit()
        self._asleep = asleep
        if self.following is not None:
            why = self.following.tick(self.session.setup)
            if why:
                self.session.noticed.emit(
                    _("What stands behind the ports could not be told of the change: {why}.").format(why=why), "coral"
                )
        if self._supervisor is not None and not self._hear(self._supervisor):
            return
        if link.running:
            if self.state != "running":
                self._came_up(link)
            self.readings = link.readings()
            self.loudness, self.chain_loudness = link.listener_loudness(), link.chain_loudness()
            parts, outs = link.meters()
            self.part_peaks, self.out_peaks = parts[:, :, 0], outs[:, :, 0]
            self.inputs.see(self.session.setup, *link.inputs())
            self._see_devices(link)
            self._see_rate(link)
            self._see_song(link)
            self._see_dropouts()
            self.levels.emit()

    def _see_devices(self, link: EngineLink) -> None:
        """What they say of themselves, and which are there."""
        session, setup = self.session, self.session.setup
        who = self.following.carried.rows.devices.who if self.following is not None else ()
        leading = [id for i in (self.card.devices if self.card is not None else ()) if (id := who[i]) is not None]
        facts, moved = with_devices(session.facts, setup, link, leading)
        session.see(facts)
        missing = tuple(setup.devices[i].id for i in link.missing())
        if missing != facts.missing or not facts.looked:
            session.see(replace(facts, missing=missing, looked=True))
            said, back = came_and_went(setup, facts.missing, missing)
            for text, tone, gone in said:
                session.notice(text, tone, partial(misses, session, gone) if gone else None)
            moved += back
        for device in moved:
            self._doubt(REJOINED, device)

    def _see_rate(self, link: EngineLink) -> None:
        """A server that runs at another rate than the setup carries nothing of ours."""
        rate = link.get(Head.RATE)
        if rate != self._rate_hz:
            self._rate_hz = rate
            if rate:
                self.session.noticed.emit(other_rate_text(rate, link.shape.rate), "coral")

    def _see_song(self, link: EngineLink) -> None:
        troubles = link.get(Head.PLAYER_TROUBLES)
        if troubles > self._song_troubles:
            self.session.noticed.emit(DECODER_ENDED, "coral")
        self._song_troubles = troubles

    def _hear(self, supervisor: Supervisor) -> bool:
        """What was done beside the window is shown; False where nothing runs any more."""
        supervisor.hang_s = HANG_S if self.card is None else CARD_HANG_S
        supervisor.goes_on = self.card is not None
        while supervisor.told:
            what = supervisor.told.popleft()
            if what == "world":
                self.session.noticed.emit(STANDINS_ENDED, "coral")
                self.stop()
                return False
            if what == "restarting":
                self._restarting()
            elif what == "world again":
                self.session.noticed.emit(STANDINS_AGAIN, "coral")
            elif what == "loudness" and in_numbers():
                self.session.noticed.emit(LOUDNESS_ANEW, "mute")
        if supervisor.failures:
            raise supervisor.failures.pop(0)
        return True

    def _came_up(self, link: EngineLink) -> None:
        again = self.state == "restarting"
        self._set("running")
        if self._play_when_up:
            self._play_when_up = False
            link.tell_world(Play())
        if again:
            self.session.noticed.emit(ENGINE_BACK, "coral")
            self.restarted.emit()

    def _restarting(self) -> None:
        """The engine died or hung, and comes back with the same setup: its clock counts as spoiled."""
        self._set("restarting")
        self.session.stands.emit(ENGINE_STOPPED, "coral", lambda: self.state == "restarting")
        self._doubt(RESTARTED)

    def _doubt(self, event: str, only: str = "") -> None:
        """What this spoils of all that was measured (with everything, or `only` one device) is unconfirmed from now
        on."""
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
        if self.link is None or self.following is None:
            return
        wanted = self._to_send()
        if wanted == self._sent:
            return
        self._keep_closed()
        try:
            goes_on = self.following.follow(self.session.setup, self._planned)
            self._sent = wanted
        except PlanError as e:
            self.session.noticed.emit(_("Not carried over: {why}.").format(why=e), "coral")
            return
        if goes_on:
            self._track.tell(self.link, self.session.setup, self.session.folders)
            return
        playing = self.playing
        self.stop()
        self.start(play=playing)

    def _to_send(self) -> tuple[object, ...]:
        """What plans are made of. Moments lie ready in them; mutes, silence and doors are told apart."""
        live = self.session.live
        return self.session.setup, self.fade_db, live.alone, live.without

    def _keep_closed(self) -> None:
        """Whoever comes while others hear is heard by nobody there until a hand opens them."""
        before, setup, live = self._sent[0], self.session.setup, self.session.live
        assert isinstance(before, Setup)
        new = set(doors(setup)) - set(doors(before)) - live.shut
        if live.on_air and new:
            self._sent = (setup, *self._sent[1:])  # what set_live leads to is not the same once more
            self.session.set_live(replace(live, shut=live.shut | new))

    def _admits(self, setup: Setup, held: str) -> str:
        return self.following.admits(setup, self._planned, held) if self.following is not None else ""

    def _tell(self, live: Live) -> None:
        """What silences and closes goes to the engine before anything else is done with it."""
        if self.following is not None:
            self.following.tell(self.session.setup, live)

    def tell_now(self) -> None:
        """Any thread: what was asked for past the window, see `with_acts`, is in force with the next block."""
        following = self.following
        if following is not None:
            with contextlib.suppress(KeyError, ValueError):  # it ends just now, and its memory with it
                following.tell(self.session.setup, self.session.live)

    @property
    def _planned(self) -> Live:  # what of the live state is part of plans
        return replace(self.session.live, fade_db=self.fade_db)

    @property
    def carried(self) -> tuple[Setup, ServerWiring | None] | None:
        """What is carried now, with what has just left, and how the sound server reaches it; None while nothing
        runs."""
        if self.following is None:
            return None
        now = self.following.carried
        return now.setup, now.wiring if isinstance(now.wiring, ServerWiring) else None

    @property
    def card(self) -> Wiring | None:
        """The real device that is open, None where all are stand-ins."""
        return self.following.carried.wiring if self.following is not None else None

    def play(self, on: bool) -> None:
        if self.link is None:
            self.start(play=on)
        else:
            self.link.tell_world(Play() if on else Pause())

    def set_on_air(self, on: bool) -> None:
        self.set_doors(replace(self.session.live, on_air=on))

    def set_doors(self, live: Live) -> None:
        """Others open or closed than before. Nothing opens but by a hand: who calls this with more open has been asked
        to."""
        begins = live.on_air and not self.session.live.on_air
        self.session.set_live(live)
        if begins:
            self.measure_loudness_anew()
        self.changed.emit()

    def set_fade(self, db: float) -> None:
        """How far the leads are faded now, for everybody; 0 not at all."""
        if db != self.fade_db:
            self.fade_db = db
            self._send_plan()
