"""What is known of the way to another computer, as facts that change only when somebody would see it."""

from ...core.knowledge.evidence import Network
from .peer_session import CONFIRMED_S, PeerSession

CHANGED_SHARE = 0.2  # a ± that differs by less is the same to whoever looks


def network_of(peer: PeerSession) -> Network:
    state = peer.state
    return Network(
        plus_minus_s=state.plus_minus_s, round_trip_s=state.round_trip_s,
        confirmed=state.watched_s >= CONFIRMED_S, there=state.there, date=peer.date,
        steps={thing.key: thing.stages for thing in peer.offer.things},
    )  # fmt: skip


def alike(a: Network, b: Network) -> bool:
    near = abs(a.plus_minus_s - b.plus_minus_s) <= CHANGED_SHARE * a.plus_minus_s and b.plus_minus_s <= a.plus_minus_s
    return near and (a.confirmed, a.there, a.steps) == (b.confirmed, b.there, b.steps)
