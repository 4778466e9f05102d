"""Takes: recording one by hand, the proof take from the top, collecting what the far ends got, and measuring it. A disk
that does not answer holds up no window: what touches it is done by `background.py`."""

import time
from collections.abc import Callable
from concurrent.futures import Future
from datetime import datetime
from pathlib import Path

from PyQt6.QtCore import pyqtSignal

from ...core.document.setup import Part
from ...core.edits.union import together
from ...core.timing.make_evidence import picture_measurements
from ...core.timing.paths import Situation
from ...engine.processes.link import EngineLink
from ...engine.processes.messages import FarEndsGiven, GiveFarEnds, KeepFarEnds, Play, Seek
from ...engine.processes.region import Head
from ...takes.take import Take, TakeError, save_take
from ...words.recordings import record_button, test_button
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..engine.missing_devices import Absences
from ..jobs.background import BackgroundQueue
from ..session.session import Session
from .consent import may_be_recorded, not_asked
from .kept_tracks import moved_chains, rows_kept, take_of
from .proof_job import ProofRun
from .recorder import NO_ANSWER, RecorderWatch
from .take_folders import elsewhere, keep, own_folder, takes_folder
from .take_list import TakeList

PROOF_S = 30.0
COLLECT_S = 10.0
CHAIN_MOVED = _("the place of {part} processed from where its chain was changed: it costs another time there")
HELD_S = 0.25  # as long a press may be held up by a disk; then it goes on aside


class TakeRecorder(TakeList):
    """`state`: idle, starting (the disk has not answered yet), recording, finishing, proving; `proof_take` while one
    from the top is made."""

    proved = pyqtSignal()
    # Whether to go on, after a far end was asked whether it may be recorded: without an answer it is not.
    ask_agreed: Callable[[Part], bool] = staticmethod(lambda _part: True)

    def __init__(self, session: Session, running: LiveEngine, seconds: float = PROOF_S):
        super().__init__(session)
        self.running, self.seconds, self.length = running, seconds, seconds
        self.state = "idle"
        self.proof_take = False
        self.share = 0.0
        self.recording = RecorderWatch(self._elsewhere)
        running.watched.append(self.recording.tick)
        self.whole: list[Callable[[], bool]] = []  # what else is kept beside its sound
        self._lane = BackgroundQueue("take")
        self._made: Future[Path] | None = None  # the folder of a take that is to begin
        self._home = Path()
        self._noting: Future[None] | None = None
        self._keeping: dict[Path, Future[Take]] = {}  # recordings that are put together aside
        self._asked_to_keep = 0.0
        self._link: EngineLink | None = None  # that records
        self._left_out = 0  # frames that nobody gave: until the take begins, then in it
        self.folder = Path()
        self._begin = 0.0
        self._given = False
        self._shown: tuple[object, ...] = ()
        self._known: Situation | None = None
        self._proof = ProofRun()
        self._proof.changed.connect(self._proof_moved)
        self._proof.ended.connect(self._proved)
        self._absences = Absences()
        self._moved_chains: set[str] = set()
        self._setup = session.setup  # of the take: with what left while it was recorded
        session.changed.connect(self._follow)

    # What the buttons say

    @property
    def seconds_recorded(self) -> float:
        return time.monotonic() - self._begin if self.state == "recording" else 0.0

    @property
    def record_text(self) -> str:
        """What the button that records by hand says now, wherever it stands."""
        return record_button(self.state, self.proof_take, self.seconds_recorded)

    @property
    def proof_text(self) -> str:
        """What the button of the test recording says now."""
        return test_button(self.state, self.proof_take, self.share, self.length)

    def _set(self, state: str) -> None:
        self.state = state
        self.changed.emit()

    def record(self, *, asks: bool = True) -> None:
        """Begin, or end; nothing else changes. Unless it `asks`, far ends who have not answered are left out."""
        if self.state == "recording":
            self._finish()
        elif self.state == "idle":
            self._start(proof=False, asks=asks)
        elif self.state == "starting":
            self._give_up()
        else:
            self._say(_("The recording before is still being collected or measured. Esc ends that."), "amber")

    def prove_from_the_top(self, seconds: float = 0.0) -> None:
        """Half a minute, or `seconds`, from the top of the track, then measured. Only off air: it moves it."""
        if self.state == "recording" and self.proof_take:
            self._finish()
        elif self.state == "recording":
            self._say(_("You are recording. End that first (R); a test recording moves the track."), "amber")
        elif self.session.live.on_air:
            self._say(
                _("While they hear you, the track is not moved: no test recording now. Ctrl+R records as it is."),
                "heard",
            )
        elif self.state == "idle":
            self.length = seconds or self.seconds
            self._start(proof=True)

    def _start(self, proof: bool, asks: bool = True) -> None:
        session = self.session
        if self.running.why_silent:
            self._say(self.running.why_silent, "silent")
            return
        if (asks and not all(map(self.ask_agreed, not_asked(session)))) or self.running.link is None:
            return
        self._known = session.situation
        self.proof_take = proof
        home = takes_folder(session)
        made = self._make_folder(home)
        if not made.done():
            self._say(
                _("The disk has not answered yet; recording begins as soon as it does: {home}.").format(home=home),
                "amber",
            )
        self._go_on_once_made(made, home)

    def _make_folder(self, home: Path) -> "Future[Path]":
        """The take's own folder with what is in force in it, in `home` or where something is taken. Errors: OSError."""
        self._setup = self.session.setup
        take, name = self._describe(), datetime.now().strftime("%Y-%m-%d %H.%M.%S")

        def make() -> Path:
            try:
                folder = own_folder(home, name)
            except OSError:
                other = self._elsewhere()
                if other is None:
                    raise
                folder = own_folder(other, name)
            save_take(folder, take)
            return folder

        self._lane.close()
        self._lane = BackgroundQueue("take")  # of its own: the one before may hang for ever
        return self._lane.do(make, HELD_S)

    def _go_on_once_made(self, made: "Future[Path]", home: Path) -> None:
        """Recording begins in the folder that was made; the window does not wait for a disk."""
        self._made, self._home = made, home
        if not made.done():
            self._set("starting")
            return
        self._made = None
        link, session = self.running.link, self.session
        try:
            self.folder = made.result()
        except (OSError, TakeError) as e:
            why = (getattr(e, "strerror", None) or str(e)).lower()
            self._say(_("Nothing is recorded: {home}: {why}.").format(home=home, why=why), "coral")
            session.recording = False
            self._set("idle")
            return
        if link is None:
            self._set("idle")
            return
        if home not in self.folder.parents:
            said = _("The folder for recordings takes nothing. Recording into {folder}.")
            self._say(said.format(folder=self.folder.parent), "coral")
        if self.proof_take:
            link.tell_world(Seek(frame=0))
            link.tell_world(Play())
        self._begin_in_folder(link)
        self._begin, self.share = time.monotonic(), 0.0
        self._absences, self._moved_chains = Absences(), set()
        session.recording = True
        self._set("recording")

    def _give_up(self) -> None:
        """Nothing was recorded into it yet."""
        self._made = None
        self.session.recording = False
        self._say(_("Not begun: the disk had not answered. Nothing is recorded."), "amber")
        self._set("idle")

    def _begin_in_folder(self, link: EngineLink) -> None:
        self._link, self._left_out = link, link.get(Head.GAPS)
        self.recording.start(link, self.folder, self._tracks(link))
        self._given = False
        link.tell_world(KeepFarEnds(folder=str(self.folder / "far_ends")))

    def _tracks(self, link: EngineLink) -> dict[str, list[int]]:
        return rows_kept(link, self.session.setup, may_be_recorded(self.session))

    def _follow(self) -> None:
        """Whoever comes while a take is recorded has a track from then on, whoever leaves until then."""
        link = self.running.link
        if self.state != "recording" or link is None or not self.recording.running:
            return
        self._moved_chains |= moved_chains(self._setup, self.session.setup)
        tracks = self._tracks(link)
        if tracks == self.recording.tracks:
            return
        self.recording.go_on_with(link, tracks)
        self._setup = together(self.session.setup, self._setup)
        folder, take = self.folder, self._describe()
        self._noting = self._lane.do(lambda: save_take(folder, take))

    def _elsewhere(self) -> Path | None:
        return elsewhere(self.folder)

    def _describe(self) -> Take:
        return take_of(self.session, self._setup)

    def _finish(self) -> None:
        link = self.running.link
        same = link if link is self._link else None
        self._left_out = same.get(Head.GAPS) - self._left_out if same is not None else 0
        self.recording.stop(same)
        if link is not None:
            link.tell_world(GiveFarEnds())
        self._begin = time.monotonic()
        self._set("finishing")

    def tick(self) -> None:
        while self.recording.said:
            self._say(*self.recording.said.popleft())
        self._look_at_notes()
        if self.state == "starting" and self._made is not None and self._made.done():
            self._go_on_once_made(self._made, self._home)
        elif self.state == "recording":
            self._watch()
        elif self.state == "finishing":
            self._collect()

    def _look_at_notes(self) -> None:
        """What was written aside, and could not be."""
        if self._noting is not None and self._noting.done():
            noting, self._noting = self._noting, None
            e = noting.exception()
            if e is not None:
                why = (getattr(e, "strerror", None) or str(e)).lower()
                self._say(
                    _("What the recording holds cannot be noted ({why}); its sound goes on.").format(why=why), "coral"
                )
        for folder, kept in list(self._keeping.items()):
            if kept.done() and folder != self.folder:
                del self._keeping[folder]
                self._take_in(folder, kept)

    def _watch(self) -> None:
        self._absences.see(self.session.setup, self.session.facts.missing, self.seconds_recorded)
        if self.recording.moved_to is not None:
            self._move(self.recording.moved_to)
        elif self.running.link is not self._link or self.recording.state == "done":
            self._finish()
        elif self.proof_take:
            self.share = self.seconds_recorded / self.length
            if self.share >= 1:
                self._finish()
        shown = (int(self.seconds_recorded), self.recording.state, self.state)
        if shown != self._shown:
            self._shown = shown
            self.changed.emit()

    def _move(self, home: Path) -> None:
        """The folder takes nothing any more: what is there is a take of its own, and another one goes on elsewhere."""
        old, missing, link = self.folder, list(self.recording.missing), self.running.link
        self._keeping[old] = self._lane.do(lambda: keep(old, missing))
        if link is not None:
            link.tell_world(GiveFarEnds())
        self.recording.moved_to = None
        self._go_on_once_made(self._make_folder(home), home)

    def _collect(self) -> None:
        link = self.running.link
        if link is not None and (message := link.world.channel.receive()) is not None:
            self._given = self._given or isinstance(message, FarEndsGiven)
        late = time.monotonic() - self._begin > COLLECT_S
        if link is None or late or (self._given and self.recording.state == "done" and all(x() for x in self.whole)):
            self._complete(late)

    def _complete(self, late: bool) -> None:
        """The take is put together aside, and then taken into the list."""
        if self.folder not in self._keeping:
            missing = [*self.recording.missing, *self._absences.end(self._setup)]
            missing += [CHAIN_MOVED.format(part=part) for part in sorted(self._moved_chains)]
            if late and not self._given:
                missing.append(_("what the far ends got was not handed over"))
            folder, left_out = self.folder, self._left_out
            self._keeping[folder] = self._lane.do(lambda: keep(folder, missing, left_out), HELD_S)
            self._asked_to_keep = time.monotonic()
        kept = self._keeping[self.folder]
        if not kept.done() and time.monotonic() - self._asked_to_keep < COLLECT_S:
            return
        self.session.recording = False
        if not kept.done():
            self._say(
                _("The recording cannot be completed: {why}. What was written is in {folder}.").format(
                    why=NO_ANSWER, folder=self.folder
                ),
                "coral",
            )
            self._set("idle")
            return
        del self._keeping[self.folder]
        if not self._take_in(self.folder, kept):
            self._set("idle")
        elif self.proof_take:
            self._prove(self.folder)
        else:
            self._choose_newest()
            self._set("idle")
            self._say_kept()

    def _say_kept(self) -> None:
        gone = f" Missing: {'; '.join(self.take.missing)}." if self.take is not None and self.take.missing else ""
        self._say(_("Kept in {folder}.{gone}").format(folder=self.folder, gone=gone), "amber" if gone else "water")

    def _take_in(self, folder: Path, kept: "Future[Take]") -> bool:
        """A recording that was completed comes into the list. Whether it could be; said where not."""
        try:
            take = kept.result()
        except (TakeError, OSError) as e:
            self._say(_("The recording cannot be completed: {why}.").format(why=e), "coral")
            return False
        self.takes = [(f, t) for f, t in self.takes if f != folder] + [(folder, take)]
        return True

    # Proof

    def measure_chosen(self) -> None:
        """Measure a take that was recorded by hand."""
        if self.state == "idle" and self.take is not None:
            self._known = None
            self._prove(self.takes[self.chosen][0])

    def _prove(self, folder: Path) -> None:
        self.folder, self.share = folder, 0.0
        self._proof.prove(folder, self.session.folders)
        self._set("proving")

    def cancel(self) -> None:
        """Stop proving; the take is kept as it is. A proof take ends; what is recorded by hand goes on."""
        if self.state == "proving":
            self._proof.stop()
        elif self.state == "starting":
            self._give_up()
        elif self.state == "recording" and self.proof_take:
            self._finish()
        elif self.state == "recording":
            self._say(_("The recording goes on. R ends it."), "mute")

    def close(self) -> None:
        """The window closes: what is being measured is left, the take itself is on disk."""
        if self.state == "recording" and self.running.link is not None:
            self.recording.stop(self.running.link)
            self.running.link.tell_world(GiveFarEnds())
        self._proof.close()

    def _proof_moved(self) -> None:
        self.share = self._proof.share
        self.changed.emit()

    def _proved(self, measured: bool) -> None:
        self._read(self.folder)
        self._choose(self.folder)
        self.state = "idle"
        if not measured:
            why = self._proof.said or _("the measuring ended unexpectedly")
            self._say(_("The recording is kept, but was not measured: {why}.").format(why=why.rstrip(".")), "coral")
            self.changed.emit()
            return
        take = self.take
        if take is not None and self._known is not None and take.setup.devices == self.session.setup.devices:
            knowledge = picture_measurements(
                Situation(take.setup, self.session.knowledge, self._known.facts, take.moment), take.proof
            )
            self.session.learn(knowledge)
        self.changed.emit()
        self.proved.emit()
