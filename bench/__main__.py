"""./run bench [engine] [deadlines] [startup] [repaint] [grid] [estimate] [refuse] [hostile]; without a name, all but the long ones."""

import sys

from . import deadlines, engine, estimate, grid, hostile, repaint, startup

BENCHES = {
    "engine": engine.run,
    "estimate": estimate.run,
    "startup": startup.run,
    "repaint": repaint.run,
    "grid": grid.run,
    "deadlines": deadlines.run,
    "refuse": estimate.refuse,
    "hostile": hostile.run,
}


LONG = ("refuse", "hostile")


def main() -> int:
    names = sys.argv[1:] or [n for n in BENCHES if n not in LONG]
    for name in names:
        if name not in BENCHES:
            print(f"bench: no bench “{name}”; there are {', '.join(BENCHES)}", file=sys.stderr)
            return 2
        print(f"== {name}", flush=True)
        BENCHES[name]()
    return 0


if __name__ == "__main__":
    sys.exit(main())
