"""What goes wrong in the hour, seen within a second, said once a minute at most, and gone when it is mended."""

import time
from collections.abc import Iterator
from dataclasses import dataclass

from PyQt6.QtCore import QObject, QSettings

from ...core.routing.person import own_microphone
from ...core.units import gain_to_db
from ...engine.step.live import open_doors
from ...words import mishaps as words
from ...words.timing import listener_name
from ..engine.live_engine import LiveEngine
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session
from ..sound_server.desktop import Desktop

LOOK_S = 0.2
LASTS_S = 0.45  # so long it has to be so: a cough behind a mute is none
AGAIN_S = 60.0
LOUD_DB = -36.0  # what is louder comes from somebody, common practice, no source
QUIET_AFTER_S = 1.5  # between two words it is still so
LONG_S = 3 * 3600.0
SETTING = "mishaps/off"


@dataclass(frozen=True)
class Mishap:
    """`code` and `of` tell one from another; `lasting` is said at once."""

    code: str
    of: str
    text: str
    lasting: bool = False


class Mishaps(QObject):
    """`now` are those that are so; `off` codes are never said."""

    def __init__(
        self, session: Session, running: LiveEngine, desktop: Desktop, taking: TakeRecorder, settings: QSettings
    ):
        super().__init__()
        self.session, self.running, self.desktop, self.taking = session, running, desktop, taking
        self.settings = settings
        self.now: dict[tuple[str, str], Mishap] = {}
        self._since: dict[tuple[str, str], float] = {}
        self._loud_at = self._looked = 0.0
        self._said: dict[tuple[str, str], float] = {}
        self._clips: dict[str, int] = {}
        self._clipped_at: dict[str, float] = {}
        self._takers: dict[str, str] = {}

    @property
    def off(self) -> frozenset[str]:
        return frozenset(str(self.settings.value(SETTING, "")).split())

    def switch(self, code: str, on: bool) -> None:
        """Whether one kind is said."""
        off = self.off - {code} if on else self.off | {code}
        self.settings.setValue(SETTING, " ".join(sorted(off)))

    def tick(self) -> None:
        """Once a frame: a look five times a second."""
        now = time.monotonic()
        if now - self._looked < LOOK_S:
            return
        self._looked = now
        there = {(m.code, m.of): m for m in self._found(now)} if self.running.state == "running" else {}
        self._since = {k: self._since.get(k, now) for k in there}
        self.now = {k: m for k, m in there.items() if m.lasting or now - self._since[k] >= LASTS_S}
        for key, mishap in self.now.items():
            if mishap.code not in self.off and now - self._said.get(key, -AGAIN_S) >= AGAIN_S:
                self._said[key] = now
                self.session.stands.emit(mishap.text, "coral", lambda key=key: key in self.now)

    def _found(self, now: float) -> Iterator[Mishap]:
        yield from self._muted(now)
        yield from self._clipping(now)
        if self.session.live.on_air:
            yield from self._open(now)
        seconds = self.taking.seconds_recorded if self.taking.state == "recording" else 0.0
        if seconds > LONG_S:
            yield Mishap("long", "", words.LONG.format(hours=int(seconds // 3600)), lasting=True)

    def _muted(self, now: float) -> Iterator[Mishap]:
        """Singing or speaking into a microphone that was muted by hand."""
        setup, mine = self.session.setup, own_microphone(self.session.setup)
        if mine is None or mine.id not in self.session.live.muted or self.session.live.silent:
            self._loud_at = 0.0
            return
        at, peaks = setup.parts.index(mine), self.running.part_peaks
        if at < len(peaks) and gain_to_db(float(peaks[at].max())) > LOUD_DB:
            self._loud_at = now
        if self._loud_at and now - self._loud_at < QUIET_AFTER_S:
            yield Mishap("muted", mine.id, words.MUTED.format(part=mine.name))

    def _clipping(self, now: float) -> Iterator[Mishap]:
        for part in self.session.setup.parts:
            count = self.running.inputs.clips.get(part.id, 0)
            if count > self._clips.get(part.id, count):
                self._clipped_at[part.id] = now
            self._clips[part.id] = count
            if now - self._clipped_at.get(part.id, -AGAIN_S) < 2 * QUIET_AFTER_S:
                yield Mishap("clips", part.id, words.CLIPS.format(part=part.name), lasting=True)

    def _open(self, now: float) -> Iterator[Mishap]:
        """Doors that are open and lead to nobody."""
        setup = self.session.setup
        for id in open_doors(setup, self.session.live):
            programs = [c.program for c in self.desktop.consumers.get(id, ()) if c.program]
            name = listener_name(setup, id)
            if programs:
                self._takers[id] = programs[0]
            elif not self.desktop.consumers.get(id):
                was = self._takers.get(id, "")
                text = (
                    words.LEFT.format(program=was, listener=name) if was else words.NOBODY_TAKES.format(listener=name)
                )
                yield Mishap("nobody", id, text)
