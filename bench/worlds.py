"""Two hundred worlds with truths at random: do the stated 95 % intervals cover them, and is everybody in step
afterwards? Takes half an hour."""

import multiprocessing
import tempfile
from pathlib import Path
from typing import Any

import numpy as np
from msgspec.structs import replace

WORLDS, TAKE_S = 200, 14.0
Row = tuple[str, float, float]  # what, how far off the truth, the stated half-width; seconds


def world(seed: int) -> dict[str, Any]:
    """One world: measured, aligned, recorded with people, proved; its intervals, and what is left between the sounds by
    the truth, in frames."""
    from brucke.core.aligning.align import align, timing
    from brucke.core.knowledge.evidence import Facts, Knowledge
    from brucke.core.knowledge.quantities import ROUND_TRIP
    from brucke.core.measure.round_trip import Refusal, RoundTrip, round_trip
    from brucke.core.storage.setup_file import load
    from brucke.core.timing.make_evidence import measurement
    from brucke.core.timing.paths import Situation
    from brucke.demo import FOLDER, SETUP
    from brucke.ports.sounds.beat_sounds import beat_sounds
    from brucke.ports.sounds.files import mono
    from brucke.rehearse.offline import Offline
    from brucke.rehearse.rehearsal import SEARCH_S, record_take
    from brucke.standins.truth import invent, reports
    from brucke.takes.judging import judge
    from brucke.takes.proof import prove_take

    rng = np.random.default_rng(seed)
    setup, _ = load(SETUP)
    truth = invent(setup, seed, exact=False)
    noise = {
        id: replace(t, noise_db=float(rng.uniform(-96, -50))) for id, t in truth.interfaces.items()
    }  # fmt: skip
    truth = replace(truth, interfaces=noise, scatter_s=float(rng.uniform(0.002, 0.012)))
    sounds = beat_sounds(setup, [FOLDER])
    session = Offline(setup, truth, sounds)
    way = ROUND_TRIP.way(setup)
    assert way is not None
    session.world.cable = "plugged"
    session.run(0.1)
    level = float(rng.uniform(-40, -12))
    measured = session.measure(way.listener, way.capture, "sweep" if seed % 2 else "sequence", level)
    session.world.cable = "unplugged"
    assert measured is not None
    found = round_trip(measured[0], measured[1], 4, measured[2], setup.rate_hz, SEARCH_S)
    if isinstance(found, Refusal):
        return {"seed": seed, "refused": found.code, "rows": []}
    assert isinstance(found, RoundTrip)
    trip = truth.round_trip_frames(setup.device(way.ids[0])) / setup.rate_hz
    rows: list[Row] = [("round trip", found.seconds - trip, found.plus_minus_s)]
    facts = Facts(reported_s=reports(setup, truth))
    known = Situation(
        setup, Knowledge().with_measurement(measurement(ROUND_TRIP, setup, way.ids, found, "sweeps")), facts
    )
    perfect = replace(found, seconds=trip, plus_minus_s=1e-9)
    knows = Knowledge().with_measurement(measurement(ROUND_TRIP, setup, way.ids, perfect, "sweeps"))
    aligned = align(known)
    session.change(aligned)

    def late(setup: Any) -> dict[str, dict[str, float]]:
        """By the truth: how much later than the lead each sound arrives."""
        t = timing(Situation(setup, knows, facts))
        return {
            x.listener: {r.part: r.off.value - x.route("harp").off.value for r in x.routes if r.kind == "follower"
            and r.off is not None}  # type: ignore[union-attr]
            for x in t.listeners
            if setup.listener(x.listener).kind != "monitor"
        }  # fmt: skip

    with tempfile.TemporaryDirectory(prefix="brucke-world-") as folder:
        take = record_take(session, Path(folder), TAKE_S, known.knowledge)
        take = prove_take(Path(folder), take, {id: mono(s) for id, s in sounds.items()})
        verdicts = judge(take)
    true = late(aligned)
    for listener, parts in true.items():
        for p in verdicts[listener].parts:
            if p.part in parts and p.windows >= 4 and p.plus_minus_s > 0:
                rows.append(("a take's part", p.left_s - parts[p.part], p.plus_minus_s))
    left = [abs(v) * setup.rate_hz for parts in true.values() for v in parts.values()]
    return {
        "seed": seed,
        "refused": "",
        "rows": rows,
        "left_frames": max(left),
        "codes": [p.code for v in verdicts.values() for p in v.parts],
    }


def run(worlds: int = WORLDS) -> None:
    with multiprocessing.get_context("spawn").Pool(2) as pool:
        results = pool.map(world, range(1, worlds + 1), chunksize=2)
    held = [r for r in results if not r["refused"]]
    refused = [r["refused"] for r in results if r["refused"]]
    rows = [row for r in held for row in r["rows"]]
    print(f"{len(results)} worlds, measuring refused in {len(refused)} ({', '.join(sorted(set(refused)))})")
    for what in (*dict.fromkeys(row[0] for row in rows), "all of them"):
        mine = [r for r in rows if what in (r[0], "all of them")]
        covered = np.mean([abs(off) <= pm for _w, off, pm in mine])
        half = np.median([pm for _w, _off, pm in mine])
        print(
            f"  {what}: {covered:.1%} of {len(mine)} covered, median half-width {half * 1e3:.3f} ms "
            f"({half * 48_000:.2f} frames)"
        )
    left = [r["left_frames"] for r in held]
    print(
        f"  left between sounds after aligning, by the truth: at most {max(left):.2f} frames, median "
        f"{np.median(left):.2f}"
    )
    codes = [c for r in held for c in r["codes"]]
    print("  what is said of parts: " + ", ".join(f"{c} {codes.count(c)}" for c in dict.fromkeys(codes)))
