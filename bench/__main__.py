"""./run bench [engine] [deadlines] [startup] [repaint] [grid] [estimate] [refuse] [hostile] [kills] [soak]
[hour] [recorded_hour] [handed_hour] [attack] [desktop] [clocks] [login] [films] [claps] [flashes] [paths] [worlds]
[peers]; without a name, all but the long ones."""

import importlib
import shutil
import sys

NAMES = ("engine", "estimate", "startup", "repaint", "grid", "deadlines")
LONG = (
    "refuse",
    "hostile",
    "kills",
    "soak",
    "hour",
    "recorded_hour",
    "handed_hour",
    "attack",
    "desktop",
    "clocks",
    "login",
    "films",
    "claps",
    "flashes",
    "paths",
    "worlds",
    "peers",
)


SERVER = ("pipewire", "wireplumber", "pipewire-pulse", "pactl", "pw-link", "dbus-daemon")
NEEDS = {"desktop": SERVER, "attack": SERVER, "login": (*SERVER, "Xvfb", "/usr/bin/python3")}


def missing(name: str) -> list[str]:
    """Programs of the system that a bench starts and that are not here."""
    return [p for p in NEEDS.get(name, ()) if shutil.which(p) is None]


def main() -> int:
    asked = [n for n in sys.argv[1:] if not n.replace(".", "").isdigit()] or list(NAMES)
    for name in asked:
        if name not in (*NAMES, *LONG):
            print(f"bench: no bench “{name}”; there are {', '.join((*NAMES, *LONG))}", file=sys.stderr)
            return 2
        if wanted := missing(name):
            said = ", ".join(wanted)
            print(
                f"bench: {name} needs {said}, which this computer does not have; ./run test installs them",
                file=sys.stderr,
            )
            return 2
        print(f"== {name}", flush=True)
        if name == "refuse":
            importlib.import_module("bench.estimate").refuse()
        else:
            importlib.import_module(f"bench.{name}").run()
    return 0


if __name__ == "__main__":
    sys.exit(main())
