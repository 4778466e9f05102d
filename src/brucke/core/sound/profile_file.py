"""A noise profile as a file of its own, so that it can be kept and given away."""

from pathlib import Path

import msgspec

from .noise_profile import NoiseProfile, profile_problems

PROFILE_SUFFIX = ".noise.json"
FORMAT, VERSION = "brucke noise profile", 1
MAX_BYTES = 2**20


class ProfileError(ValueError):
    """One sentence: file, place in it, reason."""


class _File(msgspec.Struct, frozen=True, kw_only=True):
    format: str
    version: int
    profile: NoiseProfile


def save_profile(path: Path, profile: NoiseProfile) -> None:
    """Errors: OSError."""
    body = msgspec.json.encode(_File(format=FORMAT, version=VERSION, profile=profile))
    path.write_bytes(msgspec.json.format(body, indent=1))


def load_profile(path: Path) -> NoiseProfile:
    """Errors: ProfileError, also for numbers that no noise has."""
    try:
        body = path.read_bytes()
    except OSError as e:
        raise ProfileError(f"{path.name}: the file: {(e.strerror or str(e)).lower()}") from None
    if len(body) > MAX_BYTES:
        raise ProfileError(f"{path.name}: the file: {len(body)} bytes, a profile has at most {MAX_BYTES}")
    try:
        file = msgspec.json.decode(body, type=_File)
    except (msgspec.DecodeError, UnicodeDecodeError) as e:
        raise ProfileError(f"{path.name}: the file: not a noise profile ({e})") from None
    if file.format != FORMAT or file.version != VERSION:
        raise ProfileError(
            f"{path.name}: format: {file.format!r} version {file.version} is not a noise profile of ours"
        )
    p = file.profile
    for place, reason in profile_problems(p):
        raise ProfileError(f"{path.name}: {place}: {reason}")
    return p
