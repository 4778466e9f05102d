"""Writes the Nightboat hour's setup. Run: python -m brucke.demo.make_setup

It starts out of step, as real life does: nobody has measured or delayed anything yet.
"""

from ..core.document.setup import Device, Listener, MapPoint, Moment, OrderLine, Part, Route, Setup, Track
from ..core.knowledge.evidence import Knowledge
from ..core.sound.processors import Compressor, Gate
from ..core.storage.setup_file import save
from . import SETUP

DEVICES = (
    Device(id="table", name="Table interface", kind="interface", buffer_frames=128, buffers=2, sets_clock=True),
    Device(id="player", name="Backing player", kind="player", buffer_frames=1024, buffers=1),
    Device(id="lounge_call", name="Lounge call program", kind="call", buffer_frames=480, buffers=1),
    Device(id="shore_stream", name="Streaming program", kind="stream", buffer_frames=512, buffers=2),
    Device(id="camera", name="Desk camera", kind="camera", pictures_per_s=30.0),
    Device(id="disk", name="Recorder", kind="recorder"),
)

PARTS = (
    Part(
        id="harp", name="Harp", kind="lead", source="track", device="player", channels=(0, 1), colour=0,
        beat_source="harp.flac", tracks=(Track(file="harp.flac"),),
    ),
    Part(
        id="voice", name="Voice", kind="follower", source="microphone", device="table", channels=(0,), colour=1,
        follows=
        "harp",
        hears_at="headphones", beat_source="voice.flac",
        chain=(Gate(threshold_db=-55), Compressor(threshold_db=-22, ratio=2.0, make_up_db=3)),
    ),
    Part(
        id="cello", name="Cello", kind="follower", source="microphone", device="table", channels=(1,), colour=2,
        follows=
        "harp",
        hears_at="headphones", beat_source="cello.flac",
    ),
    Part(id="picture", name="Picture", kind="picture", source="camera", device="camera", colour=3, shows="voice"),
    Part(
        id="lounge", name="Lounge", kind="far_end", source="far_end", device="lounge_call", channels=(0,), colour=4,
        returns_from="lounge_call", beat_source="lounge.flac",
    ),
)  # fmt: skip

LISTENERS = (
    Listener(id="headphones", name="Headphones", kind="monitor", device="table"),
    Listener(id="lounge_call", name="Lounge call", kind="call", device="lounge_call"),
    Listener(id="shore_stream", name="Shore stream", kind="stream", device="shore_stream"),
    Listener(id="recorder", name="Recorder", kind="recorder", device="disk", channels=6),
)


def _own_track(*tracks: int) -> tuple[MapPoint, ...]:
    return tuple(MapPoint(source=i, target=t) for i, t in enumerate(tracks))


ROUTES = (
    Route(part="harp", listener="headphones", gain_db=-6),
    Route(part="voice", listener="headphones", gain_db=-12, processed=False),
    Route(part="lounge", listener="headphones", gain_db=-4),
    Route(part="harp", listener="lounge_call", gain_db=-3),
    Route(part="voice", listener="lounge_call"),
    Route(part="cello", listener="lounge_call", gain_db=-2),
    Route(part="harp", listener="shore_stream", gain_db=-3),
    Route(part="voice", listener="shore_stream"),
    Route(part="cello", listener="shore_stream", gain_db=-2),
    Route(part="picture", listener="shore_stream"),
    Route(part="lounge", listener="shore_stream", gain_db=-8),
    Route(part="harp", listener="recorder", map=_own_track(0, 1)),
    Route(part="voice", listener="recorder", map=_own_track(2)),
    Route(part="cello", listener="recorder", map=_own_track(3)),
    Route(part="lounge", listener="recorder", map=_own_track(4)),
)

MOMENTS = (
    Moment(id="sing", name="Sing"),
    Moment(
        id="talk", name="Talk", pauses=True, policy={"lounge_call": "least_delay"},
    ),
)  # fmt: skip

ORDER = (
    OrderLine(
        kind="talk", name="Welcome", moment="talk", lasts_s=12, note="who we are; that the lounge may sing along"
    ),
    OrderLine(
        name="Slow water",
        file="harp.flac",
        to_s=17.0,
        moment="sing",
        after="talk",
        note="breathe before the third verse",
    ),
    OrderLine(kind="talk", name="The lanterns", moment="talk", lasts_s=15),
    OrderLine(name="Night ferry", file="harp.flac", from_s=17.0, to_s=34.0, moment="sing", after="talk"),
    OrderLine(kind="pause", name="Pause", moment="talk", lasts_s=20),
    OrderLine(
        name="Slow water, again", file="harp.flac", from_s=34.0, moment="sing", after="talk", note="all together"
    ),
)


def nightboat() -> Setup:
    return Setup(
        name="Nightboat hour", devices=DEVICES, parts=PARTS, listeners=LISTENERS, routes=ROUTES, moments=MOMENTS,
        order=ORDER,
        notes="An hour of songs during the night crossing. The lounge hears us by call, the families by stream.",
    )  # fmt: skip


if __name__ == "__main__":
    save(SETUP, nightboat(), Knowledge())
