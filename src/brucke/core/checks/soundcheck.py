"""The soundcheck: each check a function Situation -> findings. What a finding means is said in `words/soundcheck.py`,
how it is mended in `mends.py`. What was not heard, measured or looked at is not yet good, and never counted so."""

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from functools import cached_property
from itertools import pairwise
from typing import Literal

from ..document.setup import Device, Listener, Part, Setup
from ..findings import Finding, Value
from ..knowledge.quantities import QUANTITIES
from ..routing.clocks import other_rate
from ..routing.doubled import doubled
from ..routing.ways import Loop, carries, loops
from ..timing.align import timing
from ..timing.arrivals import Timing
from ..timing.paths import Situation
from ..timing.verdicts import OWN_SOUND_LIMIT_S
from ..units import buffer_seconds

# Common practice, no source, for all of these.
SILENT_DB = -70.0
CLIPPED_DB = -0.1
ONE_SIDED_DB = 30.0
CANCELS_DB = 10.0
FAINT_DB = -59.5
LONGEST_BUFFER_S = 0.1
LISTEN_AT_LEAST_S = 2.0
SAME_BLEED_MS = 0.2
RECORD_S = 3600.0


@dataclass(frozen=True)
class Known(Situation):
    """A situation with what several checks ask of it."""

    @cached_property
    def timing(self) -> Timing:
        return timing(self)

    @cached_property
    def loops(self) -> list[Loop]:
        return loops(self.setup)


Find = Callable[[Known], Iterator[Finding]]


def _written(known: Known) -> bool:
    """The document says all that this check asks."""
    return True


@dataclass(frozen=True)
class Check:
    """`looked` says whether what the check asks is known at all."""

    code: str
    find: Find
    looked: Callable[[Known], bool] = _written


@dataclass(frozen=True)
class Result:
    """What one check found; `looked` is False where it could not be told yet."""

    check: str
    findings: tuple[Finding, ...]
    looked: bool = True

    @property
    def state(self) -> Literal["good", "not_yet", "mend"]:
        if any(f.needs == "you" for f in self.findings):
            return "mend"
        return "good" if self.looked else "not_yet"

    @property
    def good(self) -> bool:
        return self.state == "good"


def soundcheck(situation: Situation) -> list[Result]:
    """One result a check. Without a part and a listener there is nothing to judge yet."""
    known = Known(situation.setup, situation.knowledge, situation.facts, situation.moment)
    something = bool(known.setup.parts and known.setup.listeners)
    return [Result(c.code, tuple(c.find(known)), something and c.looked(known)) for c in CHECKS]


def _sounds(setup: Setup) -> list[Part]:
    return [p for p in setup.parts if p.kind != "picture"]


def _hears(setup: Setup, listener: Listener) -> list[Part]:
    """The sounds that reach a listener, carried here or outside."""
    return [p for p in _sounds(setup) if (r := setup.route(p.id, listener.id)) is not None and carries(r)]


# Equipment


def _present(known: Known) -> Iterator[Finding]:
    for d in known.setup.devices:
        if d.id in known.facts.missing:
            yield Finding(code="device_missing", device=d.id)


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
        elif _buffer_too_long(d):
            yield Finding(code="buffer_large", device=d.id, values={"ms": buffer_seconds(held, 1, d.rate_hz) * 1e3})


def _buffer_too_long(d: Device) -> bool:
    return d.kind == "interface" and buffer_seconds(d.buffer_frames, d.buffers, d.rate_hz) > LONGEST_BUFFER_S


def _clock(known: Known) -> Iterator[Finding]:
    devices = [d for d in known.setup.devices if d.kind == "interface"]
    if devices and not any(d.sets_clock for d in known.setup.devices):
        yield Finding(code="no_clock", device=devices[0].id)


def _wireless(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for x in setup.listeners:
        if x.kind == "monitor" and setup.device(x.device).wireless:
            yield Finding(code="wireless", listener=x.id, device=x.device)


def _own_sound(known: Known) -> Iterator[Finding]:
    for t in known.timing.listeners:
        v = t.verdict
        device = known.setup.device(known.setup.listener(t.listener).device)
        # A buffer that is too long anyway is told by `_buffers`, with the same mend.
        if v.code == "own_sound" and v.off_s > OWN_SOUND_LIMIT_S and not _buffer_too_long(device):
            yield Finding(
                code="own_sound_late", part=v.part, listener=t.listener, device=device.id, values={"ms": v.off_s * 1e3}
            )  # fmt: skip


def _disk(known: Known) -> Iterator[Finding]:
    setup, free = known.setup, known.facts.free_bytes
    recorder = next((x for x in setup.listeners if x.kind == "recorder"), None)
    if recorder is None or free is None:
        return
    channels = sum(len(p.channels) for p in _sounds(setup)) + sum(x.channels for x in setup.listeners)
    a_second = channels * setup.rate_hz * 4
    if free < a_second * RECORD_S:
        yield Finding(
            code="disk_full", listener=recorder.id, values={"minutes": int(free / a_second / 60), "free_bytes": free}
        )


def _sleep(known: Known) -> Iterator[Finding]:
    if known.facts.may_sleep:
        yield Finding(code="may_sleep", needs="look")


# What comes in


def sounds_by_itself(part: Part) -> bool:
    """Whether silence of a part is worth a word. People at a far end listen, most of the time."""
    return part.kind != "picture" and not part.quiet and part.source not in ("count_in", "far_end")


def _listened(known: Known) -> bool:
    return known.facts.listened_s >= LISTEN_AT_LEAST_S


def _all_heard(known: Known) -> bool:
    """Whether it was listened to long enough, and to every sound there is."""
    return _listened(known) and all(p.id in known.facts.heard for p in _sounds(known.setup))


def _sums_heard(known: Known) -> bool:
    return _listened(known) and all(x.id in known.facts.sums_db for x in known.setup.listeners)


def _present_looked(known: Known) -> bool:
    return known.facts.looked or _listened(known)


def _timed(known: Known) -> bool:
    """Whether nothing rests on calculation where it could be measured, and nothing is left unjudged."""
    return all(t.verdict.code == "nothing_routed" or t.verdict.sure for t in known.timing.listeners)


def _signal(known: Known) -> Iterator[Finding]:
    for p in _sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        expected = sounds_by_itself(p) and p.device not in known.facts.missing
        if _listened(known) and heard is not None and expected and heard.peak_db < SILENT_DB:
            yield Finding(code="no_signal", part=p.id, device=p.device)


def _clipping(known: Known) -> Iterator[Finding]:
    for p in _sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        if heard is None:
            continue
        # What a file or a program sends at full scale is as it was made; only an input can be driven too far.
        if heard.input_peak_db > CLIPPED_DB and known.setup.device(p.device).kind == "interface":
            yield Finding(code="input_clips", part=p.id, device=p.device)
        elif heard.peak_db > 0.0:
            yield Finding(code="trim_clips", part=p.id, values={"over_db": heard.peak_db})


def _sides(known: Known) -> Iterator[Finding]:
    for p in _sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        if heard is None or len(p.channels) != 2 or heard.peak_db < SILENT_DB:
            continue
        louder, softer = max(heard.left_db, heard.right_db), min(heard.left_db, heard.right_db)
        if louder - softer > ONE_SIDED_DB:
            yield Finding(
                code="one_sided", part=p.id, values={"side": "left" if heard.left_db > heard.right_db else "right"}
            )
        elif heard.mono_db < softer - CANCELS_DB:
            yield Finding(code="cancels_in_mono", part=p.id, values={"loses_db": louder - heard.mono_db})


def _bleed(known: Known) -> Iterator[Finding]:
    for p in _sounds(known.setup):
        heard = known.facts.heard.get(p.id)
        # The way from headphone to microphone is always equally long; a tune that two play together is not.
        lags = sorted(heard.bleeds_ms) if heard is not None else []
        same = next((a for a, b in pairwise(lags) if b - a < SAME_BLEED_MS), None)
        if same is not None:
            yield Finding(code="bleed", part=p.id, values={"lead": p.follows, "ms": same})


def _everything(known: Known) -> Iterator[Finding]:
    for p in _sounds(known.setup):
        if p.source == "computer":
            yield Finding(code="everything", part=p.id)


# Who hears what


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
    players = [p for p in setup.parts if p.kind == "follower"]
    for x in setup.listeners:
        hears = _hears(setup, x)
        if not hears:
            yield Finding(code="hears_nothing", listener=x.id)
        elif x.kind in ("call", "stream") and players and not any(p.kind == "follower" for p in hears):
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


def _muted(known: Known) -> Iterator[Finding]:
    setup = known.setup
    for id in known.facts.muted:
        if any(p.id == id for p in setup.parts):
            yield Finding(code="muted", part=id)
    for r in setup.routes:
        if r.on and r.gain_db <= FAINT_DB and r.way == "engine" and setup.part(r.part).kind != "picture":
            yield Finding(code="faint", part=r.part, listener=r.listener)


# In time


def _evidence(known: Known) -> Iterator[Finding]:
    for quantity in QUANTITIES:
        for ids in (way.ids for way in quantity.ways(known.setup)):
            what: dict[str, Value] = {"quantity": quantity.code}
            counts = known.knowledge.counting(quantity, known.setup, *ids)
            if known.knowledge.newest(quantity.key(*ids)) is None:
                yield Finding(code="not_measured", device=ids[0], values=what)
            elif counts is None:
                yield Finding(code="stale", device=ids[0], values=what)
            elif known.knowledge.unconfirmed(counts):
                yield Finding(code="unconfirmed", device=ids[0], needs="look", values={**what, "date": counts.date})


def _in_step(known: Known) -> Iterator[Finding]:
    """One finding for all who are out of step, since one action mends them: the one that is furthest off."""
    off = [v for t in known.timing.listeners if (v := t.verdict).code in ("early", "late") and not v.at_limit]
    if off:
        v = max(off, key=lambda v: abs(v.off_s))
        yield Finding(
            code="out_of_step", part=v.part, listener=v.listener,
            values={"ms": v.off_s * 1e3, "verdict": v.code, "more": len(off) - 1},
        )  # fmt: skip
    for t in known.timing.listeners:
        # What cannot be judged for want of an origin is told by `_needs`, once.
        yield from (f for f in t.findings if f not in known.timing.findings)
        if (v := t.verdict).at_limit:
            most = known.setup.listener(t.listener).wait_at_most_ms
            yield Finding(
                code="at_limit", part=v.part, listener=t.listener, needs="look",
                values={"ms": v.off_s * 1e3, "verdict": v.code, "most": most},
            )  # fmt: skip
        if t.verdict.code == "picture_first":
            yield Finding(
                code="picture_first", part=t.verdict.part, listener=t.listener, needs="look",
                values={"ms": t.hand_off_s * 1e3},
            )  # fmt: skip


CHECKS = (
    Check("present", _present, _present_looked), Check("rates", _rates), Check("buffers", _buffers), Check("clock", _clock),
    Check("signal", _signal, _all_heard), Check("clipping", _clipping, _all_heard), Check("sides", _sides, _all_heard),
    Check("bleed", _bleed, _all_heard),
    Check("loops", _loops), Check("doubled", _doubled), Check("clean_call", _own_return),
    Check("hears", _needs), Check("second_track", _second_track), Check("sums", _sums, _sums_heard), Check("muted", _muted),
    Check("everything", _everything), Check("evidence", _evidence), Check("in_step", _in_step, _timed),
    Check("own_sound", _own_sound, _timed), Check("wireless", _wireless), Check("disk", _disk, lambda known: known.facts.free_bytes is not None),
    Check("sleep", _sleep, lambda known: known.facts.may_sleep is not None),
)  # fmt: skip
