"""The user's own plug-ins, with one compiled here that can do everything wrong: it goes, and nothing else does."""

import shutil
import subprocess
from pathlib import Path

import numpy as np
import pytest
from PyQt6.QtWidgets import QFileDialog

from brucke.core.edits.chain_edits import plug_ins, set_chain
from brucke.core.sound.chain_parameters import latency_frames
from brucke.core.sound.processors import Gain, PlugIn
from brucke.ports.plug_ins.known import look
from brucke.words.shape import PLUG_IN_FAULTS

from .conftest import part, pause, pick, press, wait

pytestmark = pytest.mark.live

SOURCE = Path(__file__).parents[1] / "outside/plug_in/standin.cpp"
N = 128
MISCHIEF = {"not_finite": 25, "hangs": 50, "crashed": 75, "late": 100}


@pytest.fixture(scope="session")
def folder(tmp_path_factory):
    """A folder with the plug-in, and with a file that is none."""
    if shutil.which("g++") is None:
        pytest.skip("no C++ compiler here, so no plug-in to host")
    home = tmp_path_factory.mktemp("plug-ins")
    inside = home / "Stand-in.vst3/Contents/x86_64-linux"
    inside.mkdir(parents=True)
    command = ["g++", "-O2", "-std=c++17", "-shared", "-fPIC", "-fvisibility=hidden", str(SOURCE), "-o"]
    subprocess.run([*command, str(inside / "Stand-in.so")], check=True)
    (home / "Torn.vst3").write_bytes(b"\x7fELF torn")
    return home


@pytest.fixture
def hosting(live, folder, monkeypatch):
    """The harp goes through the plug-in, which was found from the menu."""
    w = live
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *a, **k: str(folder))
    w.do("shape")
    w.shape.choose_part("harp")
    pick(w.shape, "Look for plug-ins")
    wait(lambda: w.shaping.plugging.looking < 0, 60)
    assert w.notice.words.text().startswith("1 plug-in found. Not Torn.vst3: ")
    pick(w.shape, "Stand-in")
    assert w.shape.plug_in.isVisible()
    wait(lambda: playing(w), 30)
    return w


def ends(w, seconds=0.5):
    """The harp before and after its chain, of the same moments."""
    link, rate = w.running.link, 48000
    index = [p.id for p in w.session.setup.parts].index("harp")
    frames = int(seconds * rate)
    done, size = int(link.get(11)), link.region.sound("chain_ring").shape[2]
    after = link.region.sound("chain_ring")[index][:, np.arange(done - frames, done) % size]
    before = link.recent(seconds + 0.2)[0][index, :2]
    return before, after


def gain_db(w):
    """How much louder the newest half second is after the chain."""
    before, after = ends(w)
    return 20 * np.log10(max(after.std(), 1e-9) / max(before[:, -after.shape[1] :].std(), 1e-9))


def playing(w):
    return ends(w)[0].std() > 1e-3 and ends(w)[1].std() > 1e-3


def turn(w, key, percent):
    w.shape.plug_in.fields[key].setValue(percent)


def test_a_plug_in_is_looked_at_apart(folder):
    found, problem = look(folder / "Stand-in.vst3", 48000, N)
    assert problem == ""
    assert [(f.name, f.declared_frames, f.latency_frames) for f in found] == [("Stand-in", 0, 0)]
    assert [(x.name, x.value) for x in found[0].parameters] == [("Gain", 0.5), ("Mischief", 0.0)]
    found, problem = look(folder / "Torn.vst3", 48000, N)
    assert found == ()
    assert problem


def test_it_is_heard_a_block_later_and_its_settings_are_the_setups(hosting):
    w = hosting
    wait(lambda: abs(gain_db(w)) < 0.3, 20)
    assert w.shape.costs.cost.text() == "Processing costs 2.7 ms."
    turn(w, "gain_db", 75)
    wait(lambda: gain_db(w) == pytest.approx(12, abs=0.5), 20)
    harp = part(w, "harp").chain[0]
    assert harp.parameters[0].value == 0.75
    w.do("undo")
    wait(lambda: abs(gain_db(w)) < 0.5, 20)
    assert latency_frames(part(w, "harp").chain, N) == N
    lags = []
    for _ in range(3):  # a held note is as like itself a period of it later
        before, after = ends(w)
        line, heard = before[0, -len(after[0]) - 1000 :], after[0]
        lags.append(int(np.argmax(np.correlate(line, heard, "valid"))))
        pause(0.5)
    # `line` reaches 1000 frames further back, up to the newest block or two that came in between the two looks.
    assert any((1000 - N - lag) % N == 0 for lag in lags), lags
    wait(lambda: not w.shape.plug_in.again.isVisible(), 5)


@pytest.mark.parametrize("fault", ["not_finite", "hangs", "crashed"])
def test_whatever_it_does_only_itself_goes(hosting, fault):
    w = hosting
    turn(w, "gain_db", 75)
    wait(lambda: gain_db(w) > 9, 20)
    restarts, bad = w.running.link.restarts, w.running.link.get(9)
    turn(w, "mischief", MISCHIEF[fault])
    wait(lambda: w.shaping.plugging.fault(0) == fault, 20)
    assert PLUG_IN_FAULTS[fault] in w.notice.words.text()
    assert PLUG_IN_FAULTS[fault] in w.shape.plug_in.fault.text()
    assert w.shape.chain.data.bands[0].note == PLUG_IN_FAULTS[fault], "it is marked where it stands"
    pause(0.8)
    assert abs(gain_db(w)) < 0.5, "dry, and everything else goes on"
    assert (w.running.link.restarts, w.running.link.get(9)) == (restarts, bad)
    assert w.running.state == "running"
    turn(w, "mischief", 0)
    press(w.shape.plug_in.again)
    wait(lambda: gain_db(w) > 9, 20)
    assert w.shaping.plugging.fault(0) == ""


def test_one_that_is_later_than_it_was_measured_to_be_is_not_used(hosting):
    w = hosting
    turn(w, "mischief", MISCHIEF["late"])
    pause(0.3)
    w.shaping.plugging.again(0)
    wait(lambda: w.shaping.plugging.fault(0) == "wrong_latency", 20)
    pause(0.8)
    assert abs(gain_db(w)) < 0.5


def test_a_setup_starts_no_plug_in_that_was_not_found_here(hosting):
    """A setup from elsewhere names a plug-in, never a file: nothing is loaded that the user did not look for."""
    w = hosting
    setup = set_chain(w.session.setup, "part/harp", (PlugIn(name="Somebody’s own"), Gain(gain_db=-6)))
    w.session.edit("from elsewhere", setup, "shape")
    wait(lambda: w.shaping.plugging.fault(0) == "not_here", 5)
    assert 0 not in w.running.link.plug_ins
    wait(lambda: gain_db(w) == pytest.approx(-6, abs=0.5), 20)
    twice = set_chain(setup, "part/voice", (PlugIn(name="A"), PlugIn(name="B")))
    assert {k: p.name for k, (_, p) in plug_ins(twice).items()} == {0: "Somebody’s own", 1: "A", 2: "B"}
