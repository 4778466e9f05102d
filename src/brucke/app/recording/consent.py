"""Who at a far end may be recorded: asked once, kept with the setup and with every recording."""

from ...core.document.cleaning import clean_text
from ...core.document.setup import Part
from ...core.knowledge.evidence import Agreed
from ...core.routing.recording import far_ends_wanted
from ...core.timing.make_evidence import now
from ..session.session import Session


def is_somebody(session: Session, part: Part) -> bool:
    """Whether a far end is no stand-in."""
    return part.kind == "far_end" and bool(session.setup.device(part.device).card)


def may_be_recorded(session: Session) -> set[str]:
    """Ids of the far ends who agreed; a stand-in is nobody."""
    far_ends = (p for p in session.setup.parts if p.kind == "far_end")
    return {p.id for p in far_ends if not is_somebody(session, p) or session.knowledge.agreement(p.id) is not None}


def not_asked(session: Session) -> list[Part]:
    """The far ends who would stand in a recording, and of whom nobody has said whether they agree."""
    known = may_be_recorded(session) | {a.part for a in session.knowledge.agreed}
    return [session.setup.part(id) for id in far_ends_wanted(session.setup) if id not in known]


def answer(session: Session, part: str, who: str, yes: bool) -> None:
    """Kept from now on, until another answer."""
    agreed = Agreed(part=part, who=clean_text("who", who), date=now(), yes=yes)
    session.learn(session.knowledge.with_agreement(agreed))
