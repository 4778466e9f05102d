"""The user's plug-ins: found in a folder, each looked at in a process of its own, and kept by name."""

import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import msgspec

from ...core.sound.processors import MAX_PLUG_IN_FRAMES, PlugIn, PlugInParameter
from ...core.storage.small_files import FileProblem, read_own, write_own

FORMAT, VERSION = "brucke plug-ins", 1
LOOK_S = 30.0  # so long one may take to load
MOST_FILES = 500


class Found(msgspec.Struct, frozen=True, kw_only=True):
    """One that can be used: where it stands, and what it costs itself, measured and as it says."""

    name: str
    file: str
    declared_frames: int = 0
    latency_frames: int = 0
    parameters: tuple[PlugInParameter, ...] = ()

    def processor(self) -> PlugIn:
        return PlugIn(name=self.name, latency_frames=self.latency_frames, parameters=self.parameters)


class _Answer(msgspec.Struct):
    found: tuple[Found, ...] = ()
    problem: str = ""


def look(file: Path, rate_hz: int, block: int) -> tuple[tuple[Found, ...], str]:
    """(what is in one file, why nothing is)."""
    command = [sys.executable, "-m", "brucke.ports.plug_ins.scan", str(file), str(rate_hz), str(block)]
    try:
        done = subprocess.run(command, stdin=subprocess.DEVNULL, capture_output=True, timeout=LOOK_S, check=False)
    except subprocess.TimeoutExpired:
        return (), f"it did not answer for {LOOK_S:.0f} s"
    except OSError as e:
        return (), f"nothing could be started to look at it ({(e.strerror or str(e)).lower()})"
    if done.returncode != 0:
        return (), "it crashed"
    try:
        answer = msgspec.json.decode(done.stdout.splitlines()[-1] if done.stdout else b"", type=_Answer)
    except (msgspec.DecodeError, RecursionError):
        return (), "it did not say what it is"
    heavy = next((f for f in answer.found if f.latency_frames > MAX_PLUG_IN_FRAMES), None)
    if heavy is not None:
        return (), f"it costs {heavy.latency_frames} frames, more than {MAX_PLUG_IN_FRAMES}"
    return answer.found, answer.problem


def files_in(folder: Path) -> list[Path]:
    """Every plug-in file or bundle in a folder and below."""
    found = [p for p in folder.rglob("*.vst3") if p.is_file() or (p / "Contents").is_dir()]
    return sorted(p for p in found if not any(q in p.parents for q in found))[:MOST_FILES]


def look_through(
    folder: Path, rate_hz: int, block: int, told: Callable[[int, int], bool]
) -> Iterator[tuple[Path, tuple[Found, ...], str]]:
    """One file after the other: (file, what is in it, why nothing is); stops where `told(done, all)` is False."""
    files = files_in(folder)
    for i, file in enumerate(files):
        if not told(i, len(files)):
            return
        yield (file, *look(file, rate_hz, block))


class Register:
    """What was found on this computer, in one file."""

    def __init__(self, path: Path):
        self.path = path
        try:
            self.found: tuple[Found, ...] = read_own(path, FORMAT, VERSION, "found", tuple[Found, ...])
        except FileProblem:
            self.found = ()

    def add(self, found: tuple[Found, ...]) -> None:
        """In place of those of the same names. Errors: OSError."""
        names = {f.name for f in found}
        both = (*(f for f in self.found if f.name not in names), *found)
        self.found = tuple(sorted(both, key=lambda f: f.name.casefold()))
        self.path.parent.mkdir(parents=True, exist_ok=True)
        write_own(self.path, FORMAT, VERSION, "found", self.found)

    def of(self, name: str) -> Found | None:
        return next((f for f in self.found if f.name == name), None)
