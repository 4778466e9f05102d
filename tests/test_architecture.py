"""Promises about the whole: what the window loads at its start, what is shipped, what the launcher prints."""

import ast
import re
import subprocess
import sys
from pathlib import Path

import grimp
import networkx

from brucke.ui.theme import fonts

ROOT = Path(__file__).parents[1]
SOURCE = ROOT / "src" / "brucke"


def test_the_window_starts_without_scipy_numba_and_ffmpeg():
    code = (
        "import sys, brucke.ui.shell.app, brucke.ui.shell.window; print([m for m in ('scipy', 'numba', 'av') if m in "
        "sys.modules])"
    )
    out = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    assert out.stdout.strip() == "[]"


def test_the_typeface_ships_with_its_licence_and_has_tabular_figures(app):
    folder = Path(fonts.__file__).parent / "fonts"
    assert "SIL OPEN FONT LICENSE" in (folder / "OFL.txt").read_text().upper()
    assert len(list(folder.glob("*.ttf"))) == 3
    for role in fonts.ROLES:
        assert fonts.font(role).family() == fonts.FAMILY
        assert len({round(fonts.width(d, role), 2) for d in "0123456789"}) == 1
        assert fonts.ROLES[role][0] >= 13


def test_pictures_of_every_main_view_are_current_in_number_and_linked():
    shots = sorted((ROOT / "docs/screenshots").glob("*.png"))
    assert 5 <= len(shots) < 20
    readme = (ROOT / "README.md").read_text()
    assert all(f"docs/screenshots/{s.name}" in readme for s in shots)


def test_standard_output_of_the_launcher_is_the_commands_own_result(capfd):
    out = subprocess.run([ROOT / "run", "arrivals", "nowhere.json"], capture_output=True, text=True)
    assert out.returncode == 2
    assert out.stdout == ""
    assert out.stderr.splitlines()[-1] == "brucke: nowhere.json: the file: no such file or directory"


def test_no_import_circle_between_files_nor_between_rooms_and_no_widget_in_the_application():
    graph = grimp.build_graph("brucke")
    imports = {(m, t) for m in graph.modules for t in graph.find_modules_directly_imported_by(m)}
    assert circles(imports) == []
    rooms = {m: m if graph.find_children(m) else m.rpartition(".")[0] for m in graph.modules}
    between = {(rooms[a], rooms[b]) for a, b in imports}
    assert (
        circles({(a, b) for a, b in between if not (a + ".").startswith(b + ".") and not (b + ".").startswith(a + ".")})
        == []
    )
    assert [f.name for f in (SOURCE / "app").rglob("*.py") if "QtWidgets" in f.read_text()] == []


def circles(edges):
    parts = networkx.strongly_connected_components(networkx.DiGraph(edges))
    return [sorted(c) for c in parts if len(c) > 1]


def test_every_file_has_one_subject_and_every_function_fits_on_a_page():
    long = []
    for file in SOURCE.rglob("*.py"):
        tree = ast.parse(file.read_text())
        long += [file.name] if len(file.read_text().splitlines()) > 400 else []
        functions = [f for f in ast.walk(tree) if isinstance(f, ast.FunctionDef)]
        long += [f"{file.name} {f.name}" for f in functions if f.end_lineno - f.lineno >= 60]
    assert long == []


def test_functions_outside_kernels_take_at_most_eight_arguments_and_errors_have_one_root():
    many, roots = [], []
    for file in SOURCE.rglob("*.py"):
        for node in ast.walk(ast.parse(file.read_text())):
            if isinstance(node, ast.FunctionDef) and not any("njit" in ast.unparse(d) for d in node.decorator_list):
                named = [a.arg for a in (*node.args.posonlyargs, *node.args.args, *node.args.kwonlyargs)]
                many += [f"{file.name} {node.name}"] if len([a for a in named if a not in ("self", "cls")]) > 8 else []
            if isinstance(node, ast.ClassDef) and not node.name.startswith("_"):
                bases = {ast.unparse(b) for b in node.bases}
                ours = bases & {"Exception", "ValueError", "RuntimeError", "OSError"} and "BruckeError" not in bases
                roots += [node.name] if ours else []
    assert many == []
    assert roots == ["BruckeError"]


def test_public_functions_of_core_that_take_arrays_say_their_shapes():
    """Compiled kernels are named by `kernel_arguments.py`; what returns only a number of any array says so."""
    bare = []
    for file in (SOURCE / "core").rglob("*.py"):
        for place in ast.walk(ast.parse(file.read_text())):
            functions = place.body if isinstance(place, ast.Module | ast.ClassDef) else []
            for f in (f for f in functions if isinstance(f, ast.FunctionDef) and not f.name.startswith("_")):
                types = " ".join(ast.unparse(a.annotation) for a in f.args.args if a.annotation is not None)
                said = ast.get_docstring(f) or ""
                array = re.search(r"\b(F32|F64|I32|I64|U8|NDArray)\b", types) and not f.decorator_list
                if array and not re.search(r"\[[^\]]+\]|any shape", said):
                    bare.append(f"{file.name} {f.name}")
    assert bare == []


def test_every_file_that_a_text_names_is_there():
    """“`ui/app.py`” in a docstring or a page is a file of that name; a move must not leave readers behind."""
    there = [str(f.relative_to(ROOT)) for top in ("src", "tests", "bench") for f in (ROOT / top).rglob("*.py")]
    texts = [*SOURCE.rglob("*.py"), *(ROOT / "docs").glob("*.md"), ROOT / "README.md"]
    named = {(t.name, n) for t in texts for n in re.findall(r"`([a-z_/]+\.py)`", t.read_text())}
    assert len(named) > 20
    assert {(t, n) for t, n in named if not any(f.endswith(f"/{n}") for f in there)} == set()
