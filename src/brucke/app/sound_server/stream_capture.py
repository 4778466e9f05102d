"""A program of this computer becomes a part of the setup, is one no longer, or is also heard directly. Pure."""

from collections.abc import Mapping, Sequence

from msgspec.structs import replace

from ...core.document.setup import Device, Part, Setup, Source
from ...core.edits.listener_edits import new_device, without_unused_devices
from ...core.edits.part_edits import add_part
from ...core.edits.route_edits import change_device, set_way
from ...ports.devices.server.graph import direct_devices
from ...ports.devices.server.names import here, taken_program, taking
from .microphone_consumers import MicrophoneConsumer


def part_of(setup: Setup, program: str) -> Part | None:
    """The part that a program is here."""
    device = next((d for d in setup.devices if d.kind != "interface" and taken_program(d) == program), None)
    return next((p for p in setup.parts if device is not None and p.device == device.id and p.channels), None)


def with_program(setup: Setup, program: str, call: str = "") -> Setup:
    """Taken over: for what waits for a program, else as a part of its own. Who has chosen the microphone of the
    listener `call` is the far end of that call."""
    if call:
        return _as_far_end(setup, program, setup.listener(call).device)
    waits = next((d for d in setup.devices if _waits(setup, d)), None)
    if waits is not None:
        return change_device(setup, waits.id, card=taking(program))
    with_device, device = new_device(setup, "program", program)
    after = _part_through(with_device, device, "program", program)
    if len(after.parts) == len(setup.parts):
        return setup  # there are as many as there can be
    return change_device(after, device.id, card=taking(program))


def call_of(setup: Setup, consumers: Mapping[str, Sequence[MicrophoneConsumer]], program: str) -> str:
    """The call whose microphone a program has chosen; “” where it has chosen none."""
    calls = {x.id for x in setup.listeners if x.kind == "call"}
    return next(
        (id for id, listening in consumers.items() if id in calls and program in [e.program for e in listening]), ""
    )


def listens(consumers: Mapping[str, Sequence[MicrophoneConsumer]], program: str) -> bool:
    """Whether a program has chosen any microphone of ours: then it is somebody, and never the song."""
    return any(program == e.program for listening in consumers.values() for e in listening)


def lead_of(setup: Setup) -> Part | None:
    """The part that sets the beat."""
    return next((p for p in setup.parts if p.kind == "lead"), None)


def with_song(setup: Setup, program: str) -> Setup:
    """What a program plays sets the beat: in place of the backing track, or of what the lead's device played before;
    where nothing sets it, as a part of its own."""
    lead = lead_of(setup)
    kind = setup.device(lead.device).kind if lead is not None else "interface"
    if lead is None or kind == "interface":
        return with_program(setup, program)
    if kind != "player":
        return change_device(setup, lead.device, card=taking(program))
    setup, device = new_device(setup, "program", program)
    song = replace(
        lead, source="program", device=device.id, channels=(0, 1), tracks=(), track=0, timebase="", beat_source=""
    )
    parts = tuple(song if p.id == lead.id else p for p in setup.parts)
    after = without_unused_devices(replace(setup, parts=parts))
    return change_device(after, device.id, card=taking(program), buffer_frames=0, buffers=1)


def _part_through(setup: Setup, device: Device, source: Source, name: str) -> Setup:
    """One more part that comes through this device, and not the first of its kind."""
    rest = tuple(d for d in setup.devices if d.id != device.id)
    after = add_part(replace(setup, devices=(device, *rest)), source, name, name)
    return replace(after, devices=setup.devices)


def _waits(setup: Setup, d: Device) -> bool:
    return d.kind == "program" and here(d) and not taken_program(d) and any(p.device == d.id for p in setup.parts)


def _as_far_end(setup: Setup, program: str, device: str) -> Setup:
    if not any(p.device == device and p.kind == "far_end" for p in setup.parts):
        setup = _part_through(setup, setup.device(device), "far_end", program)
    return change_device(setup, device, card=taking(program))


def without_program(setup: Setup, program: str) -> Setup:
    """Its part stays, and waits to be chosen."""
    part = part_of(setup, program)
    return change_device(setup, part.device, card=taking("")) if part is not None else setup


def heard_directly(setup: Setup, program: str) -> bool:
    part = part_of(setup, program)
    return part is not None and part.device in direct_devices(setup)


def directly(setup: Setup, program: str, on: bool) -> Setup:
    """To the headphones of this computer past us as well, or only through us."""
    part = part_of(setup, program)
    if part is None:
        return setup
    for x in setup.listeners:
        if x.kind == "monitor" and here(setup.device(x.device)):
            setup = set_way(setup, part.id, x.id, "outside" if on else "engine")
    return setup
