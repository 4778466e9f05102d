"""Every message between the window's side and its processes, one definition for both ends.

Each is a msgspec struct whose tag is its name. What is decoded and is none of these is refused by `Channel.receive`.
"""

import msgspec

from ...core.document.setup import Track
from ...core.routing.rows import Rows
from ...core.sound.processors import Processor
from ...ports.devices.card import CardWiring
from ...ports.devices.opening import Wirings
from .peer_messages import PeerMessage


class _Message(msgspec.Struct, frozen=True, kw_only=True, tag=True):
    """What all of them are."""


class Quit(_Message, frozen=True, kw_only=True):
    """To any process: finish what has begun, and end."""


# To the engine


class Begin(_Message, frozen=True, kw_only=True):
    """An engine that stands by takes over, with the devices as they are wired now."""

    wirings: Wirings


class Rewire(_Message, frozen=True, kw_only=True):
    """Other devices, or other rows of them, while they sound."""

    wirings: Wirings


class MeasureRoundTrip(_Message, frozen=True, kw_only=True):
    """Play the stimulus of the region (`length` frames, every `spacing` frames) to a row, and keep a capture row."""

    number: int
    listener: int
    capture: int
    repeats: int
    spacing: int
    length: int


class StopMeasuring(_Message, frozen=True, kw_only=True):
    pass


class ListenBack(_Message, frozen=True, kw_only=True):
    """Play the sound in the region to one row of the listeners in place of its routes."""

    listener: int
    frames: int
    at: int


class StopListeningBack(_Message, frozen=True, kw_only=True):
    pass


# To a process that matches one device's clock


class RewireMatched(_Message, frozen=True, kw_only=True):
    wiring: CardWiring


# To the recorder, and from it


class Record(_Message, frozen=True, kw_only=True):
    """`tracks`: file name without its ending, below `folder` → rows of the recorder's ring. `resume` goes on after the
    last segment; `since` begins with that frame, or the oldest that the ring still holds, −1: with the newest."""

    folder: str
    tracks: dict[str, list[int]]
    resume: bool = False
    since: int = -1


class Seal(_Message, frozen=True, kw_only=True):
    """Cut what a recorder that is gone has left to the frame that all tracks have."""

    folder: str
    tracks: list[str]


class StopRecording(_Message, frozen=True, kw_only=True):
    pass


class Recording(_Message, frozen=True, kw_only=True):
    folder: str


class Recorded(_Message, frozen=True, kw_only=True):
    folder: str
    frames: int = 0


class RecordingFailed(_Message, frozen=True, kw_only=True):
    reason: str
    folder: str


# To the process that measures loudness, and from it


class TargetLoudness(_Message, frozen=True, kw_only=True):
    """Which gain in `slot` of `chain` brings row `index` to a loudness, after `seconds` were heard; in force is
    `now`."""

    index: int
    chain: tuple[Processor, ...]
    now: tuple[Processor, ...]
    slot: int
    target_lufs: float
    seconds: float


class GainForTarget(_Message, frozen=True, kw_only=True):
    """`index` as asked; `lufs` is what was heard, None where that was nothing."""

    index: int
    gain_db: float
    lufs: float | None


# To the process that reads a camera, and from it


class KeepPictures(_Message, frozen=True, kw_only=True):
    """Into a new file in this folder from now on, see `picture.py`."""

    folder: str


class LetGoOfPictures(_Message, frozen=True, kw_only=True):
    """What was kept is completed."""


class PicturesSeen(_Message, frozen=True, kw_only=True):
    """How many have come, when the newest one did, how many within the last second; how many of them could not be
    kept, and whether one is being kept now."""

    pictures: int
    newest_ns: int
    within_s: int
    lost: int
    wide: int
    high: int
    keeps: bool


class PicturesKept(_Message, frozen=True, kw_only=True):
    """The file is whole; `pictures` is how many it holds."""

    folder: str
    pictures: int


class PicturesFailed(_Message, frozen=True, kw_only=True):
    """Nothing more is kept into this file; `ends` where nothing more is seen either."""

    reason: str
    ends: bool


# To whoever remembers the last minutes, and from it


class Remember(_Message, frozen=True, kw_only=True):
    """From now on, so many `frames` of these `tracks`, as `Record` names them; what was remembered before is gone. No
    tracks: nothing from now on."""

    tracks: dict[str, list[int]]
    frames: int


class Remembered(_Message, frozen=True, kw_only=True):
    """`first` is the first frame of the recorder's ring that is remembered."""

    first: int


class KeepRemembered(_Message, frozen=True, kw_only=True):
    folder: str


class RememberedKept(_Message, frozen=True, kw_only=True):
    """Its files are whole."""

    folder: str
    frames: int


class RememberedFailed(_Message, frozen=True, kw_only=True):
    """It could not be written; it is remembered still."""

    folder: str
    reason: str


# To a plug-in's process


class SetParameter(_Message, frozen=True, kw_only=True):
    key: str
    value: float


class BeginPlugIn(_Message, frozen=True, kw_only=True):
    """Everything that was set is set."""


# To whoever stands behind the ports, and from there


class Play(_Message, frozen=True, kw_only=True):
    pass


class Pause(_Message, frozen=True, kw_only=True):
    pass


class Seek(_Message, frozen=True, kw_only=True):
    frame: int


class UseTrack(_Message, frozen=True, kw_only=True):
    """Another backing track, or another level and loop of the same."""

    file: str
    track: Track


class CountIn(_Message, frozen=True, kw_only=True):
    beats: int
    tempo_bpm: float


class UseSetup(_Message, frozen=True, kw_only=True):
    """The setup in this file, whose parts sit on these rows."""

    file: str
    rows: Rows


class Absent(_Message, frozen=True, kw_only=True):
    """Which devices are unplugged; every other one is there."""

    devices: list[str]


class NoisyRoom(_Message, frozen=True, kw_only=True):
    hum_db: float
    fan_db: float


class Softer(_Message, frozen=True, kw_only=True):
    """Everybody plays softer by this much."""

    db: float


class Film(_Message, frozen=True, kw_only=True):
    """The first camera films the light in one file into another, for so long."""

    light: str
    pictures: str
    seconds: float


class GivePictures(_Message, frozen=True, kw_only=True):
    """What the camera of this part sees goes into this pipe, until nobody reads it any more."""

    part: str
    pictures: str


class SlowCamera(_Message, frozen=True, kw_only=True):
    """Only this share of the pictures comes."""

    share: float


class OutsidePlugged(_Message, frozen=True, kw_only=True):
    """Whether the cables of the simulated step outside are in their sockets."""

    plugged: bool


class Cable(_Message, frozen=True, kw_only=True):
    """Whether a cable leads from the interface's output to its input."""

    plugged: bool


class KeepFarEnds(_Message, frozen=True, kw_only=True):
    """What the far ends get is written into this folder from now on."""

    folder: str


class GiveFarEnds(_Message, frozen=True, kw_only=True):
    """What was kept is completed and handed over."""


class FarEndsGiven(_Message, frozen=True, kw_only=True):
    folder: str


WorldMessage = (
    Play
    | Pause
    | Seek
    | UseTrack
    | CountIn
    | UseSetup
    | Absent
    | NoisyRoom
    | Softer
    | Film
    | GivePictures
    | SlowCamera
    | OutsidePlugged
    | Cable
    | KeepFarEnds
    | GiveFarEnds
)
# What another process behind the ports has to be told first.
LASTING = (UseSetup, UseTrack, CountIn)
Message = (
    Quit
    | Begin
    | Rewire
    | MeasureRoundTrip
    | StopMeasuring
    | ListenBack
    | StopListeningBack
    | RewireMatched
    | Record
    | Seal
    | StopRecording
    | Recording
    | Recorded
    | RecordingFailed
    | TargetLoudness
    | GainForTarget
    | KeepPictures
    | LetGoOfPictures
    | PicturesSeen
    | PicturesKept
    | PicturesFailed
    | Remember
    | Remembered
    | KeepRemembered
    | RememberedKept
    | RememberedFailed
    | SetParameter
    | BeginPlugIn
    | FarEndsGiven
    | WorldMessage
    | PeerMessage
)
