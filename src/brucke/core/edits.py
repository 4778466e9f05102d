"""Every change the interface can make, as pure functions Setup -> Setup."""

from collections.abc import Callable, Iterable
from typing import Any

from msgspec.structs import replace

from .setup import MAX_DELAY_S, Route, Setup

GAIN_RANGE_DB = (-120.0, 12.0)


def _with_route(setup: Setup, part: str, listener: str, change: Callable[[Route], Route]) -> Setup:
    if setup.route(part, listener) is None:
        raise KeyError(f"no route {part} → {listener}")
    routes = tuple(change(r) if (r.part, r.listener) == (part, listener) else r for r in setup.routes)
    return replace(setup, routes=routes)


def set_delay(setup: Setup, part: str, listener: str, delay_ms: float) -> Setup:
    """Delay of one route, held to 0…2 s."""
    value = min(max(delay_ms, 0.0), MAX_DELAY_S * 1e3)
    return _with_route(setup, part, listener, lambda r: replace(r, delay_ms=value))


def set_delays(setup: Setup, delays_ms: Iterable[tuple[str, str, float]]) -> Setup:
    """Several delays in one step: (part, listener, milliseconds)."""
    for part, listener, delay in delays_ms:
        setup = set_delay(setup, part, listener, delay)
    return setup


def set_gain(setup: Setup, part: str, listener: str, gain_db: float) -> Setup:
    value = min(max(gain_db, GAIN_RANGE_DB[0]), GAIN_RANGE_DB[1])
    return _with_route(setup, part, listener, lambda r: replace(r, gain_db=value))


def set_on(setup: Setup, part: str, listener: str, on: bool) -> Setup:
    return _with_route(setup, part, listener, lambda r: replace(r, on=on))


def set_processed(setup: Setup, part: str, listener: str, processed: bool) -> Setup:
    return _with_route(setup, part, listener, lambda r: replace(r, processed=processed))


def rename(setup: Setup, name: str) -> Setup:
    return replace(setup, name=name.strip() or setup.name)


def change_device(setup: Setup, device: str, **fields: Any) -> Setup:
    """Rate or buffers of one device."""
    return replace(setup, devices=tuple(replace(d, **fields) if d.id == device else d for d in setup.devices))
