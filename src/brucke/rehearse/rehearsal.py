"""The whole main job on the stand-ins: record out of step, measure, align, record again, measure what is left."""

from collections.abc import Callable, Mapping
from pathlib import Path

import msgspec
from msgspec.structs import replace
from msgspec.structs import replace as replace_truth

from ..core.aligning.align import align, timing
from ..core.document.setup import Setup
from ..core.errors import BruckeError
from ..core.knowledge.evidence import Facts, Knowledge
from ..core.knowledge.quantities import ROUND_TRIP
from ..core.measure.round_trip import Refusal, RoundTrip, round_trip
from ..core.timing.arrivals import Timing
from ..core.timing.make_evidence import measurement, now, picture_measurements
from ..core.timing.paths import Situation
from ..ports.sounds.files import F32, mono
from ..standins.truth import Truth, invent, reports
from ..takes.proof import prove_take
from ..takes.take import Take, far_ends_in, save_take
from .offline import Offline

Progress = Callable[[float, str], None]
SEARCH_S = 0.4


class RehearsalError(BruckeError, RuntimeError):
    """Why the rehearsal could not be held, in one sentence; `refusal` when measuring was refused."""

    code = "rehearsal"

    def __init__(self, sentence: str, refusal: Refusal | None = None):
        super().__init__(sentence)
        self.refusal = refusal


class Rehearsal(msgspec.Struct, frozen=True):
    """`timing` is what the model says after aligning; the takes hold what was measured."""

    before: Take
    after: Take
    round_trip: RoundTrip
    setup: Setup
    knowledge: Knowledge
    timing: Timing
    truth: Truth


def record_take(session: Offline, folder: Path, seconds: float, knowledge: Knowledge) -> Take:
    """One take from the beginning of the track, with what the far ends give back. Mid-run, nothing restarts."""
    setup = session.setup
    session.world.seek(0)
    session.world.play()
    session.record(folder)
    session.run(seconds)
    session.world.pause()
    session.stop_recording()
    take = Take(
        date=now(), setup=setup, knowledge=knowledge, moment=session.live.moment,
        parts={p.id: f"parts/{p.id}.wav" for p in setup.parts if p.channels},
        listeners={x.id: f"listeners/{x.id}.wav" for x in setup.listeners}, far_ends=far_ends_in(folder, setup),
        track=session.track,
    )  # fmt: skip
    save_take(folder, take)
    return take


class People(msgspec.Struct, frozen=True):
    """Who plays: `seed` makes them, `exact` ones have no human scatter, `late_s` are parts that arrive later than
    anything says, in seconds."""

    seed: int = 1
    exact: bool = False
    late_s: Mapping[str, float] = {}


def rehearse(
    setup: Setup, knowledge: Knowledge, sounds: dict[str, F32], out: Path, seconds: float, people: People,
    progress: Progress,
) -> Rehearsal:  # fmt: skip
    """Measure, align, record and prove on the stand-ins, for `seconds` a take, into the folder `out`. Errors:
    RehearsalError where the setup has nothing to measure with, or measuring is refused; PlanError; OSError."""
    way = ROUND_TRIP.way(setup)
    if way is None:
        raise RehearsalError("no interface carries both a monitor and a part, so no round trip can be measured")
    truth = replace_truth(invent(setup, people.seed, people.exact), late_s=dict(people.late_s))
    facts = Facts(reported_s=reports(setup, truth))
    sources = {id: mono(s) for id, s in sounds.items()}
    session = Offline(setup, truth, sounds)

    progress(0.0, "recording before")
    before = record_take(session, out / "before", seconds, knowledge)
    progress(0.3, "measuring what is left before")
    before = prove_take(out / "before", before, sources)

    progress(0.45, "measuring the round trip")
    session.world.cable = "plugged"
    session.run(0.1)
    measured = session.measure(way.listener, way.capture)
    session.world.cable = "unplugged"
    if measured is None:
        raise RehearsalError("measuring was refused", Refusal("on_air"))
    stimulus, recording, spacing = measured
    found = round_trip(stimulus, recording, 4, spacing, setup.rate_hz, SEARCH_S)
    if isinstance(found, Refusal):
        raise RehearsalError("the round trip could not be measured", found)
    knowledge = knowledge.with_measurement(measurement(ROUND_TRIP, setup, way.ids, found, "sweeps"))
    knowledge = picture_measurements(Situation(before.setup, knowledge, facts), before.proof)

    aligned = align(Situation(setup, knowledge, facts))
    session.change(aligned)
    progress(0.5, "recording after")
    after = record_take(session, out / "after", seconds, knowledge)
    progress(0.8, "measuring what is left after")
    after = prove_take(out / "after", after, sources)
    progress(1.0, "")
    return Rehearsal(
        before, replace(after, setup=aligned), found, aligned, knowledge,
        timing(Situation(aligned, knowledge, facts)), truth,
    )  # fmt: skip
