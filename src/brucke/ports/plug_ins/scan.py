"""Looks at one plug-in in a process that may die of it: python -m brucke.ports.plug_ins.scan FILE RATE BLOCK → JSON."""

import json
import sys

from .hosted import LoadedPlugIn, PlugInError


def main() -> None:
    import pedalboard

    file, rate, block = sys.argv[1], int(sys.argv[2]), int(sys.argv[3])
    found = []
    try:
        names = pedalboard.VST3Plugin.get_plugin_names_for_file(file)
    except (ImportError, ValueError, RuntimeError, OSError) as e:
        print(json.dumps({"problem": str(e).splitlines()[0][:200] if str(e) else "it does not load"}))
        return
    problem = "there is no plug-in in it"
    for name in names:
        try:
            plug_in = LoadedPlugIn(file, name, rate, block)
        except PlugInError as e:
            problem = str(e)
            continue
        settings = [{"key": k, "name": n, "value": v} for k, n, v in plug_in.settings()]
        measured = plug_in.measure_latency()
        latency = plug_in.declared if measured is None else measured
        found.append(
            {"name": name, "file": file, "declared_frames": plug_in.declared, "latency_frames": latency,
             "parameters": settings}
        )  # fmt: skip
    print(json.dumps({"found": found} if found else {"problem": problem}))


if __name__ == "__main__":
    main()
