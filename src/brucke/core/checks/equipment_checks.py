"""Whether the equipment is there, and set so that sound can run."""

from collections.abc import Iterator

from ..document.setup import Device, Setup
from ..edits.order_edits import track_index
from ..edits.route_edits import change_device, let_lead
from ..findings import Finding
from ..routing.clocks import other_rate
from ..timing.paths import Situation
from ..units import buffer_seconds
from .check import Check, Known, listened, sounds

LONGEST_BUFFER_S = 0.1  # common practice, no source
RECORD_S = 3600.0


def _present(known: Known) -> Iterator[Finding]:
    for d in known.setup.devices:
        if d.id in known.facts.missing:
            yield Finding(code="device_missing", device=d.id)
            continue
        for what, name in zip(("end_in_gone", "end_out_gone"), known.facts.ends_gone.get(d.id, ("", "")), strict=True):
            if name:
                yield Finding(code=what, device=d.id, values={"end": name})
    for line in known.setup.order:
        if line.kind == "song" and track_index(known.setup, line) < 0:
            yield Finding(code="song_gone", values={"song": line.name or line.file, "file": line.file})


def _present_looked(known: Known) -> bool:
    return known.facts.looked or listened(known)


def _rates(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for d in setup.devices:
        if other_rate(setup, d):
            yield Finding(code="other_rate", device=d.id, values={"rate_hz": d.rate_hz, "wanted_hz": setup.rate_hz})


def _buffers(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for d in setup.devices:
        held = d.buffer_frames * d.buffers
        if d.kind == "interface" and held < setup.block_frames:
            yield Finding(code="buffer_small", device=d.id, values={"frames": held, "block": setup.block_frames})
        elif buffer_too_long(d):
            yield Finding(code="buffer_large", device=d.id, values={"ms": buffer_seconds(held, 1, d.rate_hz) * 1e3})


def buffer_too_long(d: Device) -> bool:
    return d.kind == "interface" and buffer_seconds(d.buffer_frames, d.buffers, d.rate_hz) > LONGEST_BUFFER_S


def _clock(known: Known) -> Iterator[Finding]:
    devices = [d for d in known.setup.devices if d.kind == "interface"]
    if devices and not any(d.sets_clock for d in known.setup.devices):
        yield Finding(code="no_clock", device=devices[0].id)


def _disk(known: Known) -> Iterator[Finding]:
    setup, free = known.setup, known.facts.free_bytes
    recorder = next((x for x in setup.listeners if x.kind == "recorder"), None)
    if recorder is None or free is None:
        return
    channels = sum(len(p.channels) for p in sounds(setup)) + sum(x.channels for x in setup.listeners)
    a_second = channels * setup.rate_hz * 4
    if free < a_second * RECORD_S:
        yield Finding(
            code="disk_full", listener=recorder.id, values={"minutes": int(free / a_second / 60), "free_bytes": free}
        )


def _sleep(known: Known) -> Iterator[Finding]:
    if known.facts.may_sleep:
        yield Finding(code="may_sleep", needs="look")


def smallest_buffers(known: Situation, f: Finding) -> Setup:
    return change_device(known.setup, f.device, buffer_frames=known.setup.block_frames, buffers=2)


EQUIPMENT = (
    Check("present", _present, _present_looked, {"device_missing": "gather", "end_in_gone": "gather", "end_out_gone":
    "gather"}),
    Check("rates", _rates, mends={"other_rate": lambda known, f: change_device(known.setup, f.device,
    rate_hz=known.setup.rate_hz)}),
    Check("buffers", _buffers, mends={"buffer_small": smallest_buffers, "buffer_large": smallest_buffers}),
    Check("clock", _clock, mends={"no_clock": lambda known, f: let_lead(known.setup, f.device)}),
)  # fmt: skip
COMPUTER = (
    Check("disk", _disk, lambda known: known.facts.free_bytes is not None, {"disk_full": "check"}),
    Check("sleep", _sleep, lambda known: known.facts.may_sleep is not None, {"may_sleep": "check"}),
)
