"""Setups on disk: open JSON with a version, a published schema and errors that name file, place and reason."""

import math
import os
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import msgspec

from .evidence import Knowledge
from .processors import (
    MAX_BANDS,
    MAX_PLUG_IN_FRAMES,
    MAX_PLUG_INS,
    MAX_SLOTS,
    Equaliser,
    NoiseRemoval,
    PlugIn,
    Processor,
)
from .setup import IN_THE_ROOM, MAX_CHANNELS, MAX_DELAY_S, MAX_LISTENERS, MAX_PARTS, MAX_SIDES, Listener, Part, Setup
from .sound.noise_profile import profile_problems

FORMAT = "brucke setup"
VERSION = 1
SUFFIX = ".brucke.json"
MAX_BYTES = 16 * 2**20
RATES_HZ = (8000, 192000)
MAX_NAME = 120


class SetupError(ValueError):
    """One sentence: file, place in it, reason."""


# The setup's own fields stand at the top of the file, so that it reads as one document.
_OWN = {"format", "version", "knowledge"}


def schema() -> dict[str, Any]:
    """JSON Schema of the file."""
    parts = msgspec.json.schema_components([Setup, Knowledge], ref_template="#/$defs/{name}")[1]
    top = dict(parts["Setup"])
    top["title"] = FORMAT
    top["properties"] = {
        "format": {"const": FORMAT},
        "version": {"const": VERSION},
        **top["properties"],
        "knowledge": {"$ref": "#/$defs/Knowledge"},
    }
    top["required"] = ["format", "version"]
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **top, "$defs": parts}


def encode(setup: Setup, knowledge: Knowledge) -> bytes:
    body: dict[str, Any] = {"format": FORMAT, "version": VERSION}
    body.update(msgspec.to_builtins(setup))
    if knowledge.measurements or knowledge.spoils:
        body["knowledge"] = msgspec.to_builtins(knowledge)
    return msgspec.json.format(msgspec.json.encode(body), indent=2) + b"\n"


def decode(data: bytes, name: str = "setup") -> tuple[Setup, Knowledge]:
    """Setup and knowledge from the bytes of a file; SetupError with one sentence."""
    try:
        raw = msgspec.json.decode(data)
    except (msgspec.DecodeError, UnicodeDecodeError) as e:
        raise SetupError(f"{name}: {_where(data, str(e))} is not JSON a setup can hold") from None
    if not isinstance(raw, dict) or raw.get("format") != FORMAT:
        raise SetupError(f"{name}: at the top: “format” is not “{FORMAT}”, so this is not a setup")
    version = raw.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise SetupError(f"{name}: version: expected a whole number from 1 to {VERSION}")
    if version > VERSION:
        raise SetupError(
            f"{name}: version: {version} is newer than this program reads ({VERSION}); open it with a newer Brucke"
        )
    body = {k: v for k, v in raw.items() if k not in _OWN}
    try:
        setup = msgspec.convert(body, Setup)
        knowledge = msgspec.convert(raw.get("knowledge", {}), Knowledge).numbered()
    except msgspec.ValidationError as e:
        reason, _, place = str(e).partition(" - at `$")
        place = place.rstrip("`").lstrip(".") or "at the top"
        raise SetupError(f"{name}: {place}: {reason[0].lower()}{reason[1:]}") from None
    for place, reason in problems(setup):
        raise SetupError(f"{name}: {place}: {reason}")
    return setup, knowledge


def _where(data: bytes, message: str) -> str:
    """“line 3, column 14”, from the byte that the decoder names."""
    digits = "".join(c for c in message.rpartition("byte ")[2] if c.isdigit())
    at = min(int(digits), len(data)) if digits else len(data)
    line, column = data.count(b"\n", 0, at) + 1, at - data.rfind(b"\n", 0, at)
    return f"line {line}, column {column}"


def problems(setup: Setup) -> Iterator[tuple[str, str]]:
    """(place, reason) of everything that types alone cannot tell."""
    if len(setup.parts) > MAX_PARTS:
        yield "parts", f"{len(setup.parts)} parts, at most {MAX_PARTS} are possible"
        return
    if len(setup.listeners) > MAX_LISTENERS:
        yield "listeners", f"{len(setup.listeners)} listeners, at most {MAX_LISTENERS} are possible"
        return
    yield from _not_finite("", msgspec.to_builtins(setup))
    if not RATES_HZ[0] <= setup.rate_hz <= RATES_HZ[1]:
        yield "rate_hz", f"{setup.rate_hz} Hz is not a sample rate between {RATES_HZ[0]} and {RATES_HZ[1]} Hz"
    if not 16 <= setup.block_frames <= 4096:
        yield "block_frames", f"{setup.block_frames} frames is outside 16 to 4096"
    for field in ("devices", "parts", "listeners", "moments"):
        yield from _ids(setup, field)
    yield from _device_problems(setup)
    yield from _part_problems(setup)
    yield from _route_problems(setup)
    yield from _moment_problems(setup)
    names = [p.name for p in setup.profiles]
    for i, profile in enumerate(setup.profiles):
        if names.index(profile.name) != i:
            yield f"profiles[{i}].name", f"“{profile.name[:64]}” stands here twice"
        for place, reason in profile_problems(profile):
            yield f"profiles[{i}].{place}", reason


def _not_finite(place: str, value: Any) -> Iterator[tuple[str, str]]:
    if isinstance(value, float) and not math.isfinite(value):
        yield place, f"{value} is not a number"
    elif isinstance(value, dict):
        for key, inner in value.items():
            yield from _not_finite(f"{place}.{key}".lstrip("."), inner)
    elif isinstance(value, list | tuple):
        for i, inner in enumerate(value):
            yield from _not_finite(f"{place}[{i}]", inner)


def _ids(setup: Setup, field: str) -> Iterator[tuple[str, str]]:
    seen: set[str] = set()
    for i, item in enumerate(getattr(setup, field)):
        if not item.id or len(item.id) > 64 or item.id == IN_THE_ROOM:
            yield f"{field}[{i}].id", f"“{item.id[:64]}” cannot be an id"
        if item.id in seen:
            yield f"{field}[{i}].id", f"“{item.id}” stands here twice"
        seen.add(item.id)


def _device_problems(setup: Setup) -> Iterator[tuple[str, str]]:
    for i, d in enumerate(setup.devices):
        place = f"devices[{i}]"
        if d.kind == "camera":
            if not 1 <= d.pictures_per_s <= 240:
                yield f"{place}.pictures_per_s", f"{d.pictures_per_s:g} is outside 1 to 240 pictures a second"
        elif not RATES_HZ[0] <= d.rate_hz <= RATES_HZ[1]:
            yield f"{place}.rate_hz", f"{d.rate_hz} Hz is not a sample rate between {RATES_HZ[0]} and {RATES_HZ[1]} Hz"
        if len(d.name) > MAX_NAME:
            yield f"{place}.name", f"longer than {MAX_NAME} characters"
        if not 0 <= d.buffer_frames <= 65536 or not 1 <= d.buffers <= 64:
            yield f"{place}.buffer_frames", f"{d.buffer_frames} × {d.buffers} is not a buffer"
    if sum(d.sets_clock for d in setup.devices) > 1:
        yield "devices", "more than one device sets the clock"


def _part_problems(setup: Setup) -> Iterator[tuple[str, str]]:
    devices = {d.id for d in setup.devices}
    parts = {p.id: p for p in setup.parts}
    listeners = {x.id: x for x in setup.listeners}
    for i, p in enumerate(setup.parts):
        place = f"parts[{i}]"
        if len(p.name) > MAX_NAME:
            yield f"{place}.name", f"longer than {MAX_NAME} characters"
        if p.device not in devices:
            yield f"{place}.device", f"no device “{p.device}”"
        if len(p.channels) > MAX_CHANNELS or any(not 0 <= c < 256 for c in p.channels):
            yield f"{place}.channels", f"expected at most {MAX_CHANNELS} channel numbers from 0 to 255"
        yield from _chain_problems(setup, p, place)
        if not -60 <= p.trim_db <= 40:
            yield f"{place}.trim_db", f"{p.trim_db:g} dB is outside −60 to 40 dB"
        if p.kind != "picture" and not p.channels:
            yield f"{place}.channels", "a sound needs at least one channel"
        for field, known in (("follows", parts), ("shows", parts), ("returns_from", listeners)):
            value = getattr(p, field)
            if value and value not in known:
                yield f"{place}.{field}", f"no {'listener' if known is listeners else 'part'} “{value}”"
        if p.hears_at and p.hears_at != IN_THE_ROOM and p.hears_at not in listeners:
            yield f"{place}.hears_at", f"no listener “{p.hears_at}”"
        if p.beat_source and leads_outside(p.beat_source):
            yield f"{place}.beat_source", "has to stay beside the setup"
        yield from _track_problems(p, place)
    sides = len(setup.parts) * max([1, *(len(p.channels) for p in setup.parts)])
    if sides > MAX_SIDES:
        yield "parts", f"{sides} channels in all (each part counts as the widest), at most {MAX_SIDES} are possible"
    for i, x in enumerate(setup.listeners):
        if x.device not in devices:
            yield f"listeners[{i}].device", f"no device “{x.device}”"
        if not 1 <= x.channels <= MAX_CHANNELS:
            yield f"listeners[{i}].channels", f"{x.channels} is outside 1 to {MAX_CHANNELS}"
        if not -40 <= x.target_lufs <= -6:
            yield f"listeners[{i}].target_lufs", f"{x.target_lufs:g} LUFS is outside −40 to −6 LUFS"
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
                yield f"{place}.{field}[{k}].profile", f"no profile “{p.profile[:64]}” in this setup"


def chain_problems(chain: tuple[Processor, ...], place: str) -> Iterator[tuple[str, str]]:
    """(place, reason) of what is wrong with a chain wherever it stands."""
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
        if isinstance(p, Equaliser) and len(p.bands) > MAX_BANDS:
            yield f"{place}[{k}].bands", f"{len(p.bands)} bands, at most {MAX_BANDS} are possible"


def leads_outside(file: str) -> bool:
    """Whether a path in a file from outside would leave its folder."""
    return Path(file).is_absolute() or ".." in Path(file).parts or "\0" in file or "\\" in file


def _track_problems(p: Part, place: str) -> Iterator[tuple[str, str]]:
    if len(p.tracks) > 200:
        yield f"{place}.tracks", f"{len(p.tracks)} tracks, at most 200 are possible"
        return
    for j, t in enumerate(p.tracks):
        if not t.file or leads_outside(t.file):
            yield f"{place}.tracks[{j}].file", "has to stay beside the setup"
        if not -60 <= t.gain_db <= 20:
            yield f"{place}.tracks[{j}].gain_db", f"{t.gain_db:g} dB is outside −60 to 20 dB"
        if t.loop_from_s < 0 or 0 < t.loop_to_s < t.loop_from_s + 0.1 or t.loop_to_s < 0:
            yield f"{place}.tracks[{j}].loop_to_s", "a loop lasts at least a tenth of a second"
    if p.tracks and not 0 <= p.track < len(p.tracks):
        yield f"{place}.track", f"no track {p.track}"
    if not 0 <= p.count_in_beats <= 16:
        yield f"{place}.count_in_beats", f"{p.count_in_beats} is outside 0 to 16"
    if not 20 <= p.tempo_bpm <= 400:
        yield f"{place}.tempo_bpm", f"{p.tempo_bpm:g} is outside 20 to 400 beats a minute"


def _route_problems(setup: Setup) -> Iterator[tuple[str, str]]:
    parts = {p.id: p for p in setup.parts}
    listeners = {x.id: x for x in setup.listeners}
    seen = set()
    for i, r in enumerate(setup.routes):
        place = f"routes[{i}]"
        if r.part not in parts:
            yield f"{place}.part", f"no part “{r.part}”"
            continue
        if r.listener not in listeners:
            yield f"{place}.listener", f"no listener “{r.listener}”"
            continue
        if (r.part, r.listener) in seen:
            yield place, f"a second route from “{r.part}” to “{r.listener}”"
        seen.add((r.part, r.listener))
        if not 0 <= r.delay_ms <= MAX_DELAY_S * 1e3:
            yield f"{place}.delay_ms", f"{r.delay_ms:g} ms is outside 0 to {MAX_DELAY_S * 1e3:g} ms"
        if not -200 <= r.gain_db <= 40:
            yield f"{place}.gain_db", f"{r.gain_db:g} dB is outside −200 to 40 dB"
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
                yield f"moments[{i}].routes[{j}]", f"no route from “{change.part}” to “{change.listener}”"
        for listener in m.policy:
            if all(x.id != listener for x in setup.listeners):
                yield f"moments[{i}].policy", f"no listener “{listener}”"


def load(path: Path) -> tuple[Setup, Knowledge]:
    """Setup and knowledge from a file; SetupError with one sentence."""
    try:
        if path.stat().st_size > MAX_BYTES:
            raise SetupError(f"{path.name}: the file: {path.stat().st_size} bytes, a setup has at most {MAX_BYTES}")
        data = path.read_bytes()
    except OSError as e:
        raise SetupError(f"{path.name}: the file: {(e.strerror or str(e)).lower()}") from None
    return decode(data, path.name)


def save(path: Path, setup: Setup, knowledge: Knowledge) -> None:
    """Write beside and rename, so that a crash leaves the old file whole."""
    data = encode(setup, knowledge)
    handle, temporary = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
    try:
        with os.fdopen(handle, "wb") as f:
            f.write(data)
            f.flush()
            os.fsync(f.fileno())
        os.replace(temporary, path)
    except BaseException:
        Path(temporary).unlink(missing_ok=True)
        raise
