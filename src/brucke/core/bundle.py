"""A setup with its profiles and tracks as one file: a plain zip with `setup.brucke.json` and the sounds beside it."""

import shutil
import zipfile
from collections.abc import Iterable, Sequence
from pathlib import Path

from .evidence import Knowledge
from .naming import free_id
from .setup import Setup
from .setup_file import MAX_BYTES, SUFFIX, SetupError, decode, encode
from .setup_problems import leads_outside

BUNDLE_SUFFIX = ".brucke.zip"
SETUP_NAME = f"setup{SUFFIX}"
MOST_FILES = 500
MOST_BYTES = 16 * 2**30


def sound_files(setup: Setup) -> list[str]:
    """Names of every file the setup needs beside it."""
    names = [p.beat_source for p in setup.parts] + [t.file for p in setup.parts for t in p.tracks]
    return list(dict.fromkeys(n for n in names if n))


def find_file(name: str, folders: Sequence[Path]) -> Path:
    """Where a file of a setup stands; in the first folder where it is nowhere."""
    return next((f / name for f in folders if (f / name).exists()), folders[0] / name)


def export_bundle(path: Path, setup: Setup, knowledge: Knowledge, files: Iterable[tuple[str, Path]]) -> None:
    """Write everything into one file; `files` are (name in the setup, where it stands). Errors: OSError."""
    partly = path.with_name(f".{path.name}.part")
    try:
        with zipfile.ZipFile(partly, "w", zipfile.ZIP_STORED) as z:
            z.writestr(SETUP_NAME, encode(setup, knowledge))
            for name, source in files:
                z.write(source, name)
        partly.replace(path)
    except BaseException:
        partly.unlink(missing_ok=True)
        raise


def import_bundle(path: Path, home: Path) -> Path:
    """Unpack into a new folder of `home`; the setup's path. Errors: SetupError, and nothing is left behind."""
    try:
        with zipfile.ZipFile(path) as z:
            names = _checked(path, z)
            setup, _ = decode(z.read(SETUP_NAME), path.name)
            missing = next((f for f in sound_files(setup) if f not in names), None)
            if missing is not None:
                raise SetupError(f"{path.name}: sounds: no “{missing}” in it")
            home.mkdir(parents=True, exist_ok=True)
            stem = path.name.removesuffix(BUNDLE_SUFFIX)
            folder = home / free_id(stem, {p.name for p in home.iterdir()})
            try:
                for name in names:
                    z.extract(name, folder)
            except BaseException:
                shutil.rmtree(folder, ignore_errors=True)
                raise
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError) as e:
        raise SetupError(f"{path.name}: the file: not an exported setup, or damaged ({e})") from None
    except OSError as e:
        raise SetupError(f"{path.name}: the file: {(e.strerror or str(e)).lower()}") from None
    target = folder / f"{free_id(setup.name, ())}{SUFFIX}"
    (folder / SETUP_NAME).rename(target)
    return target


def _checked(path: Path, z: zipfile.ZipFile) -> list[str]:
    """Names of the members, after everything about them was looked at before anything is written."""
    members = [m for m in z.infolist() if not m.is_dir()]
    if SETUP_NAME not in {m.filename for m in members}:
        raise SetupError(f"{path.name}: the file: holds no {SETUP_NAME}, so it is not an exported setup")
    if len(members) > MOST_FILES or sum(m.file_size for m in members) > MOST_BYTES:
        raise SetupError(f"{path.name}: the file: more than {MOST_FILES} files or {MOST_BYTES >> 30} GiB")
    for m in members:
        if leads_outside(m.filename):
            raise SetupError(f"{path.name}: {m.filename[:80]}: leads out of its folder")
        if m.filename == SETUP_NAME and m.file_size > MAX_BYTES:
            raise SetupError(f"{path.name}: {SETUP_NAME}: {m.file_size} bytes, a setup has at most {MAX_BYTES}")
    return [m.filename for m in members]
