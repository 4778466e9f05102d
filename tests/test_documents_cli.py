"""The commands around the document: templates, differences, one file with everything, cards."""

import json
import sys

import pytest
from msgspec.structs import replace

from brucke.commands.cli import main
from brucke.core.edits.part_edits import change_part, rename_part
from brucke.core.edits.route_edits import set_gain, set_on
from brucke.core.knowledge.evidence import Knowledge
from brucke.core.storage.setup_file import load, save
from brucke.core.storage.templates import TEMPLATES
from brucke.demo import SETUP
from brucke.ports.devices import card_list


def run(capsys, *argv):
    code = main([str(a) for a in argv])
    said = capsys.readouterr()
    return code, said.out, said.err


@pytest.mark.parametrize("template", [t.code for t in TEMPLATES])
def test_a_new_setup_opens_exports_imports_and_is_the_same(capsys, tmp_path, template):
    made = tmp_path / "a" / "hour.brucke.json"
    made.parent.mkdir()
    code, out, _ = run(capsys, "new", template, made, "--json")
    assert (code, json.loads(out)) == (0, {"file": str(made)})
    code, _, err = run(capsys, "new", template, made)
    assert code == 2
    assert "there is one already" in err
    bundle = tmp_path / "hour.brucke.zip"
    assert run(capsys, "export", made, bundle)[0] == 0
    code, out, _ = run(capsys, "import", bundle, "--into", tmp_path / "b", "--json")
    assert code == 0
    code, out, _ = run(capsys, "diff", made, json.loads(out)["file"])
    assert (code, out) == (0, "no difference\n")


def test_differences_are_sentences_with_before_and_after(capsys, tmp_path):
    setup, _ = load(SETUP)
    after = rename_part(setup, "cello", "Viola")
    after = change_part(after, "voice", trim_db=-4.5)
    after = set_gain(after, "harp", "recorder", -3)
    after = set_on(after, "voice", "lounge_call", False)
    after = replace(
        after, devices=tuple(replace(d, buffer_frames=512) if d.id == "table" else d for d in after.devices)
    )
    other = tmp_path / "other.brucke.json"
    save(other, replace(after, listeners=after.listeners[:-1],
        routes=tuple(r for r in after.routes if r.listener != after.listeners[-1].id)), Knowledge())  # fmt: skip
    code, out, _ = run(capsys, "diff", SETUP, other, "--json")
    assert code == 1
    found = {(d["thing"], d["id"], d["field"]): d["text"] for d in json.loads(out)["differences"]}
    assert {
        ("part", "cello", "name"), ("part", "voice", "trim_db"), ("device", "table", "buffer_frames"),
        ("route", "voice → lounge_call", "on"), ("listener", "recorder", ""),
    } <= found.keys()  # fmt: skip
    assert "Viola" in found["part", "cello", "name"]
    assert "−4.5" in found["part", "voice", "trim_db"]
    assert "512" in found["device", "table", "buffer_frames"]
    code, out, _ = run(capsys, "diff", SETUP, other)
    assert out.splitlines() == list(found.values())
    assert run(capsys, "diff", SETUP, SETUP)[:2] == (0, "no difference\n")


def test_what_cannot_be_exported_or_imported_is_one_sentence(capsys, tmp_path):
    alone = tmp_path / "alone.brucke.json"
    save(alone, load(SETUP)[0], Knowledge())
    code, out, err = run(capsys, "export", alone, tmp_path / "a.brucke.zip")
    assert (code, out) == (2, "")
    assert "alone.brucke.json: sounds: no “harp.flac” beside it" in err
    assert not (tmp_path / "a.brucke.zip").exists()
    (tmp_path / "b.zip").write_text("la la la")
    code, out, err = run(capsys, "import", tmp_path / "b.zip", "--into", tmp_path)
    assert (code, out) == (2, "")
    assert err.count("\n") == 1
    assert run(capsys, "new", "karaoke", tmp_path / "c.json")[0] == 2
    assert run(capsys, "export", SETUP, tmp_path / "no" / "such" / "folder.zip")[0] == 2


def test_cards_are_listed_and_a_system_without_sound_says_so(capsys, monkeypatch):
    one = {"name": "Nullwerk", "inputs": 2, "outputs": 2, "rate_hz": 48000.0, "in_s": 0.004, "out_s": 0.005}
    monkeypatch.setattr(card_list, "_ask", lambda *a: json.dumps([one]))
    code, out, _ = run(capsys, "devices", "--json")
    assert code == 0
    assert json.loads(out)["devices"] == [
        {"name": "Nullwerk", "inputs": 2, "outputs": 2, "rate_hz": 48000.0, "in_ms": 4.0, "out_ms": 5.0}
    ]
    monkeypatch.setattr(card_list, "_ask", lambda *a: "[]")
    assert run(capsys, "devices")[1] == "no sound card\n"
    monkeypatch.undo()
    monkeypatch.setattr(sys, "executable", "/bin/false")
    code, out, err = run(capsys, "devices")
    assert (code, out) == (2, "")
    assert "cannot be listed" in err


def test_a_setup_of_this_computer_says_in_one_sentence_where_no_server_answers(app, tmp_path, capsys, monkeypatch):
    monkeypatch.setenv("XDG_RUNTIME_DIR", str(tmp_path))
    monkeypatch.setenv("PIPEWIRE_RUNTIME_DIR", str(tmp_path))
    file = tmp_path / "here.brucke.json"
    assert main(["new", "sing", str(file), "--here"]) == 0
    cards = {d.kind: d.card for d in load(file)[0].devices}
    assert cards["interface"] == cards["call"] == "desktop"
    assert cards["player"] == ""
    capsys.readouterr()
    assert main(["live", str(file), "--json", "--seconds", "1"]) == 2
    said = capsys.readouterr()
    assert said.out == ""
    assert said.err.startswith("brucke: here.brucke.json: ")
    assert "the desktop's sound server" in said.err
    assert said.err.count("\n") == 1
