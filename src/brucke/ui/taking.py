"""Recording a take, proving it, and listening to two takes on one key."""

import sys
import time
from datetime import datetime
from pathlib import Path

import numpy as np
from msgspec.structs import replace
from platformdirs import user_data_path
from PyQt6.QtCore import QObject, QProcess, QProcessEnvironment, pyqtSignal

from ..core.take_verdict import TakeVerdict
from ..core.timing.paths import Situation
from ..rehearse.evidence import now, picture_measurements
from ..takes.judging import judge
from ..takes.take import Take, TakeError, load_take, save_take
from .running import Running
from .session import Session

TAKE_S = 30.0


def takes_folder(session: Session) -> Path:
    safe = "".join(c if c.isalnum() else "-" for c in session.setup.name).strip("-") or "untitled"
    return user_data_path("brucke") / "takes" / safe


class Taking(QObject):
    """`state`: idle, recording, finishing, proving. Takes in the order they were made, newest last."""

    changed = pyqtSignal()
    proved = pyqtSignal()

    def __init__(self, session: Session, running: Running, seconds: float = TAKE_S):
        super().__init__()
        self.session, self.running, self.seconds = session, running, seconds
        self.state = "idle"
        self.takes: list[tuple[Path, Take]] = []
        self.chosen = -1
        self.against = -1
        self.share = 0.0
        self.heard = ""  # “now” or “before” while listening back
        self._folder = Path()
        self._begin = 0.0
        self._waiting: set[str] = set()
        self._known: Situation | None = None
        self._proof: QProcess | None = None
        session.replaced.connect(self.find)

    def find(self) -> None:
        """The takes of this setup that are already on disk."""
        self.takes = []
        for folder in sorted(takes_folder(self.session).glob("*/take.json")):
            try:
                self.takes.append((folder.parent, load_take(folder.parent)))
            except TakeError as e:
                self.session.noticed.emit(f"Left out: {e}.", "amber")
        self._choose_newest()
        self.changed.emit()

    def _choose_newest(self) -> None:
        self.chosen = len(self.takes) - 1
        self.against = self.chosen - 1

    def choose(self, index: int) -> None:
        """Show one take against the one before it."""
        self.stop_listening()
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

    @property
    def button_text(self) -> str:
        """What the button that records says now, wherever it stands."""
        match self.state:
            case "recording":
                return f"End the take  {self.share * self.seconds:.0f} s"
            case "finishing":
                return "Collecting…"
            case "proving":
                return f"Measuring the take  {self.share:.0%}"
            case _:
                return "Record a take"

    # Recording

    def toggle(self) -> None:
        if self.state == "recording":
            self._finish()
        elif self.state == "idle":
            self._start()

    def _start(self) -> None:
        link, session = self.running.link, self.session
        if link is None or self.running.state != "running":
            session.noticed.emit("Start first: nothing is running yet.", "amber")
            return
        self.stop_listening()
        stamp = datetime.now().strftime("%Y-%m-%d %H.%M.%S")
        self._folder = takes_folder(session) / stamp
        setup = session.setup
        parts = [(p.id, i, len(p.channels)) for i, p in enumerate(setup.parts) if p.channels]
        listeners = [(x.id, i, x.channels) for i, x in enumerate(setup.listeners)]
        self._known = session.situation
        self._save(self._describe())
        link.tell_world("seek", frame=0)
        link.tell_world("play")
        link.record(str(self._folder), link.track_rows(parts, listeners))
        link.tell_world("keep", folder=str(self._folder / "far_ends"))
        self._begin, self.share = time.monotonic(), 0.0
        self._set("recording")

    def _describe(self) -> Take:
        setup = self.session.setup
        return Take(
            date=now(), setup=setup, knowledge=self.session.knowledge, moment=self.session.live.moment,
            parts={p.id: f"parts/{p.id}.wav" for p in setup.parts if p.channels},
            listeners={x.id: f"listeners/{x.id}.wav" for x in setup.listeners},
        )  # fmt: skip

    def _save(self, take: Take) -> None:
        save_take(self._folder, take)

    def _set(self, state: str) -> None:
        self.state = state
        self.changed.emit()

    def _finish(self) -> None:
        link = self.running.link
        self._waiting = {"recorded", "given"}
        if link is not None:
            link.stop_recording()
            link.tell_world("give_back")
        self._begin = time.monotonic()
        self._set("finishing")

    def tick(self) -> None:
        if self.state == "recording":
            self.share = (time.monotonic() - self._begin) / self.seconds
            if self.share >= 1 or self.running.link is None:
                self._finish()
            else:
                self.changed.emit()
        elif self.state == "finishing":
            self._collect()

    def _collect(self) -> None:
        link = self.running.link
        if link is not None:
            for child in (link.recorder, link.world):
                message = child.channel.receive()
                if message is not None:
                    self._waiting.discard(message["do"])
        if not self._waiting or link is None or time.monotonic() - self._begin > 10:
            take = load_take(self._folder)
            self._save(replace(take, far_ends=self._far_ends(take)))
            self._prove()

    def _far_ends(self, take: Take) -> dict[str, str]:
        found = {}
        for listener in take.setup.listeners:
            for ending in (".wav", ".mkv"):
                name = f"far_ends/{listener.device}{ending}"
                if (self._folder / name).exists():
                    found[listener.id] = name
        return found

    # Proof

    def _prove(self) -> None:
        """In a process of its own, so that the window and the sound do not notice."""
        self.share = 0.0
        self._proof = QProcess(self)
        environment = QProcessEnvironment.systemEnvironment()
        for name in ("OMP_NUM_THREADS", "OPENBLAS_NUM_THREADS"):
            environment.insert(name, "1")
        self._proof.setProcessEnvironment(environment)
        self._proof.readyReadStandardError.connect(self._read_progress)
        self._proof.finished.connect(self._proved)
        command = [sys.executable, "-m", "brucke", "prove", str(self._folder)]
        for folder in self.session.folders:
            command += ["--sounds", str(folder)]
        self._proof.start("nice", ["-n", "15", *command, "--json"])
        self._set("proving")

    def cancel(self) -> None:
        """Stop proving; the take is kept as it is."""
        if self.state == "proving" and self._proof is not None:
            self._proof.kill()
        elif self.state == "recording":
            self._finish()

    def close(self) -> None:
        """The window closes: what is being measured is left, the take itself is on disk."""
        if self._proof is not None:
            self._proof.finished.disconnect(self._proved)
            self._proof.kill()
            self._proof.waitForFinished(2000)

    def _read_progress(self) -> None:
        assert self._proof is not None
        for line in bytes(self._proof.readAllStandardError().data()).decode(errors="replace").splitlines():
            word, _, rest = line.partition(" ")
            if word == "progress":
                self.share = float(rest.split()[0])
            elif word == "brucke:":
                self.session.noticed.emit(f"The take is kept, but was not measured: {rest}.", "coral")
        self.changed.emit()

    def _proved(self) -> None:
        self._proof = None
        take = load_take(self._folder)
        self.takes.append((self._folder, take))
        self._choose_newest()
        self.state = "idle"
        if self._known is not None and take.setup.devices == self.session.setup.devices:
            knowledge = picture_measurements(Situation(take.setup, self.session.knowledge, self._known.facts), take)
            self.session.learn(knowledge)
        self.changed.emit()
        self.proved.emit()

    # Listening back

    def listen(self, which: str, listener: str) -> None:
        """Play what `listener` got, now or before, in the headphones; the same key changes over in place."""
        link = self.running.link
        index = self.chosen if which == "now" else self.against
        monitor = next((i for i, x in enumerate(self.session.setup.listeners) if x.kind == "monitor"), None)
        if link is None or self.running.state != "running":
            self.session.noticed.emit("Start first: the headphones are off.", "amber")
            return
        if monitor is None or not 0 <= index < len(self.takes):
            return
        at = max(0, self.running.back_frame) if self.heard else 0
        try:
            sound = self._sound(index, listener)
        except (TakeError, OSError) as e:
            self.session.noticed.emit(f"Cannot be played: {e}.", "coral")
            return
        link.tell_world("pause")
        link.listen_back(monitor, sound, at)
        self.heard = which
        self.changed.emit()

    def stop_listening(self) -> None:
        if self.heard and self.running.link is not None:
            self.running.link.stop_listening_back()
        if self.heard:
            self.heard = ""
            self.changed.emit()

    def _sound(self, index: int, listener: str) -> "np.typing.NDArray[np.float32]":
        # Only for listening back; the window starts without these libraries.
        import soundfile as sf

        from ..takes.film import read_film

        folder, take = self.takes[index]
        name = take.far_ends.get(listener) or take.listeners[listener]
        if name.endswith(".mkv"):
            return read_film(folder / name).sound
        data, _ = sf.read(folder / name, dtype="float32", always_2d=True)
        if data.shape[1] > 2:  # every part on its own track: heard together
            data = np.repeat(data.sum(axis=1, keepdims=True), 2, axis=1)
        return np.ascontiguousarray(np.broadcast_to(data, (len(data), 2)).T if data.shape[1] == 1 else data.T)
