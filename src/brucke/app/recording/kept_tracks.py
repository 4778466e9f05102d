"""What of a session is kept while it is recorded: every part dry and behind its chain, every listener; as rows of the
engine's rings, and as a take."""

from collections.abc import Collection

from ...core.document.setup import Setup
from ...core.routing.recording import listeners_kept, parts_kept, processed_kept
from ...core.sound.chain_parameters import latency_frames
from ...core.timing.make_evidence import now
from ...engine.processes.link import EngineLink
from ...takes.take import Take
from ..session.session import Session
from .consent import may_be_recorded


def rows_kept(link: EngineLink, setup: Setup, agreed: Collection[str]) -> dict[str, list[int]]:
    """Rows by track of what is to be kept now; `agreed` are the far ends who may be recorded."""
    parts, chained = set(parts_kept(setup, agreed)), set(processed_kept(setup, agreed))
    listeners = set(listeners_kept(setup, agreed))
    return link.track_rows(
        [(p.id, i, len(p.channels)) for i, p in enumerate(setup.parts) if p.id in parts],
        [(x.id, i, x.channels) for i, x in enumerate(setup.listeners) if x.id in listeners],
        [(p.id, i) for i, p in enumerate(setup.parts) if p.id in chained],
    )


def take_of(session: Session, setup: Setup) -> Take:
    """What a recording of `setup` holds, as the session stands now."""
    agreed = may_be_recorded(session)
    return Take(
        date=now(), setup=setup, knowledge=session.knowledge, moment=session.live.moment,
        parts={p: f"parts/{p}.wav" for p in parts_kept(setup, agreed)},
        processed={p: f"processed/{p}.wav" for p in processed_kept(setup, agreed)},
        listeners={x: f"listeners/{x}.wav" for x in listeners_kept(setup, agreed)},
    )  # fmt: skip


def moved_chains(before: Setup, after: Setup) -> set[str]:
    """Names of the parts whose chain costs another time now: their processed track lies elsewhere from here on."""
    cost, costs = (
        {p.id: latency_frames(p.chain, setup.block_frames) for p in setup.parts if p.chain} for setup in (before, after)
    )
    return {p.name for p in after.parts if p.id in cost and p.id in costs and cost[p.id] != costs[p.id]}
