"""An hour on air, recorded by hand from the middle of a song: the song in the far end's file has no gap and no jump.
python -m bench hour [MINUTES]"""

import os
import sys
import tempfile

import numpy as np

MINUTES = 60.0
STEP_S = 10  # of every ten seconds one is looked at
WITHIN_S = 0.25  # how late the far end may hear it


def run() -> None:
    import soundfile as sf
    from tests.lateness import song_lateness

    from brucke.core.measure.expected_source import played
    from brucke.demo import FOLDER
    from brucke.demo.make_setup import nightboat
    from brucke.ports.sounds.beat_sounds import beat_sounds
    from brucke.ports.sounds.files import mono
    from brucke.takes.sounds import take_sound

    from .kills import _homes, _Live

    minutes = float(sys.argv[2]) if len(sys.argv) > 2 else MINUTES
    with tempfile.TemporaryDirectory() as folder:
        os.environ.update(_homes(folder))
        live = _Live(record=False)
        w = live.w
        live.live(5.0)
        w.do("on_air")
        began = w.running.track[0]
        live.record()
        live.live(minutes * 60)
        still = w.taking.state == "recording" and w.session.live.on_air
        dropouts = w.running.dropouts
        live.end()
        take_folder, take = w.taking.takes[-1]
        lengths = {take_sound(take_folder, n)[0].shape[1] for n in (*take.parts.values(), *take.listeners.values())}
        sound, rate = sf.read(take_folder / take.far_ends["lounge_call"], dtype="float32")
        harp = mono(beat_sounds(nightboat(), [FOLDER])["harp"])
        song = played(harp, take.track, len(sound), len(harp))
        heard = np.ascontiguousarray(sound.mean(axis=1))
        late = np.array(list(song_lateness(song, heard, rate, STEP_S, WITHIN_S).values()))
        elsewhere = int(np.sum(np.abs(late - np.median(late)) > 1.0))
        print(
            f"{minutes:g} minutes on air from {began:.1f} s of the song: recording until ended by hand {still}, "
            f"tracks of "
            f"one length {len(lengths) == 1} ({max(lengths) / rate:.1f} s), far end's file {len(sound) / rate:.1f} s; "
            f"song looked "
            f"for {len(late)} times, latest less earliest {max(late) - min(late):.2f} frames, {elsewhere} more than a "
            f"frame "
            f"from the middle one, first {late[0]:.2f}, last {late[-1]:.2f}; {dropouts} dropouts, missing "
            f"{list(take.missing) or 'nothing'}"
        )
        live.w.close()
