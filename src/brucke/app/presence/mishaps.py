"""What goes wrong in the hour, seen within a second, said once a minute at most, and gone when it is mended."""

import math
import time
from collections.abc import Callable, Iterator
from concurrent.futures import Future

import msgspec
from msgspec.structs import replace
from PyQt6.QtCore import QObject, QSettings

from ...core.document.setup import Part
from ...core.measure.howl import SECONDS as HOWL_S
from ...core.measure.howl import howl_hz
from ...core.routing.audibility import heard_now
from ...core.routing.clocks import of_this_computer
from ...core.routing.feedback_loops import returns
from ...core.routing.moment_routes import in_moment
from ...core.routing.person import own_microphone
from ...core.units import gain_to_db
from ...engine.step.live import open_doors
from ...ports.devices.computer import battery_percent, free_bytes, recordings_home
from ...words import mishaps as words
from ...words.measurements import slid_text
from ...words.timing import device_name, listener_name, part_name
from ..engine.live_engine import LiveEngine
from ..jobs.background import BackgroundQueue
from ..measuring.clock_watch import ClockWatch
from ..measuring.leak_watch import LeakWatch
from ..recording.picture_recorder import PictureRecorder
from ..recording.take_recorder import TakeRecorder
from ..session.session import Session
from ..sound_server.desktop import Desktop
from .running_order import RunningOrder

LOOK_S = 0.2
LASTS_S = 0.45  # so long it has to be so: a cough behind a mute is none
AGAIN_S = 60.0
LOUD_DB = -36.0  # what is louder comes from somebody, common practice, no source
MUSIC_DB = -45.0
MUSIC_WAY = "a2dp"  # of the radio profiles, the one for music; value from memory
QUIET_AFTER_S = 1.5  # between two words it is still so
LONG_S = 3 * 3600.0
COMPUTER_S = 20.0  # how often disk and battery are asked for
LOW_PERCENT = 15
LOW_MINUTES = 20
DIMMED_S = 5.0  # after a howl its loudspeaker stays down
SETTING = "mishaps/off"


class Mishap(msgspec.Struct, frozen=True):
    """`code` and `of` tell one from another; `lasting` is said at once."""

    code: str
    of: str
    text: str
    lasting: bool = False


class Watches(msgspec.Struct, frozen=True):
    """What looks for single ones of them all the time."""

    clocks: ClockWatch
    leaks: LeakWatch
    pictures: PictureRecorder


class Mishaps(QObject):
    """`now` are those that are so; `off` codes are never said."""

    def __init__(
        self, session: Session, running: LiveEngine, desktop: Desktop, taking: TakeRecorder, watches: Watches,
        order: RunningOrder, settings: QSettings,
    ):  # fmt: skip
        super().__init__()
        self.session, self.running, self.desktop, self.taking = session, running, desktop, taking
        self.clocks, self.leaks, self.pictures = watches.clocks, watches.leaks, watches.pictures
        self.order, self.settings = order, settings
        self.sleep_ahead: Callable[[], str] = lambda: ""  # told by whoever keeps the computer awake
        self._computer = BackgroundQueue("computer")  # a disk may take its time to answer
        self._asked: Future[tuple[int | None, int | None]] | None = None
        self._asked_at, self.battery, self.free = -COMPUTER_S, None, None  # type: float, int | None, int | None
        self._howled_at, self._howl = -DIMMED_S, ("", 0.0)
        self.now: dict[tuple[str, str], Mishap] = {}
        self._since: dict[tuple[str, str], float] = {}
        self._loud_at = self._talked_at = self._looked = 0.0
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
        self._ask_computer(now)
        there = {(m.code, m.of): m for m in self._found(now)} if self.running.state == "running" else {}
        self._since = {k: self._since.get(k, now) for k in there}
        self.now = {k: m for k, m in there.items() if m.lasting or now - self._since[k] >= LASTS_S}
        self._dim(now)
        for key, mishap in self.now.items():
            if mishap.code not in self.off and now - self._said.get(key, -AGAIN_S) >= AGAIN_S:
                self._said[key] = now
                self.session.stands.emit(mishap.text, "coral", lambda key=key: key in self.now)

    def _found(self, now: float) -> Iterator[Mishap]:
        yield from self._muted(now)
        yield from self._clipping(now)
        yield from self._howling(now)
        yield from self._picking_up(now)
        yield from self._headsets()
        yield from self._camera(now)
        for (sent, came), slid in self.clocks.slides_s(now).items():
            if came.partition("/")[2] in {p.id for p in self.session.setup.parts}:  # a look may be at what has gone
                yield Mishap("slides", came, slid_text(self.session.setup, sent, came, slid), lasting=True)
        if sleep := self.sleep_ahead():
            yield Mishap("sleep", "", sleep, lasting=True)
        if self.battery is not None and self.battery <= LOW_PERCENT:
            yield Mishap("battery", "", words.BATTERY.format(percent=self.battery), lasting=True)
        if self.session.live.on_air:
            yield from self._open(now)
            yield from self._talking_over(now)
        seconds = self.taking.seconds_recorded if self.taking.state == "recording" else 0.0
        minutes = self._minutes_left()
        if self.taking.state == "recording" and minutes is not None and minutes < LOW_MINUTES:
            yield Mishap("disk", "", words.DISK.format(minutes=minutes), lasting=True)
        if seconds > LONG_S:
            yield Mishap("long", "", words.LONG.format(hours=int(seconds // 3600)), lasting=True)

    def _peak_db(self, part: Part) -> float:
        """At its input just now; −inf while the engine has not followed yet."""
        at, peaks = self.session.setup.parts.index(part), self.running.part_peaks
        return gain_to_db(float(peaks[at].max())) if at < len(peaks) else -math.inf

    def _muted(self, now: float) -> Iterator[Mishap]:
        """Singing or speaking into a microphone that was muted by hand."""
        mine = own_microphone(self.session.setup)
        if mine is None or mine.id not in self.session.live.muted or self.session.live.silent:
            self._loud_at = 0.0
            return
        if self._peak_db(mine) > LOUD_DB:
            self._loud_at = now
        if self._loud_at and now - self._loud_at < QUIET_AFTER_S:
            yield Mishap("muted", mine.id, words.MUTED.format(part=mine.name))

    def _talking_over(self, now: float) -> Iterator[Mishap]:
        """In a line of talk, while somebody still hears music that does not go down under it."""
        setup, live, line = self.session.setup, self.session.live, self.order.line
        mine = own_microphone(setup)
        if line is None or line.kind != "talk" or mine is None or mine.id in live.muted or live.silent:
            self._talked_at = 0.0
            return
        if self._peak_db(mine) > LOUD_DB:
            self._talked_at = now
        if not self._talked_at or now - self._talked_at > QUIET_AFTER_S:
            return
        moment = setup.moment(live.moment)
        for id in open_doors(setup, live):
            heard = heard_now(setup, live.moment, live.muted, id)
            for part in (setup.part(p) for p in heard if setup.part(p).kind == "lead"):
                route = setup.route(part.id, id)
                duck = in_moment(moment, route).duck if route is not None else None
                ducks = duck is not None and duck.depth_db > 0
                if mine.id in heard and not ducks and self._peak_db(part) > MUSIC_DB:
                    text = words.OVER.format(
                        listener=listener_name(setup, id), song=part_name(setup, part.id).lower(), part=mine.name
                    )
                    yield Mishap("over", id, text)

    def _headsets(self) -> Iterator[Mishap]:
        """Headsets by radio that go by another way than when sound began: one that opens its own microphone mostly."""
        for device, (before, after) in self.desktop.radio.changed.items():
            name = device_name(self.session.setup, device)
            text = (
                words.HEADSET_CALL
                if before.startswith(MUSIC_WAY) and not after.startswith(MUSIC_WAY)
                else (words.HEADSET_OTHER)
            )
            yield Mishap("headset", device, text.format(device=name, before=before, now=after), lasting=True)

    def _camera(self, now: float) -> Iterator[Mishap]:
        """While a camera is open for a recording or for whoever hears you."""
        code, count = self.pictures.trouble(now)
        part = self.pictures.part
        if code and part is not None:
            device = self.session.setup.device(part.device)
            why = self.pictures.why if code == "gone" else self.pictures.not_kept
            text = words.PICTURES[code].format(
                camera=device_name(self.session.setup, device.id), why=why, count=count, of=device.pictures_per_s
            )
            yield Mishap("pictures", device.id, text, lasting=True)

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
            takers = [c for c in self.desktop.consumers.get(id, ()) if c.program]
            name = listener_name(setup, id)
            if takers:
                self._takers[id] = takers[0].program
                if not any(c.flows for c in takers):
                    text = words.PAUSED.format(program=takers[0].program, listener=name)
                    yield Mishap("paused", id, text)
            elif not self.desktop.consumers.get(id) and of_this_computer(setup.device(setup.listener(id).device)):
                was = self._takers.get(id, "")
                text = (
                    words.LEFT.format(program=was, listener=name) if was else words.NOBODY_TAKES.format(listener=name)
                )
                yield Mishap("nobody", id, text)

    def _howling(self, now: float) -> Iterator[Mishap]:
        """Microphones that hear a loudspeaker of ours. It holds until the loudspeaker was down for a while."""
        setup = self.session.setup
        for id in dict.fromkeys(r.part for r in returns(setup) if r.kind == "loudspeaker"):
            part = setup.part(id)
            hz = self._howl_of(part)
            if hz is not None:
                self._howled_at, self._howl = now, (id, hz)
        if now - self._howled_at < DIMMED_S and self._howl[0] in {p.id for p in setup.parts}:
            text = words.HOWLS.format(part=part_name(setup, self._howl[0]), hz=self._howl[1])
            yield Mishap("howls", self._howl[0], text, lasting=True)

    def _howl_of(self, part: Part) -> float | None:
        link, at = self.running.link, self.session.setup.parts.index(part)
        if link is None or at >= len(self.running.part_peaks):  # it has not followed yet
            return None
        (rows,) = link.track_rows([(part.id, at, 1)], []).values()
        return howl_hz(link.newest(rows, HOWL_S + 0.05)[0], link.shape.rate)

    def _dim(self, now: float) -> None:
        """Only one's own loudspeaker goes down, while something howls and a little longer."""
        wanted = any(m.code == "howls" for m in self.now.values()) and "howls" not in self.off
        if wanted != self.session.live.dimmed:
            self.session.set_live(replace(self.session.live, dimmed=wanted))

    def _picking_up(self, now: float) -> Iterator[Mishap]:
        """The song comes in again by a microphone: clearly, seen at once; under a voice, by the clock watch in time."""
        setup = self.session.setup
        there = {f"parts/{p.id}" for p in setup.parts}  # a look may still be at what has gone
        slow = {pair: lag for pair, w in self.clocks.of.items() if (lag := w.picked_up_s(now)) is not None}
        for (sent, came), lag in (slow | self.leaks.picks_up_s(now)).items():
            if {sent, came} <= there:
                song, mic = (part_name(setup, x.partition("/")[2]) for x in (sent, came))
                text = words.PICKS_UP.format(part=mic, song=song.lower(), ms=1e3 * lag)
                yield Mishap("picks_up", came, text, lasting=True)

    def _ask_computer(self, now: float) -> None:
        if self._asked is not None and self._asked.done():
            if self._asked.exception() is None:
                self.battery, self.free = self._asked.result()
            self._asked = None
        if self._asked is None and now - self._asked_at > COMPUTER_S:
            self._asked_at = now
            self._asked = self._computer.do(lambda: (battery_percent(), free_bytes(recordings_home())))

    def _minutes_left(self) -> int | None:
        """Of recording every part and listener, as takes are written: 32 bits a sample."""
        setup = self.session.setup
        channels = sum(len(p.channels) for p in setup.parts) + sum(x.channels for x in setup.listeners)
        if self.free is None or not channels:
            return None
        return int(self.free / (4.0 * channels * setup.rate_hz) / 60)
