"""Installed for a user, held against the desktop's own tools; and taken out to the last file."""

import json
import shutil
import subprocess
import sys
from pathlib import Path

import pytest

from brucke.demo import SETUP

RUN = Path(__file__).parents[2] / "run"


@pytest.fixture
def user(tmp_path, monkeypatch):
    """Folders of a user who has never seen us, but has something of their own."""
    home = tmp_path / "it's home"
    own = home / ".local/share/applications/own.desktop"
    own.parent.mkdir(parents=True)
    own.write_text("[Desktop Entry]\nType=Application\nName=Own\nExec=true\n")
    monkeypatch.setenv("HOME", str(home))
    for name in ("DATA", "CONFIG"):
        monkeypatch.delenv(f"XDG_{name}_HOME", raising=False)
    return home


def brucke(*arguments):
    return subprocess.run([sys.executable, "-m", "brucke", *map(str, arguments)], capture_output=True, text=True)


def files(home):
    return {p for p in home.rglob("*") if p.is_file()}


def tool(name, *arguments, **given):
    if shutil.which(name) is None:
        pytest.skip(f"{name} is not here")
    return subprocess.run([name, *map(str, arguments)], capture_output=True, text=True, **given)


def test_what_is_installed_is_as_the_desktops_tools_want_it_and_is_taken_out_to_the_last_file(user):
    before = files(user)
    assert brucke("install", "--launcher", RUN).returncode == 0
    data = user / ".local/share"
    assert tool("desktop-file-validate", data / "applications/org.brucke.Brucke.desktop").stdout == ""
    said = tool("appstreamcli", "validate", "--no-net", data / "metainfo/org.brucke.Brucke.metainfo.xml")
    assert said.returncode == 0, said.stdout
    bundle = user / "hour.brucke.zip"
    bundle.write_bytes(b"")
    for file, kind in ((SETUP, "application/x-brucke-setup+json"), (bundle, "application/x-brucke-bundle+zip")):
        assert tool("xdg-mime", "query", "filetype", file).stdout.strip() == kind
        assert tool("xdg-mime", "query", "default", kind).stdout.strip() in ("org.brucke.Brucke.desktop", "")
    bundle.unlink()
    completes = (
        f"source {data}/bash-completion/completions/brucke; COMP_WORDS=(brucke re); COMP_CWORD=1; _brucke; echo "
        f"${{COMPREPLY[@]}}"
    )
    assert subprocess.run(
        ["bash", "-c", completes.replace("source ", 'source "').replace("brucke; COMP_W", 'brucke"; COMP_W', 1)],
        capture_output=True,
        text=True,
    ).stdout.split()[:2] == ["render", "rehearse"]
    for shell, file in (
        ("zsh", data / "zsh/site-functions/_brucke"),
        ("fish", user / ".config/fish/completions/brucke.fish"),
    ):
        if shutil.which(shell):
            assert subprocess.run([shell, "-n", file], check=False).returncode == 0
    again = brucke("install", "--json", "--launcher", RUN)
    assert len(json.loads(again.stdout)["files"]) == 8, "a second time changes nothing"
    assert brucke("uninstall").returncode == 0
    assert files(user) - before <= {data / "applications/mimeinfo.cache"}, "an account of the user's own entry may stay"
    assert brucke("uninstall").returncode == 2


def test_the_command_that_is_installed_starts_the_launcher_whatever_its_folder_is_called(user, tmp_path):
    launcher = tmp_path / "a b's $HOME" / "run"
    launcher.parent.mkdir()
    launcher.write_text('#!/bin/sh\necho "started: $*"\n')
    launcher.chmod(0o755)
    assert brucke("install", "--launcher", launcher).returncode == 0
    said = subprocess.run([user / ".local/bin/brucke", "x y"], capture_output=True, text=True, check=True)
    assert said.stdout == "started: x y\n"


def test_what_is_somebody_elses_is_neither_written_over_nor_taken_out(user):
    theirs = user / ".local/bin/brucke"
    theirs.parent.mkdir(parents=True)
    theirs.write_text("mine")
    refused = brucke("install", "--launcher", RUN)
    assert refused.returncode == 2
    assert (
        refused.stderr == f"brucke: {theirs}: there is one already that is not ours; move it away, then install again\n"
    )
    theirs.unlink()
    assert brucke("install", "--launcher", RUN).returncode == 0
    listed = user / ".local/share/org.brucke.Brucke.installed.json"
    told = json.loads(listed.read_text())
    precious = [user / "brucke-precious", user / ".local/share/precious"]
    for file in precious:
        file.write_text("keep")
    told["files"] += [*map(str, precious), str(user / ".local/share/../../brucke-precious"), 3]
    listed.write_text(json.dumps(told))
    assert brucke("uninstall").returncode == 0
    assert [f.read_text() for f in precious] == ["keep", "keep"]
    shutil.rmtree(user / ".local/share")
    (user / ".local/share").write_text("no folder")
    failed = brucke("install", "--launcher", RUN)
    assert failed.returncode == 2
    assert "cannot be written" in failed.stderr
    assert "Traceback" not in failed.stderr
