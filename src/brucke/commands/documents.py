"""The commands that read setups and say something of them: soundcheck, differences, templates, export."""

import argparse
from pathlib import Path
from typing import Any

from ..core.checks.soundcheck import Result, soundcheck
from ..core.storage.setup_file import load, save
from ..core.timing.paths import Situation
from ..words import soundcheck as say
from .command_line import CommandLine
from .output import CannotDo, emit


def check(args: argparse.Namespace) -> int:
    """The soundcheck: plays the setup on its stand-ins, listens, and checks everything."""
    from ..ports.devices.computer import computer_facts
    from ..rehearse.equipment import facts_of
    from ..rehearse.soundcheck import listen_offline

    setup, knowledge = load(args.setup)
    facts = computer_facts(facts_of(setup))
    if not args.silent:
        facts = listen_offline(setup, facts, [args.setup.parent])
    known = Situation(setup, knowledge, facts)
    results = soundcheck(known)
    good, not_yet = ([r.check for r in results if r.state == state] for state in ("good", "not_yet"))
    result = {
        "good": len(good), "not_yet": not_yet, "checks": len(results),
        "findings": [_finding(known, r, i) for r in results for i in range(len(r.findings))],
    }  # fmt: skip

    def lines() -> list[str]:
        out = []
        for f in result["findings"]:  # type: ignore[attr-defined]
            out.append(f"{'!' if f['needs'] == 'you' else '·'} {f['what']} {f['why']}")
            out.append(f"  → {f['mend']}")
        out += [f"? not yet: {say.CHECK_TITLES[c]}" for c in not_yet]
        return [*out, say.count_text(results)]

    emit(args, result, lines)
    return 1 if any(r.state == "mend" for r in results) else 0


def _finding(known: Situation, r: Result, i: int) -> dict[str, Any]:
    f = r.findings[i]
    return {
        "check": r.check, "code": f.code, "needs": f.needs, "values": f.values, "part": f.part, "listener": f.listener,
        "device": f.device, "what": say.what_text(known.setup, f), "why": say.why_text(known.setup, f),
        "mend": say.mend_text(known, f), "mended_by": say.mended_by(known, f),
    }  # fmt: skip


def diff(args: argparse.Namespace) -> int:
    """What is different between two setups; 1 where something is."""
    from ..core.document.differences import differences
    from ..words.documents import difference_text

    a, b = load(args.a)[0], load(args.b)[0]
    found = differences(a, b)
    result = {
        "differences": [
            {"thing": d.thing, "id": d.id, "field": d.field, "text": difference_text(a, b, d)} for d in found
        ]
    }
    emit(args, result, lambda: [d["text"] for d in result["differences"]] or ["no difference"])
    return 1 if found else 0


def new(args: argparse.Namespace) -> int:
    """A setup from a template, with the sounds it needs beside it."""
    import shutil

    from ..core.edits.route_edits import put_on_this_computer, without_sounds
    from ..core.knowledge.evidence import Knowledge
    from ..core.storage.bundle import sound_files
    from ..core.storage.templates import TEMPLATES
    from ..demo import FOLDER

    template = next(t for t in TEMPLATES if t.code == args.template)
    if args.setup.exists():
        raise CannotDo(f"{args.setup.name}: the file: there is one already; give another name")
    setup = template.make()
    if args.here:
        setup = without_sounds(put_on_this_computer(setup))
    for name in sound_files(setup):
        if not (args.setup.parent / name).exists():
            shutil.copy2(FOLDER / name, args.setup.parent / name)
    save(args.setup, setup, Knowledge())
    emit(args, {"file": str(args.setup)}, lambda: [str(args.setup)])
    return 0


def export(args: argparse.Namespace) -> int:
    """A setup and everything beside it as one file."""
    from ..core.storage.bundle import export_bundle, sound_files

    setup, knowledge = load(args.setup)
    files = [(name, args.setup.parent / name) for name in sound_files(setup)]
    missing = next((name for name, path in files if not path.exists()), None)
    if missing is not None:
        raise CannotDo(f"{args.setup.name}: sounds: no “{missing}” beside it")
    export_bundle(args.bundle, setup, knowledge, files)
    emit(args, {"file": str(args.bundle)}, lambda: [str(args.bundle)])
    return 0


def import_(args: argparse.Namespace) -> int:
    """An exported setup unpacked into a new folder below `--into`."""
    from ..core.storage.bundle import import_bundle

    path = import_bundle(args.bundle, args.into or Path.cwd())
    emit(args, {"file": str(path)}, lambda: [str(path)])
    return 0


def card(args: argparse.Namespace) -> int:
    """A card for the other side: of one call, or of all."""
    from ..words.remote_card import card_sentences, card_text, card_title, other_sides

    setup, _knowledge = load(args.setup)
    sides = [x for x in other_sides(setup) if args.listener in (None, x.id)]
    if not sides:
        which = f"no call “{args.listener}”" if args.listener else "there is no call in it"
        raise CannotDo(f"{args.setup.name}: listeners: {which}, so nobody to write a card for")
    cards = [
        {"listener": x.id, "title": card_title(setup, x), "sentences": list(card_sentences(setup, x))} for x in sides
    ]
    emit(args, {"cards": cards}, lambda: "\n".join(card_text(setup, x) for x in sides).splitlines())
    return 0


def add_commands(to: CommandLine) -> None:
    from ..core.storage.templates import TEMPLATES

    p = to.add("check", check, "the soundcheck; exit 1 when a check fails")
    p.add_argument("setup", type=Path)
    p.add_argument("--silent", action="store_true", help="check only what is written, without listening")
    p = to.add("diff", diff, "what is different between two setups; exit 1 when something is")
    p.add_argument("a", type=Path)
    p.add_argument("b", type=Path)
    p = to.add("card", card, "a few sentences for the person at the other side of a call")
    p.add_argument("setup", type=Path)
    p.add_argument("--listener", metavar="ID")
    p = to.add("new", new, "a setup from a template")
    p.add_argument("template", choices=[t.code for t in TEMPLATES])
    p.add_argument("setup", type=Path)
    p.add_argument(
        "--here", action="store_true", help="for this computer: its microphone, its headphones, its programs"
    )
    p = to.add("export", export, "a setup with its sounds as one file")
    p.add_argument("setup", type=Path)
    p.add_argument("bundle", type=Path)
    p = to.add("import", import_, "unpack an exported setup")
    p.add_argument("bundle", type=Path)
    p.add_argument("--into", type=Path, metavar="DIR")
