"""./run bench [engine] [deadlines] [startup] [repaint] [grid] [estimate] [refuse] [hostile] [kills] [soak]
[hour] [desktop] [clocks] [login]; without a
name, all but the long ones."""

import importlib
import sys

NAMES = ("engine", "estimate", "startup", "repaint", "grid", "deadlines")
LONG = ("refuse", "hostile", "kills", "soak", "hour", "desktop", "clocks", "login")


def main() -> int:
    asked = [n for n in sys.argv[1:] if not n.replace(".", "").isdigit()] or list(NAMES)
    for name in asked:
        if name not in (*NAMES, *LONG):
            print(f"bench: no bench “{name}”; there are {', '.join((*NAMES, *LONG))}", file=sys.stderr)
            return 2
        print(f"== {name}", flush=True)
        if name == "refuse":
            importlib.import_module("bench.estimate").refuse()
        else:
            importlib.import_module(f"bench.{name}").run()
    return 0


if __name__ == "__main__":
    sys.exit(main())
