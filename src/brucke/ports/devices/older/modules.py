"""What we make at a server of the older protocol, and how it is found again: every module's arguments name our
process."""

import contextlib
import os
from typing import Any

from ..kind import MARK, DeviceError
from ..server.names import OURS

NAME = "the desktop's sound server (older protocol)"
RATE_HZ = 48000
NONE = 0xFFFFFFFF


def connected(name: str) -> Any:
    """A connection of the library. Errors: DeviceError where nothing answers."""
    try:
        import pulsectl
    except (ImportError, OSError) as e:
        raise DeviceError(f"{NAME}: its library is not here ({e})") from None
    pulse = pulsectl.Pulse(name, connect=False)
    try:
        pulse.connect(autospawn=False)
    except pulsectl.PulseError:
        pulse.close()
        raise DeviceError(f"{NAME}: nothing answers; it may not run for this user") from None
    return pulse


def plain(said: str) -> str:
    """A name inside a module's arguments, where quotes and backslashes end it."""
    return "".join(" " if c in "\"'\\" or not c.isprintable() else c for c in said).strip()


def sink_arguments(node: str, shown: str, channels: int) -> str:
    return f"sink_name={node} rate={RATE_HZ} channels={channels} format=float32le sink_properties={_told(shown)}"


def source_arguments(node: str, master: str, shown: str) -> str:
    return f"source_name={node} master={master}.monitor source_properties={_told(shown)}"


def _told(shown: str) -> str:
    """As both of the protocol's servers read it."""
    return f"'device.description=\"{plain(shown)}\" {MARK}={os.getpid()}'"


def unload_of(pulse: Any, processes: set[int] | None = None) -> int:
    """The modules of these processes, without a list of all that have ended; but not those of microphones that a
    program has chosen, which stay, silent. How many stay."""
    import pulsectl

    spared, kept = chosen(pulse), 0
    for module in reversed(pulse.module_list()):  # what was built on another one first
        argument = module.argument or ""
        pid = owner(argument)
        if pid and (pid in processes if processes is not None else not _alive(pid)):
            if names_in(argument) & spared:
                kept += 1
                continue
            with contextlib.suppress(pulsectl.PulseOperationFailed):  # it went with another one
                pulse.module_unload(module.index)
    return kept


def chosen(pulse: Any) -> set[str]:
    """Names of our microphones that programs record from, and of the silent outputs behind them."""
    sources = {s.index: s.name for s in pulse.source_list() if s.name.startswith(OURS)}
    found = {
        sources[x.source]
        for x in pulse.source_output_list()
        if x.source in sources and x.client != NONE and MARK not in x.proplist
    }
    return found | {f"{name}.out" for name in found}


def unload_named(pulse: Any, names: set[str]) -> None:
    """The modules that made these, whoever loaded them."""
    import pulsectl

    for module in reversed(pulse.module_list()):
        if owner(module.argument or "") and names_in(module.argument or "") & names:
            with contextlib.suppress(pulsectl.PulseOperationFailed):
                pulse.module_unload(module.index)


def names_in(arguments: str) -> set[str]:
    """What a module of ours is called."""
    return {word.partition("=")[2] for word in arguments.split() if word.startswith(("sink_name=", "source_name="))}


def owner(arguments: str) -> int:
    """The process that made a module of ours, 0 for anybody else's."""
    _, _, rest = arguments.rpartition(f"{MARK}=")  # after a name, which may say anything
    digits = rest[: len(rest) - len(rest.lstrip("0123456789"))]
    return int(digits) if digits and len(digits) < 10 else 0


def _alive(pid: int) -> bool:
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True
