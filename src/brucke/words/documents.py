"""Differences between setups, templates and kinds of parts and listeners in words. No screen here."""

from typing import Any

from ..core.document.differences import Difference
from ..core.document.setup import Duck, Setup
from .detail import choose
from .timing import db_text, device_name, listener_name, part_name
from .translation import _

TEMPLATE_WORDS = {
    "sing": (_("Sing to a backing track"), _("A track, your voice, headphones, a call and a recorder")),
    "workstation": (_("Workstation into a call"), _("The workstation's mix and your voice into a call")),
    "stream": (_("Stream with camera"), _("Track, voice and picture to a streaming program")),
    "two_computers": (_("To another computer"), _("Voice, cello and track to a second computer")),
    "session": (_("One-to-one session by call"), _("You, music, and one person at the far end")),
}
# What I will hear, and what they will.
BEGINNING_WORDS = {
    "sing": (_("the music, and them"), _("you and the music, in step")),
    "workstation": (_("your mix, and them"), _("the mix and your voice, in step")),
    "stream": (_("the music"), _("you, the music and the picture, in step")),
    "two_computers": (_("the music"), _("voice, cello and music, in step")),
    "session": (_("the music, and the other person"), _("you and the music, in step")),
}
SOURCE_WORDS = {
    "microphone": (_("Microphone"), _("a voice or an instrument in the room")),
    "instrument": (_("Instrument by cable"), _("its direct output, silent in the room")),
    "track": (_("Backing track"), _("files of your own")),
    "mix": (_("Workstation, main mix"), _("what its master gives out")),
    "bypass": (_("Workstation, second output"), _("around its mastering, for speech")),
    "program": (_("Another program"), _("one program's sound")),
    "far_end": (_("Far end of a call"), _("the people there")),
    "camera": (_("Camera"), _("the picture")),
    "count_in": (_("Count-in"), _("clicks before the track, for your headphones")),
    "computer": (_("Everything this computer plays"), _("also what nobody asked for")),
}
# What a new part and its device are called.
PART_NAMES = {
    "microphone": (_("Microphone"), _("Interface")), "instrument": (_("Instrument"), _("Interface")),
    "track": (_("Backing track"), _("Backing player")), "mix": (_("Workstation mix"), _("Workstation")),
    "bypass": (_("Workstation direct"), _("Workstation")), "program": (_("Program"), _("Program")),
    "far_end": (_("Far end"), _("Call program")), "camera": (_("Picture"), _("Camera")),
    "count_in": (_("Count-in"), _("Backing player")), "computer": (_("This computer"), _("This computer")),
}  # fmt: skip
LISTENER_WORDS = {
    "monitor": (_("Headphones"), _("Interface")), "call": (_("Call"), _("Call program")),
    "stream": (_("Stream"), _("Streaming program")), "recorder": (_("Recorder"), _("Recorder")),
    "program": (_("Second computer"), _("Second computer")),
}  # fmt: skip
LISTENER_KINDS = {
    "monitor": _("yours"), "call": _("call"), "stream": _("stream"), "recorder": _("recorder"),
    "program": _("another program"),
}  # fmt: skip
# What stands beside the name in the menu: what it is for, not its name once more.
LISTENER_MENU = {
    "monitor": _("yours, with what you play along with"), "call": _("the people of one call"),
    "stream": _("everybody who watches a stream"), "recorder": _("files on this computer, as many tracks as you like"),
    "program": _("a program of another computer"),
}  # fmt: skip
TRACKS_WORDS = {
    "stream": _("A stream carries one stereo track: every part shares it."),
    "call": _("A call carries one stereo track, and often makes it mono."),
    "recorder": _("A recorder keeps as many tracks as there are channels: one per part, or as you lay them out."),
    "monitor": _("What the player hears. Followers are never delayed here."),
    "program": _("Another program takes these channels as you lay them out."),
}

_FIELDS = {
    "name": _("name"), "rate_hz": _("sample rate"), "block_frames": _("block"), "notes": _("notes"),
    "buffer_frames": _("buffer"), "buffers": _("buffers"), "gain_db": _("gain"), "delay_ms": _("delay"),
    "trim_db": _("trim"), "on": _("on"), "map": _("channel map"), "channels": _("channels"),
    "processed": _("processed"), "sets_clock": _("sets the clock"), "order": _("order"), "profiles": _(
    "noise profiles"), "chain": _("processors"),
    "other_chain": _("other version"), "version": _("version"), "target_lufs": _("target loudness"), "ceiling_db": _(
    "ceiling"),
    "extra_ms": _("later than needed by"), "wait_at_most_ms": _("waits at most"), "picture_there_ms": _(
    "picture delay set there"),
    "sound_there_ms": _("sound offset set there"), "air_m": _("way through the air, in metres"),
    "bypass": _("passes the listener’s processors by"),
    "follows": _("plays along with"), "hears_at": _("hears at"), "device": _("comes from"), "colour": _("colour"),
    "tracks": _("tracks"), "beat_source": _("sound on the beat"), "inverted": _("upside down"),
    "quiet": _("meant to be silent"), "policy": _("delay policy"), "routes": _("routes"),
    "duck": _("goes down"), "crossfade_s": _("levels reached within"), "pauses": _("the song stands still"),
    "recording": _("recording of takes"),
}  # fmt: skip
_THINGS = {"device": _("device"), "part": _("part"), "listener": _("listener"), "moment": _("moment")}


def difference_text(a: Setup, b: Setup, d: Difference) -> str:
    """One line: “Voice → Call: gain −3.0 dB, was −6.0 dB”."""
    where = _where(a, b, d)
    if not d.field:
        return _("{where}: new").format(where=where) if d.before is None else _("{where}: gone").format(where=where)
    field = _FIELDS.get(d.field, d.field.replace("_", " "))
    if d.field in ("map", "chain", "other_chain", "tracks", "routes", "policy", "stages", "order", "notes", "profiles"):
        return _("{where}: {field} changed").format(where=where, field=field)
    return _("{where}: {field} {after}, was {before}").format(
        where=where, field=field, after=_value(b, d.field, d.after), before=_value(a, d.field, d.before)
    )


def _where(a: Setup, b: Setup, d: Difference) -> str:
    setup = a if d.after is None else b
    if d.thing == "setup":
        return _("setup")
    if not d.id:
        return _THINGS[d.thing] + "s"
    if d.thing == "route":
        part, _arrow, listener = d.id.partition(" → ")
        return f"{part_name(setup, part)} → {listener_name(setup, listener)}"
    if d.thing == "moment":
        moment = setup.moment(d.id)
        return _("moment {name}").format(name=moment.name if moment else d.id)
    names = {"device": device_name, "part": part_name, "listener": listener_name}
    return f"{_THINGS[d.thing]} {names[d.thing](setup, d.id)}"


def duck_text(setup: Setup, duck: Duck | None) -> str:
    if duck is None or not duck.depth_db:
        return _("never")
    under = part_name(setup, duck.under)
    return _("by {depth:g} dB under {part} above {threshold}").format(
        depth=duck.depth_db, part=under, threshold=db_text(duck.threshold_db)
    )


def _value(setup: Setup, field: str, value: Any) -> str:
    if isinstance(value, bool):
        return _("yes") if value else _("no")
    if field == "recording" and value is None:
        return _("as it is")
    if field.endswith("_db"):
        return db_text(float(value))
    if field.endswith("_ms"):
        return f"{value:g} ms"
    if field == "crossfade_s":
        return f"{value:g} s"
    if field == "duck":
        return duck_text(setup, value)
    if field.endswith("_hz"):
        return choose(_("another"), f"{value} Hz")
    if field == "follows":
        return part_name(setup, value) or _("nobody")
    if field == "hears_at":
        return listener_name(setup, value) or _("nowhere")
    if field == "device":
        return device_name(setup, value)
    if isinstance(value, tuple):
        return ", ".join(str(v + 1 if isinstance(v, int) else v) for v in value) or _("none")
    return f"“{value}”" if isinstance(value, str) else str(value)
