"""A setup with its profiles and tracks as one file: a plain zip with `setup.brucke.json` and the sounds beside it."""

import lzma
import shutil
import struct
import tempfile
import zipfile
import zlib
from collections.abc import Iterable, Sequence
from datetime import datetime
from pathlib import Path

from msgspec.structs import replace

from ..document.ranges import printable
from ..document.setup import Setup
from ..edits.naming import free_id
from ..files.safe_read import ReadProblem, regular_file
from ..knowledge.evidence import Knowledge
from ..knowledge.quantities import ELSEWHERE, spoiled_keys
from .setup_file import MAX_BYTES, SUFFIX, SetupError, decode, encode
from .setup_problems import leads_outside

BUNDLE_SUFFIX = ".brucke.zip"
SETUP_NAME = f"setup{SUFFIX}"
MOST_FILES = 500
MOST_BYTES = 16 * 2**30
MOST_RATIO = 200  # silence packs well; nothing that is heard packs so well
SMALL = 4096


def sound_files(setup: Setup) -> list[str]:
    """Names of every file the setup needs beside it."""
    names = [p.beat_source for p in setup.parts] + [t.file for p in setup.parts for t in p.tracks]
    return list(dict.fromkeys(n for n in names if n))


def find_file(name: str, folders: Sequence[Path]) -> Path:
    """Where a file of a setup stands; in the first folder where it is nowhere."""
    return next((f / name for f in folders if (f / name).exists()), folders[0] / name)


# What the archive library says of a file that is damaged, locked or packed in a way it does not know.
DAMAGED = (
    zipfile.BadZipFile, zlib.error, lzma.LZMAError, struct.error, RuntimeError, EOFError, ValueError, ArithmeticError,
    MemoryError, LookupError,
)  # fmt: skip


def export_bundle(path: Path, setup: Setup, knowledge: Knowledge, files: Iterable[tuple[str, Path]]) -> None:
    """Write everything into one file; `files` are (name in the setup, where it stands). Who agreed to be recorded is
    nobody else's business. Errors: OSError."""
    partly = path.with_name(f".{path.name}.part")
    try:
        with zipfile.ZipFile(partly, "w", zipfile.ZIP_STORED) as z:
            z.writestr(SETUP_NAME, encode(setup, replace(knowledge, agreed=())))
            for name, source in files:
                z.write(source, name)
        partly.replace(path)
    except BaseException:
        partly.unlink(missing_ok=True)
        raise


def import_bundle(path: Path, home: Path) -> Path:
    """Unpack the setup and the sounds it names into a new folder of `home`; the setup's path. What was measured
    elsewhere is unconfirmed.

    Errors: SetupError, and nothing is left behind."""
    partly: Path | None = None
    try:
        regular_file(path)
        with zipfile.ZipFile(path) as z:
            setup, names = _checked(path, z)
            home.mkdir(parents=True, exist_ok=True)
            partly = Path(tempfile.mkdtemp(dir=home, prefix=".importing-"))
            for name in names:
                _unpack(z, name, partly / name)
        (partly / f"{free_id(setup.name, ())}{SUFFIX}").write_bytes(_doubted((partly / SETUP_NAME).read_bytes()))
        (partly / SETUP_NAME).unlink()
        folder = home / free_id(path.name.removesuffix(BUNDLE_SUFFIX), {p.name for p in home.iterdir()})
        partly.chmod(0o755)
        partly.rename(folder)
        partly = None
    except ReadProblem as e:
        raise SetupError(f"{path.name}: {e}") from None
    except SetupError:
        raise
    except OSError as e:
        raise SetupError(f"{path.name}: the file: {(e.strerror or str(e)).lower()}") from None
    except DAMAGED as e:
        raise SetupError(f"{path.name}: the file: not an exported setup, or damaged ({printable(str(e))})") from None
    finally:
        if partly is not None:
            shutil.rmtree(partly, ignore_errors=True)
    return folder / f"{free_id(setup.name, ())}{SUFFIX}"


def _doubted(data: bytes) -> bytes:
    setup, knowledge = decode(data)
    today = datetime.now().astimezone().isoformat(timespec="milliseconds")
    return encode(setup, replace(knowledge, agreed=()).doubted(spoiled_keys(setup, ELSEWHERE), today, ELSEWHERE))


def _unpack(z: zipfile.ZipFile, name: str, target: Path) -> None:
    """One member, never more of it than it says. Errors: SetupError, and zipfile's."""
    target.parent.mkdir(parents=True, exist_ok=True)
    left = z.getinfo(name).file_size
    with z.open(name) as data, target.open("wb") as out:
        while piece := data.read(min(2**20, left + 1)):
            left -= len(piece)
            if left < 0:
                raise SetupError(f"{Path(z.filename or '').name}: {printable(name)}: longer than it says")
            out.write(piece)


def _checked(path: Path, z: zipfile.ZipFile) -> tuple[Setup, list[str]]:
    """The setup and the members it needs, after everything about them was looked at and before anything is written."""
    members = {m.filename: m for m in z.infolist() if not m.is_dir()}
    if SETUP_NAME not in members:
        raise SetupError(f"{path.name}: the file: holds no {SETUP_NAME}, so it is not an exported setup")
    if len(members) > MOST_FILES or sum(m.file_size for m in members.values()) > MOST_BYTES:
        raise SetupError(f"{path.name}: the file: more than {MOST_FILES} files or {MOST_BYTES >> 30} GiB")
    for m in members.values():
        if leads_outside(m.filename):
            raise SetupError(f"{path.name}: {printable(m.filename)}: leads out of its folder")
        if m.file_size > MOST_RATIO * max(m.compress_size, SMALL):
            raise SetupError(
                f"{path.name}: {printable(m.filename)}: packed {MOST_RATIO} times and more, so it is no sound"
            )
    if members[SETUP_NAME].file_size > MAX_BYTES:
        size = members[SETUP_NAME].file_size
        raise SetupError(f"{path.name}: {SETUP_NAME}: {size} bytes, a setup has at most {MAX_BYTES}")
    with z.open(SETUP_NAME) as data:
        setup, _ = decode(data.read(MAX_BYTES + 1), path.name)
    missing = next((f for f in sound_files(setup) if f not in members), None)
    if missing is not None:
        raise SetupError(f"{path.name}: sounds: no “{printable(missing)}” in it")
    return setup, [SETUP_NAME, *(f for f in sound_files(setup) if f != SETUP_NAME)]
