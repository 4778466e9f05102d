"""Takes: recording one by hand, the proof take from the top, collecting what the far ends got, and measuring it."""

import tempfile
import time
from datetime import datetime
from pathlib import Path

from msgspec.structs import replace
from platformdirs import user_data_path
from PyQt6.QtCore import QObject, pyqtSignal

from ..core.edits.together import together
from ..core.knowledge.learned import now, picture_measurements
from ..core.knowledge.take_verdict import TakeVerdict
from ..core.routing.recording import listeners_kept, parts_kept
from ..core.timing.paths import Situation
from ..engine.processes.link import EngineLink
from ..ports.sounds.segments import read_segments, read_track
from ..takes.judging import judge
from ..takes.take import Take, TakeError, far_ends_in, load_take, save_take
from ..words.timing import clock_text
from .absences import Absences
from .proving import ProofRun
from .recorder import RecorderWatch, can_write, own_folder
from .running import LiveEngine
from .session import Session

PROOF_S = 30.0
COLLECT_S = 10.0


def takes_folder(session: Session) -> Path:
    safe = "".join(c if c.isalnum() else "-" for c in session.setup.name).strip("-")[:80] or "untitled"
    return user_data_path("brucke") / "takes" / safe


class TakeRecorder(QObject):
    """`state`: idle, recording, finishing, proving; `proof_take` while one from the top is made. Takes in the order they
    were made, newest last."""

    changed = pyqtSignal()
    proved = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine, seconds: float = PROOF_S):
        super().__init__()
        self.session, self.running, self.seconds = session, running, seconds
        self.state = "idle"
        self.proof_take = False
        self.takes: list[tuple[Path, Take]] = []
        self.chosen = -1
        self.against = -1
        self.share = 0.0
        self.recording = RecorderWatch(session.noticed.emit, self._elsewhere)
        self._folder = Path()
        self._begin = 0.0
        self._given = False
        self._shown: tuple[object, ...] = ()
        self._known: Situation | None = None
        self._proof = ProofRun()
        self._proof.changed.connect(self._proof_moved)
        self._proof.ended.connect(self._proved)
        self._absences = Absences()
        self._setup = session.setup  # of the take: with what left while it was recorded
        session.replaced.connect(self.find)
        session.changed.connect(self._follow)

    # The takes there are

    def find(self) -> None:
        """The takes of this setup that are already on disk."""
        self.takes = []
        for file in sorted(takes_folder(self.session).glob("*/take.json")):
            self._read(file.parent)
        self._choose_newest()
        self.changed.emit()

    def _read(self, folder: Path) -> bool:
        """Put a take of the disk into the list. Whether it could be read; said where not."""
        try:
            take = load_take(folder)
        except TakeError as e:
            self.session.noticed.emit(f"Left out: {e}.", "amber")
            return False
        self.takes = [(f, t) for f, t in self.takes if f != folder] + [(folder, take)]
        return True

    def _choose_newest(self) -> None:
        self.chosen = len(self.takes) - 1
        self.against = self.chosen - 1

    def choose(self, index: int) -> None:
        """Show one take against the one before it."""
        self.chosen, self.against = index, index - 1
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

    # What the buttons say

    @property
    def seconds_recorded(self) -> float:
        return time.monotonic() - self._begin if self.state == "recording" else 0.0

    @property
    def record_text(self) -> str:
        """What the button that records by hand says now, wherever it stands."""
        if self.state == "recording" and not self.proof_take:
            return f"End recording  {clock_text(self.seconds_recorded)}"
        return "Record"

    @property
    def proof_text(self) -> str:
        """What the button of the proof take says now."""
        match self.state:
            case "recording" if self.proof_take:
                return f"End the proof take  {self.share * self.seconds:.0f} s"
            case "finishing":
                return "Collecting…"
            case "proving":
                return f"Measuring the take  {self.share:.0%}"
            case _:
                return "Proof take"

    # Recording

    def record(self) -> None:
        """Begin by hand, or end: the track, the place and the hour go on as they are."""
        if self.state == "recording":
            self._finish()
        elif self.state == "idle":
            self._start(proof=False)
        else:
            self.session.noticed.emit("The take before is still being collected or measured. Esc ends that.", "amber")

    def prove_from_the_top(self) -> None:
        """Half a minute from the beginning of the track, then measured. Only off air: it moves the track."""
        if self.state == "recording" and self.proof_take:
            self._finish()
        elif self.state == "recording":
            self.session.noticed.emit("You are recording. End that first (R); a proof take moves the track.", "amber")
        elif self.session.live.on_air:
            self.session.noticed.emit("On air, the track is not moved: no proof take now. R records as it is.", "amber")
        elif self.state == "idle":
            self._start(proof=True)

    def _start(self, proof: bool) -> None:
        link, session = self.running.link, self.session
        if link is None or self.running.state != "running":
            session.noticed.emit("Start first (F5): nothing is running yet.", "amber")
            return
        try:
            self._new_folder(takes_folder(session))
        except OSError as e:
            other = self._elsewhere()
            if other is None:
                why = (e.strerror or str(e)).lower()
                session.noticed.emit(f"Nothing is recorded: {takes_folder(session)}: {why}.", "coral")
                return
            self._new_folder(other)
            session.noticed.emit(f"The takes' folder takes nothing ({e.strerror}). Recording into {other}.", "coral")
        self._known = session.situation
        self.proof_take = proof
        if proof:
            link.tell_world("seek", frame=0)
            link.tell_world("play")
        self._begin_in_folder()
        self._begin, self.share = time.monotonic(), 0.0
        self._absences = Absences()
        session.recording = True
        self._set("recording")

    def _new_folder(self, home: Path) -> None:
        """The take's own folder with what is in force in it. Errors: OSError."""
        self._folder = own_folder(home, datetime.now().strftime("%Y-%m-%d %H.%M.%S"))
        self._setup = self.session.setup
        save_take(self._folder, self._describe())

    def _begin_in_folder(self) -> None:
        link = self.running.link
        assert link is not None
        self.recording.start(link, self._folder, self._tracks(link))
        self._given = False
        link.tell_world("keep", folder=str(self._folder / "far_ends"))

    def _tracks(self, link: EngineLink) -> dict[str, list[int]]:
        """Rows by track of what is to be kept now."""
        setup = self.session.setup
        kept_parts, kept_listeners = parts_kept(setup), listeners_kept(setup)
        parts = [(p.id, i, len(p.channels)) for i, p in enumerate(setup.parts) if p.id in kept_parts]
        listeners = [(x.id, i, x.channels) for i, x in enumerate(setup.listeners) if x.id in kept_listeners]
        return link.track_rows(parts, listeners)

    def _follow(self) -> None:
        """Whoever comes while a take is recorded has a track from then on, whoever leaves until then."""
        link = self.running.link
        if self.state != "recording" or link is None or not self.recording.running:
            return
        tracks = self._tracks(link)
        if tracks == self.recording.tracks:
            return
        self.recording.go_on_with(link, tracks)
        self._setup = together(self.session.setup, self._setup)
        try:
            save_take(self._folder, self._describe())
        except OSError as e:
            self.session.noticed.emit(
                f"What the take holds cannot be noted ({e.strerror}); its sound goes on.", "coral"
            )

    def _elsewhere(self) -> Path | None:
        """Another folder that takes something, None where there is none."""
        for home in (Path.home() / "Brucke takes", Path(tempfile.gettempdir()) / "brucke-takes"):
            try:
                home.mkdir(parents=True, exist_ok=True, mode=0o700)
            except OSError:
                continue
            if not can_write(home) and home not in self._folder.parents:
                return home
        return None

    def _describe(self) -> Take:
        setup = self._setup
        return Take(
            date=now(), setup=setup, knowledge=self.session.knowledge, moment=self.session.live.moment,
            parts={p: f"parts/{p}.wav" for p in parts_kept(setup)},
            listeners={x: f"listeners/{x}.wav" for x in listeners_kept(setup)},
        )  # fmt: skip

    def _set(self, state: str) -> None:
        self.state = state
        self.changed.emit()

    def _finish(self) -> None:
        link = self.running.link
        self.recording.stop(link)
        if link is not None:
            link.tell_world("give_back")
        self._begin = time.monotonic()
        self._set("finishing")

    def tick(self) -> None:
        if self.state in ("recording", "finishing"):
            self.recording.tick(self.running.link)
        if self.state == "recording":
            self._watch()
        elif self.state == "finishing":
            self._collect()

    def _watch(self) -> None:
        self._absences.see(self.session.setup, self.session.facts.missing, self.seconds_recorded)
        if self.recording.moved_to is not None:
            self._move(self.recording.moved_to)
        elif self.running.link is None or self.recording.state == "done":
            self._finish()
        elif self.proof_take:
            self.share = self.seconds_recorded / self.seconds
            if self.share >= 1:
                self._finish()
        shown = (int(self.seconds_recorded), self.recording.state, self.state)
        if shown != self._shown:
            self._shown = shown
            self.changed.emit()

    def _move(self, home: Path) -> None:
        """The folder takes nothing any more: what is there is a take of its own, and another one goes on elsewhere."""
        if self._folder.is_dir():
            self._keep(self._folder, list(self.recording.missing))
        link = self.running.link
        try:
            self._new_folder(home)
        except OSError:
            self._finish()
            return
        if link is not None:
            link.tell_world("give_back")
            self._begin_in_folder()

    def _collect(self) -> None:
        link = self.running.link
        if link is not None and (message := link.world.channel.receive()) is not None:
            self._given = self._given or message["do"] == "given"
        late = time.monotonic() - self._begin > COLLECT_S
        if link is None or late or (self._given and self.recording.state == "done"):
            missing = [*self.recording.missing, *self._absences.end(self._setup)]
            if late and not self._given:
                missing.append("what the far ends got was not handed over")
            self.session.recording = False
            if not self._keep(self._folder, missing):
                self._set("idle")
            elif self.proof_take:
                self._prove(self._folder)
            else:
                self._choose_newest()
                self._set("idle")
                self._say_kept()

    def _say_kept(self) -> None:
        take = self.take
        gone = f" Missing: {'; '.join(take.missing)}." if take is not None and take.missing else ""
        self.session.noticed.emit(f"Kept in {self._folder}.{gone}", "amber" if gone else "water")

    def _keep(self, folder: Path, missing: list[str]) -> bool:
        """A recording becomes a take in the list: with its far ends, what the track did, and what is missing."""
        try:
            take = load_take(folder)
            segments = read_segments(folder)
            lost = sum(s.lost_frames for s in segments) / take.setup.rate_hz
            if lost:
                missing.append(f"{lost:.2f} s were overrun and are silent")
            if not segments:
                missing.append("nothing was written")
            take = replace(
                take, far_ends=far_ends_in(folder, take.setup), track=read_track(folder), missing=tuple(missing)
            )
            save_take(folder, take)
        except (TakeError, OSError) as e:
            self.session.noticed.emit(f"The take cannot be completed: {e}.", "coral")
            return False
        return self._read(folder)

    # Proof

    def measure_chosen(self) -> None:
        """Measure a take that was recorded by hand."""
        if self.state == "idle" and self.take is not None:
            self._known = None
            self._prove(self.takes[self.chosen][0])

    def _prove(self, folder: Path) -> None:
        self._folder, self.share = folder, 0.0
        self._proof.prove(folder, self.session.folders)
        self._set("proving")

    def cancel(self) -> None:
        """Stop proving; the take is kept as it is. A proof take ends; what is recorded by hand goes on."""
        if self.state == "proving":
            self._proof.stop()
        elif self.state == "recording" and self.proof_take:
            self._finish()
        elif self.state == "recording":
            self.session.noticed.emit("The recording goes on. R ends it.", "mute")

    def close(self) -> None:
        """The window closes: what is being measured is left, the take itself is on disk."""
        if self.state == "recording" and self.running.link is not None:
            self.recording.stop(self.running.link)
            self.running.link.tell_world("give_back")
        self._proof.close()

    def _proof_moved(self) -> None:
        self.share = self._proof.share
        self.changed.emit()

    def _proved(self, measured: bool) -> None:
        self._read(self._folder)
        self._choose_newest()
        self.state = "idle"
        if not measured:
            why = self._proof.said or "the measuring ended unexpectedly"
            self.session.noticed.emit(f"The take is kept, but was not measured: {why.rstrip('.')}.", "coral")
            self.changed.emit()
            return
        take = self.take
        if take is not None and self._known is not None and take.setup.devices == self.session.setup.devices:
            knowledge = picture_measurements(
                Situation(take.setup, self.session.knowledge, self._known.facts), take.proof
            )
            self.session.learn(knowledge)
        self.changed.emit()
        self.proved.emit()
