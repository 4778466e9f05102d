"""A translation can be tried, and what the window says goes through the catalogue."""

import ast
import os
import re
import struct
import subprocess
import sys
from pathlib import Path

SOURCE = Path(__file__).parents[1] / "src" / "brucke"
SAID_BY = {"say", "setText", "setToolTip", "setAccessibleName", "emit", "stand", "offer", "Button", "edit", "ask"}


def catalogue(path: Path, words: dict[str, str]) -> None:
    """A compiled catalogue, as the GNU gettext manual describes the format of MO files."""
    words = {"": "Content-Type: text/plain; charset=UTF-8\n", **words}
    pairs = [(k.encode(), v.encode()) for k, v in sorted(words.items())]
    at, tables, body = 28 + 16 * len(pairs), ([], []), b""
    for side in (0, 1):
        for pair in pairs:
            tables[side].append((len(pair[side]), at + len(body)))
            body += pair[side] + b"\0"
    head = struct.pack("<7I", 0x950412DE, 0, len(pairs), 28, 28 + 8 * len(pairs), 0, 0)
    path.parent.mkdir(parents=True)
    path.write_bytes(head + b"".join(struct.pack("<2I", *x) for table in tables for x in table) + body)


def test_a_translation_is_found_and_said(tmp_path):
    catalogue(
        tmp_path / "xx" / "LC_MESSAGES" / "brucke.mo",
        {"Measure": "Mål", "in step": "i takt", "Saved as {name}.": "{name} er gemt.", "round trip": "rundtur"},
    )
    code = (
        "from brucke.words.timing import QUANTITY_NAMES; from brucke.words.translation import _;"
        "print(_('Measure'), QUANTITY_NAMES['round_trip'], _('Saved as {name}.').format(name='Hour'), _('Undo'))"
    )
    env = {**os.environ, "LANGUAGE": "xx", "BRUCKE_LOCALE": str(tmp_path)}
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True, env=env)
    assert out.stdout.strip() == "Mål rundtur Hour er gemt. Undo"


def test_what_the_window_says_goes_through_the_catalogue():
    """A text of two words or more that is handed to whatever shows it is a call of `_`, or was one before."""
    past = [
        f"{file.relative_to(SOURCE)}:{node.lineno} {ast.unparse(node)}"
        for top in ("ui", "app")
        for file in (SOURCE / top).rglob("*.py")
        for call in ast.walk(ast.parse(file.read_text()))
        if isinstance(call, ast.Call) and ast.unparse(call.func).split(".")[-1] in SAID_BY
        for argument in call.args
        for node in shown(argument)
    ]
    assert past == []


def shown(node):
    """Texts in an expression that are shown as they stand."""
    if isinstance(node, ast.Call):
        return
    if isinstance(node, ast.Constant | ast.JoinedStr):
        parts = [node] if isinstance(node, ast.Constant) else node.values
        text = "".join(str(p.value) if isinstance(p, ast.Constant) else "…" for p in parts)
        if re.search(r"[a-z]{2,} [a-z]{2,}", text) and text not in ("small strong",):
            yield node
        return
    for child in ast.iter_child_nodes(node):
        yield from shown(child)
