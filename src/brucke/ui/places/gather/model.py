"""What Gather shows: parts and equipment as plain data, made from the session. No Qt."""

import msgspec

from ....core.document.device_kinds import DEVICE_KINDS
from ....core.document.setup import Device, Part, Setup
from ....core.edits.part_edits import mode_of
from ....core.edits.peer_edits import PLAIN
from ....core.knowledge.evidence import Facts
from ....core.routing.clocks import matched, other_rate
from ....core.units import buffer_seconds
from ....words import timing
from ....words.translation import _


class PartRow(msgspec.Struct, frozen=True):
    """`bars` is how many level bars it has; `note` what is wrong with it now, coral."""

    part: str
    name: str
    kind: str
    colour: int
    comes_from: str
    mode: str
    trim: str
    bars: int
    note: str
    quiet: str


GONE = _("{name} is not there. It is silent and joins by itself.")
PEER_GONE = _("{name} does not answer. Open “Two computers” there and here; what comes from it is silent until then.")


class DeviceRow(msgspec.Struct, frozen=True):
    device: str
    name: str
    rate: str
    bits: str
    buffer: str
    cost: str
    clock: str
    disagrees: bool
    missing: bool


class GatherData(msgspec.Struct, frozen=True):
    parts: tuple[PartRow, ...]
    devices: tuple[DeviceRow, ...]
    verdict: str  # on the equipment as a whole
    verdict_tone: str


def comes_from(setup: Setup, part: Part) -> str:
    device = timing.device_name(setup, part.device)
    if part.tracks:
        return f"{device} · {part.tracks[part.track].file}"
    numbered = DEVICE_KINDS[setup.device(part.device).kind].numbered
    if numbered and part.channels:
        numbers = sorted({c + 1 for c in part.channels})
        name = _("in") if numbered == "in" else _("out")
        return f"{device} · {name} {'–'.join(str(n) for n in (numbers[0], numbers[-1])[: len(numbers)])}"
    return device


def _part_row(setup: Setup, part: Part, facts: Facts, clips: dict[str, int], muted: frozenset[str]) -> PartRow:
    count = clips.get(part.id, 0)
    missing = part.device in facts.missing
    if missing:
        note = _("not there")
    elif part.id in muted:
        note = _("muted")
    else:
        note = _("clipped {n} ×").format(n=count) if count else ""
    return PartRow(
        part.id, part.name, timing.KIND_WORDS[part.kind], part.colour, comes_from(setup, part),
        mode_of(part) if part.channels else "–", timing.db_text(part.trim_db) if part.channels else "–",
        min(2, len(part.channels)), note, _("may be silent") if part.quiet else "",
    )  # fmt: skip


def _device_row(setup: Setup, d: Device, facts: Facts) -> DeviceRow:
    missing = d.id in facts.missing
    if d.kind == "camera":
        period = 1 / d.pictures_per_s
        return DeviceRow(d.id, d.name, f"{d.pictures_per_s:g} / s", "", "", timing.ms_text(period), "", False, missing)
    if d.kind == "peer":
        return _peer_row(d, facts)
    held = buffer_seconds(d.buffer_frames, d.buffers, d.rate_hz)
    clock = (
        _("not there; joins by itself")
        if missing
        else _("sets the clock")
        if d.sets_clock
        else _("its clock is matched")
        if d in matched(setup)
        else ""
    )
    return DeviceRow(
        d.id, d.name, f"{d.rate_hz // 1000} {d.rate_hz % 1000:03d} Hz", f"{d.bits} bit",
        f"{d.buffer_frames} × {d.buffers}" if d.buffer_frames else "–", timing.ms_text(held) if held else "–", clock,
        other_rate(setup, d), missing,
    )  # fmt: skip


def _peer_row(d: Device, facts: Facts) -> DeviceRow:
    """Another computer: its set point in place of a buffer."""
    told, missing, plain = facts.matched.get(d.id), d.id in facts.missing, d.card.startswith(PLAIN)
    set_point = 0.0 if told is None or missing else max(told.in_s, told.out_s)
    if missing:
        clock = _("does not answer; joins by itself")
    elif plain:
        clock = _("its time is not known")
    else:
        clock = _("by the network") if set_point else ""
    what = _("plain RTP") if plain else _("another computer")
    return DeviceRow(
        d.id, d.name, what, "", "–", timing.ms_text(set_point) if set_point else "–", clock, False, missing
    )


def gather_data(setup: Setup, facts: Facts, clips: dict[str, int], muted: frozenset[str]) -> GatherData:
    """`clips` counts blocks at full scale by part since somebody last looked."""
    rows = tuple(_part_row(setup, p, facts, clips, muted) for p in setup.parts)
    devices = tuple(_device_row(setup, d, facts) for d in setup.devices)
    other = [d for d in devices if d.disagrees]
    gone = [d for d in devices if d.missing]
    if other:
        names = " and ".join(d.name for d in other)
        verdict = _("Two rates. {name} has to give way.").format(name=names)
        return GatherData(rows, devices, verdict, "coral")
    if gone:
        device = setup.device(gone[0].device)
        text = PEER_GONE if device.kind == "peer" and not device.card.startswith(PLAIN) else GONE
        verdict = text.format(name=gone[0].name)
        return GatherData(rows, devices, verdict, "coral")
    if devices and not any(d.sets_clock for d in setup.devices):
        return GatherData(rows, devices, _("Nothing sets the clock. One interface has to lead."), "coral")
    return GatherData(rows, devices, _("Everything agrees."), "mute")
