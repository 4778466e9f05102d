"""What is said of another computer."""

from typing import Protocol

from ..core.knowledge.evidence import Matching
from ..core.timing.verdicts import IN_STEP_S
from .timing import ms_text
from .translation import _

AGREEING = {
    "code": _("{name} has another code. Nothing is open."),
    "tries": _("The code was wrong three times. Wait a minute, then ask {name} once more."),
    "late": _("Nobody typed the code in time. Ask {name} once more."),
    "busy": _("{name} is agreeing with another computer now. Ask once more in a minute."),
    "gone": _("{name} does not answer. Look whether “Two computers” is still open there."),
    "version": _("{name} has another version of Brucke, which does not understand this one. Bring both up to date."),
    "closed": _("{name} has let go. Nothing is open."),
}
ASKING = {
    "no": _("{name} does not want to open now."),
    "unknown": _("{name} no longer knows this computer. Agree on a code once more."),
    "gone": _("{name} does not answer. Look whether “Two computers” is still open there."),
    "late": _("Nobody at {name} has answered. Ask once more."),
    "version": AGREEING["version"],
    "busy": _("{name} has been asked already."),
    "closed": _("{name} has let go. Nothing is open."),
    "itself": _("{name} is this computer itself. Type what the other one shows."),
}


def agreeing_ended_text(why: str, name: str) -> tuple[str, str]:
    """(sentence, tone) of how getting to know each other has ended."""
    if not why:
        return _("{name} and this computer know each other now.").format(name=name), "water"
    return AGREEING[why].format(name=name), "coral"


def asking_ended_text(why: str, name: str) -> tuple[str, str]:
    return ASKING[why].format(name=name), "coral"


def opened_text(name: str) -> str:
    return _("Open to {name}. Choose what {name} may take; take what it offers.").format(name=name)


def closed_there_text(name: str) -> str:
    return _("{name} has closed. What came from it is silent; what went to it goes nowhere.").format(name=name)


def trouble_text(why: str) -> str:
    if why.startswith("packages:"):
        names = ", ".join(why.removeprefix("packages:").split())
        needed = _("Sound between computers needs these packages of the distribution: {names}. Everything else works.")
        return needed.format(names=names)
    return _("Other computers cannot be looked for: {why}.").format(why=why)


ABOUT = _(
    "Another computer with Brucke on the same network becomes a device like any other: parts come from it, listeners "
    "are there. It is found once “Two computers” is open on both. Nothing listened here before, and nothing does once "
    "it is closed. What goes between the two is encrypted."
)
NOBODY = _("Nobody is found yet. Open “Two computers” on the other computer, too; both have to be on one network.")
PLACE = _("Place of the other computer")
NO_PLACE = _(
    "“{place}” is no place. It is an address and a number, as 192.168.1.20:41234; the other computer shows it."
)
LOOKING = _("{place} is looked at…")


def here_text(places: tuple[str, ...]) -> str:
    """Where this computer is, for networks that keep computers from finding one another; “” before that is known."""
    if not places:
        return ""
    said = _("Some networks keep computers from finding one another. This one is at {places}. Type the other’s:")
    return said.format(places=_(" or ").join(places))


HEAR_FROM, SEND_TO = _("Hear:"), _("Send to:")
MAY_HEAR, MAY_SEND = _("They may hear:"), _("They may send to:")
CONFIRMED_S = 20.0


FIND_ANEW = _("Find it anew")
LONG_S = 0.02


def waits_text(name: str) -> str:
    """Of a set point that has grown, or was found while a computer was busy."""
    return _("That is long. Found anew it may be less; what comes from {name} is silent for five seconds.").format(
        name=name
    )


CALLING = _("{name} is being called…")


def door_text(name: str, is_open: bool, silent: bool) -> tuple[str, str]:
    """(what is so of a listener there, what its button does)."""
    if not is_open:
        return _("{name} is closed: nothing of it is heard there.").format(name=name), _("Let them hear")
    if silent:
        return _("{name} is open; silence is on.").format(name=name), _("Close")
    return _("{name} is open: it is heard there.").format(name=name), _("Close")


PLAIN_ABOUT = _(
    "Off unless you choose it, and not encrypted: whoever listens on this network hears what is sent. Only what comes "
    "from the address in the description is taken. When its sound was made is not known until it is measured."
)


def plain_text(name: str, state: "Stands", takes: bool) -> tuple[str, str]:
    """(sentence, tone) of a program that speaks plain RTP."""
    if state.why:
        return _("{name}: {why}.").format(name=name, why=state.why), "coral"
    if takes and not state.there:
        return _("Nothing comes from {name}.").format(name=name), "coral"
    if takes:
        return _("Sound comes from {name}, unencrypted; its time is not known.").format(name=name), "ink"
    return _("To {name}, unencrypted: whoever listens on this network hears it.").format(name=name), "ink"


class Stands(Protocol):
    """How it stands with another computer."""

    @property
    def there(self) -> bool: ...
    @property
    def why(self) -> str: ...
    @property
    def round_trip_s(self) -> float: ...
    @property
    def plus_minus_s(self) -> float: ...
    @property
    def watched_s(self) -> float: ...


def talking_text(name: str, shows: str, types: int, waits: bool) -> str:
    """What the person here is asked, or waits for."""
    if shows:
        return _("Type these digits at {name}:").format(name=name)
    if types > 2:
        return _("{name} shows four digits. Type them here:").format(name=name)
    if types:
        left = _("one try is left") if types == 1 else _("two tries are left")
        return _("That was another code; {left}. {name} shows four digits:").format(left=left, name=name)
    return _("{name} is asked. Somebody has to answer there.").format(name=name) if waits and name else ""


def asks_text(name: str) -> str:
    return _("{name} asks to open.").format(name=name)


def found_text(name: str, address: str, known: bool, twice: bool) -> str:
    said = _("{name}, known") if known else _("{name}, not known yet")
    return said.format(name=f"{name} ({address})" if twice else name)


def gone_text(name: str) -> str:
    return _("{name} is known, and not found now.").format(name=name)


def offers_text(name: str, any_there: bool) -> str:
    if not any_there:
        return _("{name} offers nothing yet. What it offers is chosen there.").format(name=name)
    return _("{name} offers. Press to take it, once more to leave it:").format(name=name)


def gives_text(name: str, any_there: bool) -> str:
    if not any_there:
        return _("There is nothing here yet that {name} could take. Begin a setup first.").format(name=name)
    return _("What {name} may take. A listener that is taken there stays closed until you open it:").format(name=name)


def peer_text(name: str, state: Stands, matched: Matching | None) -> tuple[str, str]:
    """(sentence, tone) of how it stands with one that is open."""
    if state.why.startswith("packages:"):
        return trouble_text(state.why), "coral"
    if state.why == "version":
        return AGREEING["version"].format(name=name), "coral"
    if state.why:
        return _("{name}: {why}.").format(name=name, why=state.why), "coral"
    if not state.there:
        return _("{name} does not answer. What comes from it is silent; it joins by itself.").format(name=name), "coral"
    text = network_text(name, matched, state.round_trip_s, state.plus_minus_s)
    if state.watched_s < CONFIRMED_S:
        left = max(1, round(CONFIRMED_S - state.watched_s))
        return _("{text} Confirmed in {left} s.").format(text=text, left=left), "mute"
    return text, "mute"


def network_text(name: str, matched: Matching | None, round_trip_s: float, plus_minus_s: float) -> str:
    """“12 ms, of which the network 0.4”, with what cannot be said."""
    ways = []
    if matched is not None and matched.in_s:
        ways.append(_("{ms} from there").format(ms=ms_text(matched.in_s)))
    if matched is not None and matched.out_s:
        ways.append(_("{ms} to there").format(ms=ms_text(matched.out_s)))
    net = ms_text(round_trip_s / 2, 1)
    if not ways:
        return _("{name} answers; the network takes {net}. Nothing is taken yet.").format(name=name, net=net)
    text = _("{ways}, of which the network {net}; ± {pm}.").format(
        ways=_(" and ").join(ways), net=net, pm=ms_text(plus_minus_s)
    )
    if plus_minus_s > IN_STEP_S:
        return _("{text} That is too uncertain to say that anybody is in step.").format(text=text)
    return text
