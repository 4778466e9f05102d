"""A voice with hum, a fan and far too soft becomes ready to go out: in the real window, live, and then rendered."""

import json

import numpy as np
import pytest
import soundfile as sf
from msgspec.structs import replace
from PyQt6.QtCore import Qt

from brucke.commands.cli import main
from brucke.core.edits.chain_edits import set_chain
from brucke.core.edits.part_edits import change_part
from brucke.core.edits.route_edits import set_on
from brucke.core.storage.setup_file import save
from brucke.demo import FOLDER
from brucke.engine.processes.messages import NoisyRoom, Softer
from brucke.standins.room import Room

from .conftest import key, press, wait

pytestmark = pytest.mark.live

RATE = 48000
HUM_DB, FAN_DB, SOFTER_DB = -55.0, -58.0, 18.0


def rendered(setup, knowledge, voice, folder):
    """(floor dBFS, loudness, true peak) of the stream with the voice alone, by the command line."""
    folder.mkdir()
    save(folder / "s.brucke.json", setup, knowledge)
    sf.write(folder / "voice.wav", voice, RATE, "FLOAT")
    command = [
        "render",
        str(folder / "s.brucke.json"),
        "--out",
        str(folder),
        "--input",
        f"voice={folder / 'voice.wav'}",
    ]
    assert main(command) == 0
    stream, _ = sf.read(folder / "listeners/shore_stream.wav", dtype="float32", always_2d=True)
    tenths = stream[: len(stream) // 4800 * 4800].reshape(-1, 4800 * 2)
    return 20 * np.log10(np.percentile(np.sqrt(np.mean(tenths.astype(np.float64) ** 2, axis=1)), 10)), stream


def loudness(capsys, stream, folder):
    sf.write(folder / "stream.wav", stream, RATE, "FLOAT")
    capsys.readouterr()
    assert main(["loudness", str(folder / "stream.wav"), "--json"]) == 0
    return json.loads(capsys.readouterr().out)


@pytest.fixture
def bare(window):
    """The voice alone goes to the stream, as it comes in."""
    w = window
    setup = set_chain(w.session.setup, "part/voice", ())
    for id in ("harp", "cello", "lounge"):
        setup = set_on(setup, id, "shore_stream", False)
    setup = change_part(setup, "voice", trim_db=0.0)
    w.session.replace(setup, path=w.session.path)
    w.running.start()
    wait(lambda: w.running.state == "running", 60)
    w.running.link.tell_world(NoisyRoom(hum_db=HUM_DB, fan_db=FAN_DB))
    w.running.link.tell_world(Softer(db=SOFTER_DB))
    return w


def test_a_soft_voice_in_a_noisy_room_is_ready_in_ten_actions(bare, tmp_path, capsys):
    w, actions = bare, []

    def act(what, *arguments):
        actions.append(what.__name__)
        what(*arguments)

    before = w.session.setup
    act(key, w, Qt.Key.Key_H, Qt.KeyboardModifier.AltModifier)  # 1: Shape
    act(press, w.shape.parts.buttons["voice"])  # 2
    act(key, w, Qt.Key.Key_Y)  # 3: presets, the first is speech
    menu = w.shape.menu
    act(lambda: (menu.setActiveAction(menu.actions()[0]), menu.actions()[0].trigger(), menu.close()))  # 4
    assert len(w.session.setup.part("voice").chain) == 7
    act(press, w.shape.noise.learn)  # 5: and twelve seconds of silence
    for _ in range(5):  # again, where this machine stood still in the middle
        wait(lambda: not w.shaping.learning.part, 60)
        if not w.shaping.learning.failed:
            break
        press(w.shape.noise.learn)
    assert not w.shaping.learning.failed, w.shaping.learning.message
    act(key, w, Qt.Key.Key_P)  # 6: sing
    wait(lambda: w.running.inputs.peaks.get("voice", 0) > 0.02, 30)
    act(press, w.shape.level.help.button)  # 7: the loudest line
    wait(lambda: not w.shaping.levelling.part, 20)
    assert not w.shaping.levelling.failed, w.shaping.levelling.message
    act(press, w.shape.listeners.buttons["shore_stream"])  # 8
    wait(lambda: w.shape.loudness.bring.isEnabled(), 5)
    act(press, w.shape.loudness.bring)  # 9
    wait(lambda: not w.shaping.targeting.listener, 120)
    assert w.shaping.targeting.tone == "water", w.shaping.targeting.message
    assert len(actions) <= 10

    after = w.session.setup
    voice, _ = sf.read(FOLDER / "voice.flac", dtype="float32")
    noisy = (voice * 10 ** (-SOFTER_DB / 20) + Room(RATE, HUM_DB, FAN_DB, seed=7).sound(len(voice))).astype(np.float32)
    was, raw = rendered(before, w.session.knowledge, noisy, tmp_path / "before")
    now, ready = rendered(after, w.session.knowledge, noisy, tmp_path / "after")
    assert loudness(capsys, raw, tmp_path)["integrated_lufs"] < -35, "it was far too soft"
    assert now <= was - 15
    told = loudness(capsys, ready, tmp_path)
    target = after.listener("shore_stream").target_lufs
    assert told["integrated_lufs"] == pytest.approx(target, abs=1)
    assert told["true_peak_dbtp"] <= -1
    assert replace(after, listeners=before.listeners, parts=before.parts, profiles=before.profiles) == before
    w.do("undo")
    assert w.session.setup.listener("shore_stream").chain == ()
