"""As it is, aligned, and what another buffer, rate or chain would do: computed beside the running sound, which it never
touches.

A round trip that was measured with other buffers does not count for the wished ones, but what it told of the converters
beyond them is the best there is: it goes on as what the equipment reports of itself, calculated and with the ± of that.
"""

from collections.abc import Iterable

import msgspec
from msgspec.structs import replace

from ..document.setup import Listener, Part, Setup
from ..edits.block_edits import set_block
from ..edits.chain_edits import chain_of, owner_of, remove_processor
from ..edits.listener_edits import set_waiting
from ..edits.route_edits import at_one_rate
from ..findings import Verdict
from ..timing.arrivals import ListenerTiming
from ..timing.paths import Situation, buffers_s, interface_latency
from .align import align, timing

Place = tuple[str, int]  # a chain's owner, and the place in it


class Wish(msgspec.Struct, frozen=True):
    """What is asked for, none of it there yet. `without` are processors taken out of their chains; `waiting` of a
    listener: extra and longest wait, in ms."""

    block_frames: int
    rate_hz: int
    without: frozenset[Place] = frozenset()
    waiting: tuple[tuple[str, float, float], ...] = ()

    def restarts(self, setup: Setup) -> bool:
        """Whether sound stops for a moment when it comes true."""
        return (self.block_frames, self.rate_hz) != (setup.block_frames, setup.rate_hz)


class Outcome(msgspec.Struct, frozen=True):
    """What a listener would get: its verdict, the longest delay added there, and when a beat is heard there (seconds,
    None where nothing has a target)."""

    verdict: Verdict
    added_s: float
    heard_s: float | None


class Beside(msgspec.Struct, frozen=True):
    """One listener: as it is, aligned as it is, and aligned once the wish is true."""

    listener: str
    now: Outcome
    aligned: Outcome
    wished: Outcome


def present(setup: Setup) -> Wish:
    """Nothing else than what there is."""
    return Wish(setup.block_frames, setup.rate_hz)


def wished(setup: Setup, wish: Wish) -> Setup:
    """The setup with the wish, its delays as they were."""
    if wish.rate_hz != setup.rate_hz:
        setup = at_one_rate(msgspec.structs.replace(setup, rate_hz=wish.rate_hz))
    if wish.block_frames != setup.block_frames:
        setup = set_block(setup, wish.block_frames)
    for owner, place in sorted(wish.without, key=lambda x: -x[1]):  # from behind: the places before stay
        setup = remove_processor(setup, owner, place)
    for listener, extra_ms, at_most_ms in wish.waiting:
        setup = set_waiting(setup, listener, extra_ms, at_most_ms)
    return setup


def costly(setup: Setup) -> Iterable[tuple[str, int, float]]:
    """(owner, place, seconds) of every processor that costs time."""
    things: list[Part | Listener] = [*setup.parts, *setup.listeners]
    for owner in map(owner_of, things):
        for place, p in enumerate(chain_of(setup, owner)):
            if frames := p.costs_frames(setup.block_frames):
                yield owner, place, frames / setup.rate_hz


def situation(known: Situation, wish: Wish) -> Situation:
    """What would be known once the wish is true."""
    after = wished(known.setup, wish)
    then = replace(known, setup=after)
    reported = dict(known.facts.reported_s)
    for d in known.setup.devices:
        if d.kind != "interface" or f"capture:{d.id}" not in known.converters.of or not wish.restarts(known.setup):
            continue
        before_s, after_s = buffers_s(known, d), buffers_s(then, after.device(d.id))
        for code, end in (("capture", "in"), ("output", "out")):
            beyond = interface_latency(known, d, code) - before_s
            reported[f"{d.id}:{end}"] = after_s + beyond * known.setup.rate_hz / after.rate_hz
    return replace(then, facts=msgspec.structs.replace(known.facts, reported_s=reported))


def beside(known: Situation, wish: Wish) -> tuple[list[Beside], Setup]:
    """Every listener three ways, and the setup that the wish would lead to, aligned."""
    then = situation(known, wish)
    aligned, wanted = align(known), align(then)
    three = (
        timing(known), timing(replace(known, setup=aligned, moment="")), timing(replace(then, setup=wanted, moment=""))
    )  # fmt: skip
    setups = (known.setup, aligned, wanted)
    found = []
    for x in known.setup.listeners:
        outcomes = [_outcome(s, t.of(x.id)) for s, t in zip(setups, three, strict=True)]
        found.append(Beside(x.id, *outcomes))
    return found, wanted


def _outcome(setup: Setup, t: ListenerTiming) -> Outcome:
    sounds = [r for r in t.routes if r.kind in ("lead", "follower")]
    added = max((r.delay_frames / setup.rate_hz for r in sounds), default=0.0)
    heard = max((r.arrival.value for r in sounds), default=None)
    return Outcome(t.verdict, added, heard)
