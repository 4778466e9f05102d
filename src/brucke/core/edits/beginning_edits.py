"""What somebody adds while they set out: a song of their own, an instrument, a camera, a call beside a stream. Pure."""

from msgspec.structs import replace

from ..document.setup import Part, Setup
from ..routing.clocks import sounds_for_real
from .listener_edits import add_listener, new_device, without_unused_devices
from .part_edits import add_part, add_tracks, change_part
from .route_edits import device_of_this_computer, set_on


def _lead(setup: Setup) -> Part | None:
    return next((p for p in setup.parts if p.kind == "lead"), None)


def with_song_files(setup: Setup, files: list[str]) -> Setup:
    """These files set the beat: in place of the tracks there were, or of what a program played; where nothing sets the
    beat, as a part of their own. The setup as it is where there is no room for one."""
    lead = _lead(setup)
    if lead is None:
        after = add_part(setup, "track", "Music", "Backing player")
        added = after.parts[len(setup.parts) :]
        return add_tracks(after, added[-1].id, files) if added else setup
    if lead.source != "track":
        setup, device = new_device(setup, "player", "Backing player")
        song = replace(lead, source="track", device=device.id, channels=(0, 1), timebase=device.id, beat_source="")
        parts = tuple(song if p.id == lead.id else p for p in setup.parts)
        setup = without_unused_devices(replace(setup, parts=parts))
    return add_tracks(change_part(setup, lead.id, tracks=(), track=0), lead.id, files)


def with_instrument(setup: Setup) -> Setup:
    """One more input of the interface, heard wherever the voice is."""
    voice = next((p for p in setup.parts if p.source == "microphone"), None)
    device = setup.device(voice.device).name if voice is not None else "Interface"
    after = add_part(setup, "instrument", "Instrument", device)
    for added in after.parts[len(setup.parts) :]:
        for r in setup.routes:
            if voice is not None and r.part == voice.id and r.on:
                after = set_on(after, added.id, r.listener, True)
    return after


def with_camera(setup: Setup) -> Setup:
    """The picture of who sings, for streams."""
    voice = next((p for p in setup.parts if p.source == "microphone"), None)
    after = add_part(setup, "camera", "Picture", "Camera")
    if voice is None or len(after.parts) == len(setup.parts):
        return after
    return change_part(after, after.parts[-1].id, shows=voice.id)


def with_friends_call(setup: Setup) -> Setup:
    """A call beside what there is: it hears what the first stream or call hears, and who speaks there is heard by the
    player."""
    model = next((x for x in setup.listeners if x.kind in ("stream", "call", "program")), None)
    after = add_listener(setup, "call", "Friends' call", "Friends' call")
    if len(after.listeners) == len(setup.listeners):
        return setup
    call = after.listeners[-1]
    if sounds_for_real(setup):
        after = device_of_this_computer(after, call.device)
    for r in setup.routes:
        if model is not None and r.listener == model.id and r.on and setup.part(r.part).kind in ("lead", "follower"):
            after = set_on(after, r.part, call.id, True)
    return add_part(after, "far_end", "Friends", after.device(call.device).name)
