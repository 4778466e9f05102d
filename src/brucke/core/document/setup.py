"""The document: what enters, who listens, and every route between them. Frozen data, no behaviour.

Times in the document carry their unit in the name. Ids are short words; everything refers to ids.
"""

from functools import cached_property
from typing import Literal

import msgspec

from ..sound.noise_profile import NoiseProfile
from ..sound.processors import Processor
from .ranges import MAX_DELAY_S as MAX_DELAY_S

PartKind = Literal["lead", "follower", "far_end", "picture"]
ListenerKind = Literal["monitor", "call", "stream", "recorder", "program"]
DeviceKindCode = Literal[
    "interface", "player", "call", "stream", "camera", "recorder", "workstation", "program", "computer", "peer"
]
Source = Literal[
    "microphone", "instrument", "mix", "bypass", "track", "count_in", "program", "computer", "far_end", "camera", "peer"
]
HearsItself = Literal["room", "monitor"]
Policy = Literal["in_step", "least_delay"]
Version = Literal["A", "B"]
LineKind = Literal["song", "talk", "pause"]

IN_THE_ROOM = "room"
OF_THIS_COMPUTER = "desktop"  # the `card` of a device that the desktop's sound server carries
MAX_PARTS = 64
MAX_LISTENERS = 16
MAX_CHANNELS = 16
MAX_SIDES = 256  # channels of all parts together, each as wide as the widest


class _Data(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    pass


class Device(_Data, frozen=True, kw_only=True):
    """Something with buffers of its own: an interface, a player, a program at the far side of a cable.

    `direct_monitoring` says that the interface carries its inputs to its own headphones by itself. The `card` of
    another computer (“peer”) is the fingerprint of its certificate.
    """

    id: str
    name: str
    kind: DeviceKindCode
    rate_hz: int = 48000
    bits: Literal[16, 24, 32] = 24
    buffer_frames: int = 0
    buffers: int = 1
    pictures_per_s: float = 0.0
    sets_clock: bool = False
    direct_monitoring: bool = False
    wireless: bool = False
    card: str = ""


class RestsOn(_Data, frozen=True, kw_only=True):
    """A converter, `end` “capture:ID” or “output:ID”, that counted so many `times` in what was thought when a step was
    noted, at so much beyond its buffers."""

    end: str
    times: float
    beyond_ms: float


class EnteredStage(_Data, frozen=True, kw_only=True):
    """A step whose latency the user knows from elsewhere. `rests_on` is what was only thought when it was noted: what
    is known better of it by now is taken off."""

    name: str
    latency_ms: float
    plus_minus_ms: float = 1.0
    rests_on: tuple[RestsOn, ...] = ()


class Track(_Data, frozen=True, kw_only=True):
    """A backing track: a file beside the setup. It repeats from `loop_from_s` to `loop_to_s` (0: its end)."""

    file: str
    gain_db: float = 0.0
    loops: bool = True
    loop_from_s: float = 0.0
    loop_to_s: float = 0.0


class Part(_Data, frozen=True, kw_only=True):
    """One sound, or the picture, that enters.

    `follows`, `hears_at`, `hears_itself` describe a follower; `timebase` says which leads share one;
    `shows` belongs to the picture. `returns_from` is the listener whose sound comes back in this part: the
    call of a far end, the program whose mix this is. `beat_source` is a sound file, beside the setup, of this
    part exactly on the beat: takes are measured against it. `channels` say the mode: (0,) mono, (0, 1) stereo,
    (1, 0) swapped, (0, 0) the left on both sides. `quiet` means that silence is meant. `tracks` belong to a
    backing track, `count_in` its beats before the track, heard by nobody but who is routed to them. `chain` is how it
    is processed, `version` which of two ways that is, and `other_chain` the other one once there are two. `at_peer`
    is what it is at the other computer it comes from: “part:ID” of theirs, or “listener:ID” of ours whose mix it is.
    """

    id: str
    name: str
    kind: PartKind
    device: str
    source: Source = "instrument"
    channels: tuple[int, ...] = ()
    colour: int = 0
    inverted: bool = False
    quiet: bool = False
    tracks: tuple[Track, ...] = ()
    track: int = 0
    count_in_beats: int = 0
    tempo_bpm: float = 100.0
    trim_db: float = 0.0
    chain: tuple[Processor, ...] = ()
    other_chain: tuple[Processor, ...] | None = None
    version: Version = "A"
    stages: tuple[EnteredStage, ...] = ()
    timebase: str = ""
    follows: str = ""
    hears_at: str = ""
    hears_itself: HearsItself = "room"
    distance_m: float = 0.0
    shows: str = ""
    returns_from: str = ""
    beat_source: str = ""
    at_peer: str = ""


class Listener(_Data, frozen=True, kw_only=True):
    """One place where sound is heard or kept. `air_m` is the way from the loudspeaker to the ear; `chain` processes
    what goes there, all routes together but those that bypass it; `target_lufs` is how loud that is meant to be.
    Nothing louder than `ceiling_db` ever reaches the ears at a monitor. No sound is made to wait longer than
    `wait_at_most_ms` there. `picture_there_ms` and `sound_there_ms` are what the program there adds, as somebody read
    it off: known so that what is to be entered is the whole, not what is missing. `at_peer` is what it is at the other
    computer it is sent to: “listener:ID” of theirs, or “part:ID” of ours that is taken there.
    """

    id: str
    name: str
    kind: ListenerKind
    device: str
    channels: int = 2
    air_m: float = 0.0
    extra_ms: float = 0.0
    chain: tuple[Processor, ...] = ()
    other_chain: tuple[Processor, ...] | None = None
    version: Version = "A"
    target_lufs: float = -18.0
    ceiling_db: float = -3.0
    wait_at_most_ms: float = MAX_DELAY_S * 1e3
    picture_there_ms: float = 0.0
    sound_there_ms: float = 0.0
    at_peer: str = ""


class MapPoint(_Data, frozen=True, kw_only=True):
    """One point of a channel map: part channel `source` to listener channel `target`."""

    source: int
    target: int
    gain_db: float = 0.0


class Duck(_Data, frozen=True, kw_only=True):
    """A route goes down by `depth_db` while the part `under`, as the same listener hears it, is above `threshold_db`
    (peak, dBFS), and comes back: each is done to 63 % after `attack_ms` and `release_ms`. A depth of 0 is off."""

    under: str
    depth_db: float = 12.0
    threshold_db: float = -36.0
    attack_ms: float = 20.0
    release_ms: float = 500.0


class Route(_Data, frozen=True, kw_only=True):
    """One part on its way to one listener. An empty map is the plain one for the channel counts.

    `way` "outside" is a route another piece of equipment carries: it has stages, none of our delay.
    `own_return` is the deliberate step that lets a call have its own far end back. `bypass` passes the listener's
    chain by: speech that does not want what is meant for music.
    """

    part: str
    listener: str
    on: bool = True
    gain_db: float = 0.0
    delay_ms: float = 0.0
    processed: bool = True
    map: tuple[MapPoint, ...] = ()
    own_return: bool = False
    bypass: bool = False
    way: Literal["engine", "outside"] = "engine"
    stages: tuple[EnteredStage, ...] = ()
    duck: Duck | None = None


class MomentRoute(_Data, frozen=True, kw_only=True):
    """What a moment changes of one route; None: as it is set. `duck_db` is the depth by which it ducks."""

    part: str
    listener: str
    mute: bool = False
    gain_db: float | None = None
    processed: bool | None = None
    bypass: bool | None = None
    duck_db: float | None = None


class Moment(_Data, frozen=True, kw_only=True):
    """A stored state of mutes, gains, chains, ducking and delay policy, called up with one key; `pauses` the song where
    that can be. Levels reach theirs within `crossfade_s`, 0 for at once. With `recording` a take begins (True) or the
    one that runs ends (False) as it is called up; None leaves that as it is."""

    id: str
    name: str
    pauses: bool = False
    crossfade_s: float = 0.0
    recording: bool | None = None
    routes: tuple[MomentRoute, ...] = ()
    policy: dict[str, Policy] = {}


class OrderLine(_Data, frozen=True, kw_only=True):
    """One line of the running order. A song plays `file`, one of the backing tracks, from `from_s` to `to_s` (0: its
    end). `moment` is in force from its beginning on, `after` once its song has ended; “” leaves what is. `goes_on`: the
    next line begins by itself then. `lasts_s` is about how long talk or a pause takes, 0 where nobody knows."""

    kind: LineKind = "song"
    name: str = ""
    file: str = ""
    from_s: float = 0.0
    to_s: float = 0.0
    moment: str = ""
    after: str = ""
    goes_on: bool = False
    lasts_s: float = 0.0
    note: str = ""


class Setup(_Data, frozen=True, kw_only=True, dict=True):
    """The whole document."""

    # What is looked up is kept beside it (`dict=True`): a frozen document never changes.

    name: str = "untitled"
    rate_hz: int = 48000
    block_frames: int = 128
    devices: tuple[Device, ...] = ()
    parts: tuple[Part, ...] = ()
    listeners: tuple[Listener, ...] = ()
    routes: tuple[Route, ...] = ()
    moments: tuple[Moment, ...] = ()
    order: tuple[OrderLine, ...] = ()
    profiles: tuple[NoiseProfile, ...] = ()
    notes: str = ""

    @cached_property
    def _by_id(self) -> tuple[dict[str, Device], dict[str, Part], dict[str, Listener]]:
        return {d.id: d for d in self.devices}, {p.id: p for p in self.parts}, {x.id: x for x in self.listeners}

    @cached_property
    def _by_ends(self) -> dict[tuple[str, str], Route]:
        return {(r.part, r.listener): r for r in self.routes}

    def device(self, id: str) -> Device:
        return self._by_id[0][id]

    def part(self, id: str) -> Part:
        return self._by_id[1][id]

    def listener(self, id: str) -> Listener:
        return self._by_id[2][id]

    def route(self, part: str, listener: str) -> Route | None:
        return self._by_ends.get((part, listener))

    def profile(self, name: str) -> NoiseProfile | None:
        return next((p for p in self.profiles if p.name == name), None)

    def moment(self, id: str) -> Moment | None:
        return next((m for m in self.moments if m.id == id), None)
