"""What types alone cannot tell of a setup: ranges, names, references, limits. (place, reason) of everything that is
wrong."""

from collections.abc import Iterator
from datetime import datetime
from pathlib import Path

from msgspec import Struct

from ..document.device_kinds import DEVICE_KINDS
from ..document.ranges import RANGES, RATES_HZ, id_problem, number_problem, printable, range_problems, value_problems
from ..document.setup import IN_THE_ROOM, MAX_CHANNELS, MAX_SIDES, Listener, Part, Setup
from ..knowledge.evidence import Knowledge
from ..sound.noise_profile import profile_problems
from ..sound.processors import (
    MAX_BANDS,
    MAX_OUTSIDE,
    MAX_PLUG_IN_FRAMES,
    MAX_PLUG_INS,
    MAX_SLOTS,
    Equaliser,
    NoiseRemoval,
    OutsideStep,
    PlugIn,
    Processor,
)
from ..sound.processors.outside_step import MAX_WAIT_FRAMES

MAX_POINTS = 4096  # of all channel maps together


def problems(setup: Setup) -> Iterator[tuple[str, str]]:
    """(place, reason) of everything that types alone cannot tell. What the table of ranges refuses comes first."""
    refused = False
    for place, reason in range_problems(setup):
        refused = True
        yield place, reason
    if not refused:
        yield from _told_together(setup)


def _told_together(setup: Setup) -> Iterator[tuple[str, str]]:
    """What only several things together can be wrong in."""
    for field in ("devices", "parts", "listeners", "moments"):
        yield from _ids(setup, field)
    yield from _device_problems(setup)
    yield from _part_problems(setup)
    yield from _route_problems(setup)
    yield from _moment_problems(setup)
    names = [p.name for p in setup.profiles]
    for i, profile in enumerate(setup.profiles):
        if names.index(profile.name) != i:
            yield f"profiles[{i}].name", f"“{printable(profile.name)}” stands here twice"
        for place, reason in profile_problems(profile):
            yield f"profiles[{i}].{place}", reason


def new_problem(before: Setup, after: Setup) -> str:
    """What a reader would refuse of `after`, in one sentence; empty where nothing. Of the table of ranges only what is
    another than in `before` is looked at."""
    for field in after.__struct_fields__:
        old, new = getattr(before, field), getattr(after, field)
        if new is old:
            continue
        known = {id(x) for x in old} if isinstance(old, tuple) else set()
        items = [(f"{field}[{i}]", x) for i, x in enumerate(new)] if isinstance(new, tuple) else [(field, new)]
        for place, item in items:
            if id(item) not in known:
                found = next(
                    range_problems(item, place) if isinstance(item, Struct) else value_problems(field, item, place),
                    None,
                )
                if found is not None:
                    return f"{found[0]}: {found[1]}"
    together = next(_told_together(after), None)
    return f"{together[0]}: {together[1]}" if together is not None else ""


def knowledge_problems(knowledge: Knowledge) -> Iterator[tuple[str, str]]:
    """(place, reason) of evidence that nobody can have measured."""
    refused = False
    for place, reason in range_problems(knowledge):
        refused = True
        yield f"knowledge.{place}", reason
    if refused:
        return
    for i, m in enumerate(knowledge.measurements):
        for end, seconds in m.beyond_s.items():
            if reason := number_problem(seconds, RANGES["Measurement"]["value_s"]):
                yield f"knowledge.measurements[{i}].beyond_s.{printable(end)}", reason
        for field in ("date", "confirmed"):
            text = getattr(m, field)
            if (text or field == "date") and not _is_date(text):
                yield f"knowledge.measurements[{i}].{field}", f"“{printable(text)}” is not a date"
    for i, s in enumerate(knowledge.spoils):
        if not _is_date(s.date):
            yield f"knowledge.spoils[{i}].date", f"“{printable(s.date)}” is not a date"
    for i, a in enumerate(knowledge.agreed):
        if not _is_date(a.date):
            yield f"knowledge.agreed[{i}].date", f"“{printable(a.date)}” is not a date"


def _is_date(text: str) -> bool:
    try:
        datetime.fromisoformat(text)
    except ValueError:
        return False
    return True


def _ids(setup: Setup, field: str) -> Iterator[tuple[str, str]]:
    seen: set[str] = set()
    for i, item in enumerate(getattr(setup, field)):
        reason = id_problem(item.id) or (f"“{item.id}” cannot be an id" if item.id == IN_THE_ROOM else "")
        if reason:
            yield f"{field}[{i}].id", reason
        if item.id in seen:
            yield f"{field}[{i}].id", f"“{item.id}” stands here twice"
        seen.add(item.id)


def _device_problems(setup: Setup) -> Iterator[tuple[str, str]]:
    for i, d in enumerate(setup.devices):
        place = f"devices[{i}]"
        if not DEVICE_KINDS[d.kind].has_rate:
            if d.pictures_per_s < 1:
                yield f"{place}.pictures_per_s", f"{d.pictures_per_s:g} is outside 1 to 240 pictures a second"
        elif reason := number_problem(d.rate_hz, RATES_HZ):
            yield f"{place}.rate_hz", reason
    if sum(d.sets_clock for d in setup.devices) > 1:
        yield "devices", "more than one device sets the clock"


def _part_problems(setup: Setup) -> Iterator[tuple[str, str]]:
    devices = {d.id for d in setup.devices}
    parts = {p.id: p for p in setup.parts}
    listeners = {x.id: x for x in setup.listeners}
    for i, p in enumerate(setup.parts):
        place = f"parts[{i}]"
        if p.device not in devices:
            yield f"{place}.device", f"no device “{printable(p.device)}”"
        if len(p.channels) > MAX_CHANNELS or any(not 0 <= c < 256 for c in p.channels):
            yield f"{place}.channels", f"expected at most {MAX_CHANNELS} channel numbers from 0 to 255"
        yield from _chain_problems(setup, p, place)
        if p.kind != "picture" and not p.channels:
            yield f"{place}.channels", "a sound needs at least one channel"
        for field, known in (("follows", parts), ("shows", parts), ("returns_from", listeners)):
            value = getattr(p, field)
            if value and value not in known:
                yield f"{place}.{field}", f"no {'listener' if known is listeners else 'part'} “{printable(value)}”"
        if p.hears_at and p.hears_at != IN_THE_ROOM and p.hears_at not in listeners:
            yield f"{place}.hears_at", f"no listener “{printable(p.hears_at)}”"
        if p.beat_source and leads_outside(p.beat_source):
            yield f"{place}.beat_source", "has to stay beside the setup"
        yield from _track_problems(p, place)
    sides = len(setup.parts) * max([1, *(len(p.channels) for p in setup.parts)])
    if sides > MAX_SIDES:
        yield "parts", f"{sides} channels in all (each part counts as the widest), at most {MAX_SIDES} are possible"
    for i, x in enumerate(setup.listeners):
        if x.device not in devices:
            yield f"listeners[{i}].device", f"no device “{printable(x.device)}”"
        yield from _chain_problems(setup, x, f"listeners[{i}]")


def _chain_problems(setup: Setup, owner: Part | Listener, place: str) -> Iterator[tuple[str, str]]:
    for field, chain in (("chain", owner.chain), ("other_chain", owner.other_chain or ())):
        wide = len(owner.channels) if isinstance(owner, Part) else owner.channels
        if wide > 2 and chain:
            yield f"{place}.{field}", "processors work on one or two channels"
        yield from chain_problems(chain, f"{place}.{field}")
        for k, p in enumerate(chain):
            if isinstance(p, NoiseRemoval) and isinstance(owner, Listener):
                yield f"{place}.{field}[{k}]", "noise is taken out of a part, not at a listener"
            if isinstance(p, NoiseRemoval) and p.profile and not setup.profile(p.profile):
                yield f"{place}.{field}[{k}].profile", f"no profile “{printable(p.profile)}” in this setup"


def chain_problems(chain: tuple[Processor, ...], place: str) -> Iterator[tuple[str, str]]:
    """(place, reason) of what is wrong with a chain wherever it stands."""
    yield from range_problems(chain, place)
    if len(chain) > MAX_SLOTS:
        yield place, f"{len(chain)} processors, at most {MAX_SLOTS} are possible"
    for k, p in enumerate(chain):
        if isinstance(p, NoiseRemoval) and k > 0:
            yield f"{place}[{k}]", "noise removal stands first in a chain, and only there"
        if isinstance(p, PlugIn):
            if not 0 <= p.place < MAX_PLUG_INS:
                yield f"{place}[{k}].place", f"{p.place} is outside 0 to {MAX_PLUG_INS - 1}"
            if not 0 <= p.latency_frames <= MAX_PLUG_IN_FRAMES:
                yield f"{place}[{k}].latency_frames", f"{p.latency_frames} is outside 0 to {MAX_PLUG_IN_FRAMES}"
            if len(p.parameters) > 1000 or any(not 0 <= x.value <= 1 for x in p.parameters):
                yield f"{place}[{k}].parameters", "expected at most 1000 settings from 0 to 1"
        if isinstance(p, OutsideStep):
            yield from _outside_problems(p, f"{place}[{k}]")
        if isinstance(p, Equaliser) and len(p.bands) > MAX_BANDS:
            yield f"{place}[{k}].bands", f"{len(p.bands)} bands, at most {MAX_BANDS} are possible"


def _outside_problems(p: OutsideStep, place: str) -> Iterator[tuple[str, str]]:
    if not 0 <= p.place < MAX_OUTSIDE:
        yield f"{place}.place", f"{p.place} is outside 0 to {MAX_OUTSIDE - 1}"
    if not 0 <= p.latency_frames < MAX_WAIT_FRAMES:
        yield f"{place}.latency_frames", f"{p.latency_frames} is outside 0 to {MAX_WAIT_FRAMES - 1}"
    if len({*p.return_channels}) < 2 or any(not 0 <= c < 256 for c in (p.send_channel, *p.return_channels)):
        yield f"{place}.return_channels", "expected two channel numbers from 0 to 255"
    if p.measured_rate_hz < 0 or p.measured_block < 0:
        yield f"{place}.measured_rate_hz", "nothing was ever measured so"


def leads_outside(file: str) -> bool:
    """Whether a path in a file from outside would leave its folder."""
    return Path(file).is_absolute() or ".." in Path(file).parts or "\0" in file or "\\" in file


def _track_problems(p: Part, place: str) -> Iterator[tuple[str, str]]:
    for j, t in enumerate(p.tracks):
        if not t.file or leads_outside(t.file):
            yield f"{place}.tracks[{j}].file", "has to stay beside the setup"
        if 0 < t.loop_to_s < t.loop_from_s + 0.1:
            yield f"{place}.tracks[{j}].loop_to_s", "a loop lasts at least a tenth of a second"
    if p.tracks and not 0 <= p.track < len(p.tracks):
        yield f"{place}.track", f"no track {p.track}"


def _route_problems(setup: Setup) -> Iterator[tuple[str, str]]:
    parts = {p.id: p for p in setup.parts}
    listeners = {x.id: x for x in setup.listeners}
    seen = set()
    for i, r in enumerate(setup.routes):
        place = f"routes[{i}]"
        if r.part not in parts:
            yield f"{place}.part", f"no part “{printable(r.part)}”"
            continue
        if r.listener not in listeners:
            yield f"{place}.listener", f"no listener “{printable(r.listener)}”"
            continue
        if (r.part, r.listener) in seen:
            yield place, f"a second route from “{r.part}” to “{r.listener}”"
        seen.add((r.part, r.listener))
        if r.duck is not None and (r.duck.under not in parts or r.duck.under == r.part):
            yield f"{place}.duck.under", f"no other part “{printable(r.duck.under)}”"
        width = len(parts[r.part].channels)
        for j, point in enumerate(r.map):
            if not 0 <= point.source < width or not 0 <= point.target < listeners[r.listener].channels:
                yield f"{place}.map[{j}]", f"no way from channel {point.source} to channel {point.target}"
        back = parts[r.part].kind == "far_end" and parts[r.part].returns_from == r.listener
        if r.on and back and not r.own_return:
            yield place, f"would send “{r.listener}” its own far end back"


def _moment_problems(setup: Setup) -> Iterator[tuple[str, str]]:
    for i, m in enumerate(setup.moments):
        for j, change in enumerate(m.routes):
            if setup.route(change.part, change.listener) is None:
                yield (
                    f"moments[{i}].routes[{j}]",
                    f"no route from “{printable(change.part)}” to “{printable(change.listener)}”",
                )
        for listener in m.policy:
            if all(x.id != listener for x in setup.listeners):
                yield f"moments[{i}].policy", f"no listener “{printable(listener)}”"
