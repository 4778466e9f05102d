"""While sounding, on air and recording, parts and listeners come and go: the others go on, the take knows of all."""

from itertools import pairwise

import numpy as np
from PyQt6.QtCore import Qt

from brucke.core.edits import listener_edits, part_edits
from brucke.engine.processes.region import Head
from brucke.ports.sounds.segments import read_segments
from brucke.takes.sounds import take_sound
from brucke.takes.take import load_take

from ..lateness import song_lateness
from .conftest import key, pause, wait


def test_parts_and_listeners_come_and_go_in_one_take_without_a_gap(live, data_home):
    w = live
    wait(lambda: w.running.inputs.peaks.get("harp", 0) > 1e-3, 30)
    started = w.running.link.get(Head.GENERATION)
    world = w.running.link.world.process.pid
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.recording.state == "recording", 5)
    w.running.set_on_air(True)
    pause(1.5)
    plain = w.session.setup
    singer = part_edits.add_part(plain, "microphone", "Singer", "Interface")
    w.session.edit("Singer added", singer, "gather")
    pause(1.5)
    added = singer.parts[-1].id
    w.session.edit("Radio added", listener_edits.add_listener(singer, "stream", "Radio", "Radio"), "gather")
    radio = w.session.setup.listeners[-1].id
    pause(1.5)
    w.session.edit("Singer left", part_edits.remove_part(w.session.setup, added), "gather")
    pause(1.5)
    w.running.set_on_air(False)
    key(w, Qt.Key.Key_R)
    wait(lambda: w.taking.state == "idle", 20)
    assert w.running.link.get(Head.GENERATION) == started
    assert w.running.link.world.process.pid == world
    folder, take = w.taking.takes[-1]
    segments = read_segments(folder)
    assert [b.frame - a.frame - a.frames for a, b in pairwise(segments)] == [0, 0, 0]
    assert added in take.parts
    assert radio in take.listeners
    assert load_take(folder).parts == take.parts
    frames = sum(s.frames for s in segments)
    harp, _ = take_sound(folder, "parts/harp.wav")
    came, _ = take_sound(folder, f"listeners/{radio}.wav")
    gone, _ = take_sound(folder, f"parts/{added}.wav")
    assert harp.shape[1] == frames
    stream, rate = take_sound(folder, "listeners/shore_stream.wav")
    late = song_lateness(harp.mean(axis=0), stream.mean(axis=0), rate)
    assert len(late) > 3
    assert np.ptp(list(late.values())) < 0.5, "the music went on as it was"
    assert came.shape[1] == frames, "silence before it came"
    assert gone.shape[1] == segments[3].frame - segments[0].frame, "until it left"
