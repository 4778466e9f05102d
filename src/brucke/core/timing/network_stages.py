"""The stages of a way to or from another computer: its own steps as it tells them, and the network between."""

from typing import Protocol

from ..document.setup import Device
from ..knowledge.evidence import Facts
from .stage import Stage
from .uncertain import ZERO, EvidenceKind, Uncertain

UNWATCHED_S = 1e-4  # how far sound may be from its place before anybody watched it, as for any matched device
LEAST_WANDER_S = 1e-5


class KnowsFacts(Protocol):
    @property
    def facts(self) -> Facts: ...


def network_stage(known: KnowsFacts, device: Device, code: str) -> Stage:
    """From engine to engine, “capture” from there, “output” to there: the set point. What is not known of the other
    computer's clock makes one direction longer and the other shorter, so it is one term a computer, and cancels between
    two parts of it and in every way there and back."""
    way, told = known.facts.networks.get(device.id), known.facts.matched.get(device.id)
    seconds = 0.0 if told is None else told.in_s if code == "capture" else told.out_s
    if way is None or told is None or not seconds:
        return Stage("network", ZERO, "unknown", device.id)
    sign = 1.0 if code == "capture" else -1.0
    terms = {
        f"network:{device.id}": sign * way.plus_minus_s,
        f"wander:{code}:{device.id}": max(told.wander_s or UNWATCHED_S, LEAST_WANDER_S),
    }
    kind: EvidenceKind = "measured" if way.confirmed and way.there else "unconfirmed"
    return Stage("network", Uncertain(seconds, terms), kind, device.id, way.date)


def far_stages(known: KnowsFacts, device: Device, stream: str) -> list[Stage]:
    """What the other computer says of its own steps of a stream; one unknown step where it says nothing."""
    way = known.facts.networks.get(device.id)
    steps = None if way is None else way.steps.get(stream)
    if way is None or steps is None:
        return [Stage("there", ZERO, "unknown", device.id)]
    return [
        Stage(
            "there",
            Uncertain(s.seconds, {f"{device.id}·{name}": w for name, w in s.terms.items()}),
            s.kind,
            s.name,
            way.date if s.kind in ("measured", "unconfirmed") else "",
        )
        for s in steps
    ]
