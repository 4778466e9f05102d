"""Files from strangers: mutations of our own, thrown at every reader. python -m tests.hostile KIND COUNT SEED → JSON.

Accepted means that everything after it holds: arrivals, plan, soundcheck and every sentence. Whatever else a reader
says has to be its one sentence. In a process of its own, whose memory is counted.
"""

import json
import random
import sys
import tempfile
import time
import zipfile
from pathlib import Path

import msgspec
import numpy as np
import soundfile as sf

from brucke.core.aligning.align import align, timing
from brucke.core.checks.soundcheck import mended, soundcheck
from brucke.core.knowledge.evidence import Facts, Knowledge, Measurement
from brucke.core.knowledge.quantities import ROUND_TRIP
from brucke.core.sound.noise_profile import BINS, NoiseProfile
from brucke.core.storage.bundle import export_bundle, import_bundle
from brucke.core.storage.noise_profile_file import load_profile, save_profile
from brucke.core.storage.presets import OWN, Preset, load_preset, save_preset
from brucke.core.storage.setup_file import SetupError, encode, load
from brucke.core.storage.small_files import FileProblem
from brucke.core.timing.paths import Situation
from brucke.core.timing.take_verdict import ListenerProof, PartLeft, PictureLeft
from brucke.demo.make_setup import nightboat
from brucke.engine.step.live import Live
from brucke.engine.step.plan import PlanError, compile_plan, shape_of
from brucke.ports.sounds.files import SoundFileError, read_sound
from brucke.ports.sounds.track import read_track, track_info
from brucke.takes.judging import judge
from brucke.takes.take import Take, TakeError, load_take, save_take
from brucke.words import explanations
from brucke.words import timing as words
from brucke.words.review import take_text
from brucke.words.soundcheck import count_text, mend_text, what_text, why_text

ALLOWED = (SetupError, FileProblem, SoundFileError, TakeError)
EVIL = [
    None, True, False, 0, -1, 1, 2**31, 2**63, -(2**63), 10**30, 0.0, -0.5, 1e-300, 1e300, 200.0, -200.0, 1e9, "", " ",
    "\0",
    "a" * 300, "../../escape", "/etc/passwd", "..", "a/b", "é\u202e\u0000", "A B", "room", "x" * 65, [], {}, [[]],
    [0] * 300,
    ["harp"], {"a": {}}, [1e308] * 3, "2026-13-45", "nan", "Infinity", {"kind": "gain", "gain_db": 200},
]  # fmt: skip
NUMBERS = [
    b"1e999",
    b"-1e999",
    b"99999999999999999999999",
    b"0.1e-400",
    b"NaN",
    b"null",
    b'"x"',
    b"[[[[",
    b"{",
    b"\xff",
    b"\0",
]


def peak_mb() -> int:
    """The most this process has held; `ru_maxrss` would count what its parent held before the fork."""
    status = Path("/proc/self/status").read_text()
    return int(status.split("VmHWM:")[1].split()[0]) // 1024


def _nodes(raw, path=()):
    yield path
    items = raw.items() if isinstance(raw, dict) else enumerate(raw) if isinstance(raw, list) else ()
    for key, inner in items:
        yield from _nodes(inner, (*path, key))


def _replaced(raw, path, value):
    if not path:
        return value
    if isinstance(raw, dict):
        return {**raw, path[0]: _replaced(raw[path[0]], path[1:], value)}
    return [_replaced(x, path[1:], value) if i == path[0] else x for i, x in enumerate(raw)]


def mutate_json(body: bytes, rng: random.Random) -> bytes:
    """One or two places of the document are something else, or its bytes are."""
    if rng.random() < 0.25:
        return mutate_bytes(body, rng)
    raw = json.loads(body)
    paths = list(_nodes(raw))
    for _ in range(rng.choice((1, 1, 2))):
        path = rng.choice(paths)
        node = raw
        try:
            for key in path:
                node = node[key]
        except (KeyError, IndexError, TypeError):
            continue
        value = rng.choice(EVIL)
        if isinstance(node, list) and node and rng.random() < 0.4:
            value = node * rng.choice((2, 40)) if rng.random() < 0.7 else node[:-1]
        elif isinstance(node, int | float) and not isinstance(node, bool) and rng.random() < 0.5:
            value = node * rng.choice((-1, 10, 1000, 0.001))
        raw = _replaced(raw, path, value)
    if rng.random() < 0.02:
        return b"[" * 200_000 + json.dumps(raw).encode()
    return json.dumps(raw).encode()


def mutate_bytes(body: bytes, rng: random.Random) -> bytes:
    data = bytearray(body)
    for _ in range(rng.choice((1, 2, 5, 20))):
        at = rng.randrange(len(data)) if data else 0
        match rng.randrange(6):
            case 0 if data:
                data[at] ^= 1 << rng.randrange(8)
            case 1:
                del data[at : at + rng.choice((1, 4, 100))]
            case 2:
                data[at:at] = bytes(rng.randrange(256) for _ in range(rng.choice((1, 4, 40))))
            case 3:
                data[at:at] = data[at : at + rng.choice((8, 400))]
            case 4:
                data[at : at + 4] = rng.choice((b"\0\0\0\0", b"\xff\xff\xff\xff", b"\xff\xff\xff\x7f", b"\1\0\0\0"))
            case _:
                data[at:at] = rng.choice(NUMBERS)
    if rng.random() < 0.1:
        del data[rng.randrange(len(data) + 1) :]
    return bytes(data)


def everything_holds(setup, knowledge) -> None:
    """What comes after an accepted setup: nothing of it may raise but the one sentence of a plan."""
    known = Situation(setup, knowledge, Facts(), setup.moments[0].id if setup.moments else "")
    found = timing(known)
    for t in found.listeners:
        words.verdict_text(setup, t.verdict), words.verdict_detail(setup, t, known.facts), words.needs_you(t.verdict)
        for r in t.routes:
            (
                explanations.route_text(setup, r),
                explanations.route_reason(setup, t, r),
                [words.stage_text(setup, s) for s in r.stages],
            )
    words.together_text(setup, found)
    timing(Situation(align(known), knowledge))
    results = soundcheck(known)
    count_text(results)
    for f in (f for r in results for f in r.findings):
        what_text(setup, f), why_text(setup, f), mend_text(known, f), mended(known, f)
    for moment in ("", *(m.id for m in setup.moments)):
        try:
            shape_of(setup), compile_plan(setup, Live(moment=moment))
        except PlanError:
            break


def _example_setup():
    setup = nightboat()
    parts = tuple(
        msgspec.structs.replace(p, chain=OWN["speech"][1:]) if p.id == "voice" else p for p in setup.parts
    )  # fmt: skip
    setup = msgspec.structs.replace(setup, parts=parts)
    table = setup.device("table")
    m = Measurement(
        key=ROUND_TRIP.key(table.id), value_s=0.012, plus_minus_s=1e-5, date="2026-11-24T19:00:00+00:00", method=
        "sweeps",
        repeats=4, agreeing=4, fingerprint=ROUND_TRIP.fingerprint(setup, table.id), proof=(0.1, 1.0, 0.1),
    )  # fmt: skip
    return setup, Knowledge().with_measurement(m)


class Attack:
    """`example` is a good file of one kind; `read` takes one in and does what follows."""

    def __init__(self, folder: Path):
        self.folder = folder
        self.home = folder / "inside"
        self.home.mkdir()

    def run(self, count: int, seed: int) -> dict:
        rng = random.Random(seed)
        good = self.example()
        accepted, slowest, raised = 0, 0.0, []
        for _ in range(count):
            body = self.mutate(good, rng)
            began = time.monotonic()
            try:
                self.read(body)
                accepted += 1
            except ALLOWED as e:
                if "\n" in str(e) or len(str(e)) > 600:
                    raised.append(f"not one sentence: {str(e)[:300]!r}")
            except Exception as e:
                raised.append(f"{type(e).__name__}: {str(e)[:200]}")
            slowest = max(slowest, time.monotonic() - began)
        outside = sorted(p.name for p in self.folder.iterdir() if p.name not in ("inside", "file"))
        left = sorted(p.name for p in self.home.iterdir() if p.name.startswith("."))
        return {
            "accepted": accepted, "slowest_s": round(slowest, 2), "raised": raised[:5], "outside": outside,
            "litter": left,
            "memory_mb": peak_mb(),
        }  # fmt: skip

    def put(self, body: bytes, ending: str) -> Path:
        path = self.folder / "file"
        path.mkdir(exist_ok=True)
        path = path / f"stranger{ending}"
        path.write_bytes(body)
        return path

    mutate = staticmethod(mutate_json)


class Setups(Attack):
    def example(self):
        return encode(*_example_setup())

    def read(self, body):
        everything_holds(*load(self.put(body, ".brucke.json")))


class Presets(Attack):
    def example(self):
        path = self.folder / "file"
        path.mkdir(exist_ok=True)
        save_preset(path / "a.chain.json", Preset(name="Speech", chain=OWN["speech"]))
        return (path / "a.chain.json").read_bytes()

    def read(self, body):
        preset = load_preset(self.put(body, ".chain.json"))
        setup = nightboat()
        parts = tuple(
            msgspec.structs.replace(p, chain=preset.chain) if p.id == "voice" else p for p in setup.parts
        )  # fmt: skip
        everything_holds(msgspec.structs.replace(setup, parts=parts), Knowledge())


class Profiles(Attack):
    def example(self):
        path = self.folder / "file"
        path.mkdir(exist_ok=True)
        power = tuple(float(x) for x in np.linspace(1e-6, 1e-9, BINS))
        save_profile(
            path / "a.json", NoiseProfile(name="room", rate_hz=48000, level_db=-60.0, seconds=10.0, power=power)
        )
        return (path / "a.json").read_bytes()

    def read(self, body):
        setup = nightboat()
        everything_holds(msgspec.structs.replace(setup, profiles=(load_profile(self.put(body, ".json")),)), Knowledge())


class Takes(Attack):
    def example(self):
        setup, knowledge = _example_setup()
        left = PartLeft(
            median_ms=0.3, error_ms=0.2, scatter_ms=4.0, windows=20, looked=22, times_s=(1.0,), values_ms=(0.3,)
        )
        picture = PictureLeft(part="picture", left_ms=2, against_sound_ms=2, plus_minus_ms=4, claps=8, period_ms=33.3)
        take = Take(
            date="2026-11-24T19:42:00+00:00", setup=setup, knowledge=knowledge, parts={"voice": "parts/voice.wav"},
            listeners={"recorder": "listeners/recorder.wav"}, moment=setup.moments[0].id,
            proof={"recorder": ListenerProof(left={"voice": left, "harp": PartLeft()}, lead="harp", picture=picture)},
        )  # fmt: skip
        save_take(self.home / "take", take)
        return (self.home / "take" / "take.json").read_bytes()

    def read(self, body):
        (self.home / "take" / "take.json").write_bytes(body)
        take = load_take(self.home / "take")
        for v in judge(take).values():
            take_text(take.setup, v)
        words.date_text(take.date)


class Bundles(Attack):
    def example(self):
        setup, knowledge = _example_setup()
        sounds = self.folder / "file"
        sounds.mkdir(exist_ok=True)
        files = []
        for name in ("harp.flac", "voice.flac", "cello.flac", "lounge.flac"):
            (sounds / name).write_bytes(b"fLaC" + bytes(range(200)))
            files.append((name, sounds / name))
        export_bundle(sounds / "good.brucke.zip", setup, knowledge, files)
        return (sounds / "good.brucke.zip").read_bytes()

    def mutate(self, good, rng):
        if rng.random() < 0.5:
            return mutate_bytes(good, rng)
        path = self.folder / "file" / "made.zip"
        with zipfile.ZipFile(self.folder / "file" / "good.brucke.zip") as old, zipfile.ZipFile(path, "w",
            zipfile.ZIP_DEFLATED) as z:  # fmt: skip
            for m in old.infolist():
                body = old.read(m)
                if rng.random() < 0.3:
                    body = mutate_json(body, rng) if m.filename.endswith(".json") else mutate_bytes(body, rng)
                name = rng.choice((m.filename, m.filename, m.filename, f"../{m.filename}", f"/{m.filename}",
                    f"a\\{m.filename}", m.filename * 40))  # fmt: skip
                z.writestr(name, body)
            if rng.random() < 0.2:
                z.writestr("bomb.wav", b"\0" * 30_000_000)
        return path.read_bytes()

    def read(self, body):
        setup_file = import_bundle(self.put(body, ".brucke.zip"), self.home)
        assert setup_file.resolve().is_relative_to(self.home.resolve())
        load(setup_file)


class Sounds(Attack):
    mutate = staticmethod(mutate_bytes)
    endings = ((".wav", "WAV"), (".flac", "FLAC"), (".ogg", "OGG"), (".rf64.wav", "RF64"))

    def example(self):
        path = self.folder / "file"
        path.mkdir(exist_ok=True)
        sound = (0.3 * np.sin(np.arange(4800) / 9)).astype(np.float32)
        self.bodies = []
        for ending, kind in self.endings:
            sf.write(path / f"a{ending}", np.stack([sound] * 2, 1), 48000, format=kind)
            self.bodies.append((ending, (path / f"a{ending}").read_bytes()))
        return b""

    def read(self, body):
        rng = random.Random(self.turn)
        ending, good = rng.choice(self.bodies)
        path = self.put(mutate_bytes(good, rng), ending)
        try:
            sound, _ = read_sound(path)
            assert np.isfinite(sound).all()
        except SoundFileError:
            pass
        track_info(path)
        assert np.isfinite(read_track(path, 48000, 10.0)).all()

    def run(self, count, seed):
        self.turn = seed * 1_000_003
        self.mutate = self._next
        return super().run(count, seed)

    def _next(self, good, rng):
        self.turn += 1
        return good


KINDS = {"setup": Setups, "bundle": Bundles, "sound": Sounds, "preset": Presets, "profile": Profiles, "take": Takes}


def main() -> None:
    kind, count, seed = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
    with tempfile.TemporaryDirectory(prefix="hostile-") as folder:
        print(json.dumps(KINDS[kind](Path(folder)).run(count, seed)))


if __name__ == "__main__":
    main()
