"""What is said of equipment: how its clock is matched, and what is measured of it."""

from ..core.document.setup import Device, Setup
from ..core.edits.peer_edits import PLAIN
from ..core.knowledge.evidence import Matching
from ..core.knowledge.quantities import OUTSIDE_STEP
from ..core.routing.clocks import leading_card, matched
from .detail import in_numbers
from .timing import QUANTITY_NAMES, device_name, ms_text
from .translation import _


def matching_text(setup: Setup, device: Device, m: Matching | None) -> str:
    """How a device with a clock of its own is matched; “” where it has none."""
    if device.kind == "peer" and device.card.startswith(PLAIN):
        return plain_matching_text(m)
    if device.kind == "peer":
        return peer_matching_text(m)
    if device not in matched(setup) and m is None:
        return ""
    leads = leading_card(setup)
    to = device_name(setup, leads.id) if leads is not None else _("this computer's sound server")
    if m is None:
        return _("It has a clock of its own, which will be matched to that of {to}.").format(to=to)
    if not in_numbers():
        return _("It has a clock of its own, matched to that of {to}.").format(to=to)
    ppm = _("{ppm:.0f} ppm {way}").format(ppm=abs(m.fast_ppm), way=_("fast") if m.fast_ppm > 0 else _("slow"))
    ways = [
        _("{ms} in").format(ms=ms_text(m.in_s)) if m.in_s else "",
        _("{ms} out").format(ms=ms_text(m.out_s)) if m.out_s else "",
    ]
    kept = (
        _("kept within {ms}").format(ms=ms_text(m.wander_s, 2))
        if m.wander_s
        else _("how well it keeps is not known yet")
    )
    lost = _(" {n} blocks were lost at it.").format(n=m.lost) if m.lost else ""
    return _("Its clock is {ppm}, matched to that of {to}: {ways}, {kept}.").format(
        ppm=ppm, to=to, ways=_(" and ").join(w for w in ways if w), kept=kept
    ) + lost  # fmt: skip


def plain_matching_text(m: Matching | None) -> str:
    """Of a program that speaks plain RTP."""
    text = _("A program that speaks plain RTP. When its sound was made is not known.")
    if m is None or not m.in_s:
        return text
    return _("{text} It is used {ms} after it came.").format(text=text, ms=ms_text(m.in_s))


def peer_matching_text(m: Matching | None) -> str:
    """Of another computer: how much later its sound is used here, and ours there."""
    if m is None:
        return _("Another computer. Ctrl+T shows how it stands with it.")
    ways = [(m.in_s, _("{ms} from there")), (m.out_s, _("{ms} to there"))]
    said = _(" and ").join(text.format(ms=ms_text(s)) for s, text in ways if s)
    lost = _(" {n} blocks were lost on the way.").format(n=m.lost) if m.lost and in_numbers() else ""
    return (_("Another computer, in step by the network: {ways}.").format(ways=said) if said else "") + lost


def way_text(setup: Setup, quantity: str, ids: tuple[str, ...]) -> str:
    """What is measured of which equipment: “round trip, Headphone box to Table interface”."""
    if quantity == OUTSIDE_STEP.code:
        ids = tuple(dict.fromkeys(ids[:2]))
    return f"{QUANTITY_NAMES[quantity]}, {_(' to ').join(device_name(setup, id) for id in ids)}"
