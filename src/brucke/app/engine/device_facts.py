"""What a running engine tells of the devices: as facts that change only when somebody would see it, and what is said of
it."""

from collections.abc import Sequence

from msgspec.structs import replace

from ...core.document.setup import Setup
from ...core.knowledge.evidence import Facts, Matching
from ...engine.processes.reading import Reading
from ...engine.processes.region import Head
from ...ports.devices.opening import reported_with
from ...words.timing import device_name
from ...words.translation import _
from ..session.session import Session

GONE, BACK = (
    _("{device} is not there. It is silent and joins by itself."),
    _("{device} is back. Test its round trip again."),
)
PEER_GONE = _("{device} does not answer. What comes from it is silent, nothing goes to it, and it joins by itself.")
PEER_BACK = _("{device} answers.")
PPM, WANDER_S = 0.5, 2e-5  # what nobody would see


def with_devices(facts: Facts, setup: Setup, link: Reading, leading: Sequence[str]) -> tuple[Facts, list[str]]:
    """(`facts` with what those that lead say of themselves and how the others are matched to them, the devices whose
    sound has another place than before)."""
    interfaces = {d.id for d in setup.devices if d.kind == "interface"}
    for device in interfaces & set(leading):  # what a call says of its way is about its service
        facts = reported_with(facts, device, link.get(Head.CARD_IN_US) / 1e6, link.get(Head.CARD_OUT_US) / 1e6)
    known, moved = {}, []
    for i, device in enumerate(d.id for d in setup.devices):
        now, before = link.matching(i), facts.matched.get(device)
        if now is None:
            continue
        known[device] = before if before is not None and _alike(before, now) else now
        if before is None or (before.in_s, before.out_s) != (now.in_s, now.out_s):
            moved.append(device)  # another place, or a stream that began anew
    return (facts if known == facts.matched else replace(facts, matched=known)), moved


def _alike(a: Matching, b: Matching) -> bool:
    near = abs(a.fast_ppm - b.fast_ppm) <= PPM and abs(a.wander_s - b.wander_s) <= WANDER_S
    return near and (a.in_s, a.out_s, a.lost) == (b.in_s, b.out_s, b.lost)


def came_and_went(
    setup: Setup, before: Sequence[str], missing: Sequence[str]
) -> tuple[list[tuple[str, str, str]], list[str]]:
    """((sentence, tone, the device where it is so only while that is gone) of every device that has gone or is back,
    those that are back)."""
    back = [id for id in before if id not in missing]
    peers = {d.id for d in setup.devices if d.kind == "peer"}
    said = [
        ((PEER_GONE if id in peers else GONE).format(device=device_name(setup, id)), "coral", id)
        for id in missing
        if id not in before
    ]
    said += [((PEER_BACK if id in peers else BACK).format(device=device_name(setup, id)), "water", "") for id in back]
    return said, back


def misses(session: Session, device: str) -> bool:
    """Whether it is not there now."""
    return device in session.facts.missing
