"""Whether everybody hears what they need, once, and nothing that was not meant."""

from collections.abc import Iterator

from ..document.setup import Setup
from ..edits.listener_edits import change_listener
from ..edits.part_edits import remove_part
from ..edits.route_edits import allow_own_return, nudge_gains, set_gain, set_on, switch
from ..findings import Finding
from ..routing.feedback_loops import carries
from ..timing.double_paths import doubled
from ..timing.paths import Situation
from .check import Check, Known, hears, listened, sounds

FAINT_DB = -59.5  # common practice, no source
LOUD_ENOUGH_DB = -12.0
SPARE_DB = 1.0


def _loops(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for loop in known.loops:
        route = setup.route(loop.part, loop.listener)
        if route is not None and route.own_return:
            continue  # told by `_own_return`
        yield Finding(
            code="loop", part=loop.part, listener=loop.listener, needs="look" if loop.kinds == {"call"} else "you",
            values={"ring": " → ".join(loop.ring), "kinds": ", ".join(sorted(loop.kinds))},
        )  # fmt: skip


def _own_return(known: Known) -> Iterator[Finding]:
    for r in known.setup.routes:
        if r.own_return and carries(r):
            yield Finding(code="own_return", part=r.part, listener=r.listener)


def _doubled(known: Known) -> Iterator[Finding]:
    # What goes in a circle is doubled as well: one fault is told once.
    looping = {(x.part, x.listener) for x in known.loops}
    for d in doubled(known):
        if not looping & {(d.part, d.listener), (d.via, d.listener)}:
            yield Finding(
                code="doubled", part=d.part, listener=d.listener,
                values={"via": d.via, "ms": d.apart_s * 1e3, "notch_hz": d.notch_hz},
            )  # fmt: skip


def _needs(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for program, microphone in known.facts.bare:
        yield Finding(code="heard_past_us", values={"program": program, "end": microphone})
    players = [p for p in setup.parts if p.kind == "follower"]
    for x in setup.listeners:
        heard = hears(setup, x)
        if not heard:
            yield Finding(code="hears_nothing", listener=x.id)
        elif x.kind in ("call", "stream") and players and not any(p.kind == "follower" for p in heard):
            yield Finding(code="player_missing", listener=x.id, part=players[0].id)
    yield from known.timing.findings


def _second_track(known: Known) -> Iterator[Finding]:
    for x in known.setup.listeners:
        if x.kind in ("stream", "call") and x.channels > 2:
            yield Finding(code="second_track", listener=x.id, values={"channels": x.channels})


def _sums(known: Known) -> Iterator[Finding]:
    for x in known.setup.listeners:
        peak = known.facts.sums_db.get(x.id)
        if peak is not None and peak > 0.0:
            yield Finding(code="sum_clips", listener=x.id, values={"over_db": peak})


def _sums_heard(known: Known) -> bool:
    return listened(known) and all(x.id in known.facts.sums_db for x in known.setup.listeners)


def _muted(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for id in known.facts.muted:
        if any(p.id == id for p in setup.parts):
            yield Finding(code="muted", part=id)
    for r in setup.routes:
        if r.on and r.gain_db <= FAINT_DB and r.way == "engine" and setup.part(r.part).kind != "picture":
            yield Finding(code="faint", part=r.part, listener=r.listener)


def _everything(known: Known) -> Iterator[Finding]:
    for p in sounds(known.setup):
        if p.source == "computer":
            yield Finding(code="everything", part=p.id)


def _route_off(known: Situation, f: Finding) -> Setup:
    return set_on(known.setup, f.part, f.listener, False)


def _route_on(known: Situation, f: Finding) -> Setup:
    return set_on(known.setup, f.part, f.listener, True)


def _let_hear(known: Situation, f: Finding) -> Setup:
    """Everything that sets the beat or plays along; for a monitor, what sets the beat is enough."""
    setup, listener = known.setup, f.listener
    kinds = ("lead",) if setup.listener(listener).kind == "monitor" else ("lead", "follower")
    return switch(setup, [(p.id, listener) for p in setup.parts if p.kind in kinds and p.source != "count_in"], True)


def _softer_sum(known: Situation, f: Finding) -> Setup:
    over = float(f.values["over_db"]) + SPARE_DB
    return nudge_gains(known.setup, [(p.id, f.listener) for p in known.setup.parts], -over)


ROUTES = (
    Check("loops", _loops, mends={"loop": _route_off}),
    Check("doubled", _doubled, mends={"doubled": _route_off}),
    Check("clean_call", _own_return, mends={"own_return": lambda known, f: allow_own_return(known.setup, f.part,
    f.listener, False)}),
    Check("hears", _needs, mends={
        "heard_past_us": "gather", "hears_nothing": _let_hear, "player_missing": _route_on, "cycle": "gather",
        "lead_not_heard": lambda known, f: set_on(known.setup, str(f.values["lead"]), f.listener, True),
        "does_not_hear_itself": _route_on,
    }),
    Check("second_track", _second_track, mends={"second_track": lambda known, f: change_listener(known.setup,
    f.listener, channels=2)}),
    Check("sums", _sums, _sums_heard, {"sum_clips": _softer_sum}),
    Check("muted", _muted, mends={"muted": "unmute", "faint": lambda known,
    f: set_gain(known.setup, f.part, f.listener, LOUD_ENOUGH_DB)}),
    Check("everything", _everything, mends={"everything": lambda known, f: remove_part(known.setup, f.part)}),
)  # fmt: skip
