"""Independent of Brucke: PortAudio and SciPy only.

python portaudio_round_trip.py analyse SOUND CAPTURE SPACING — lag of every repeat in a capture, as JSON.
python portaudio_round_trip.py measure SOUND CAPTURE SPACING REPEATS DEVICE BLOCK LATENCY_S — plays the sound through
a full-duplex stream, keeps what came back as CAPTURE, and analyses that.
"""

import json
import sys

import numpy as np
import soundfile as sf
from scipy.signal import correlate


def analyse(sound, capture, spacing):
    lags = []
    for start in range(0, len(capture) - spacing + 1, spacing):
        piece = capture[start : start + len(sound) + 24000]
        c = np.abs(correlate(piece, sound, "valid" if len(piece) >= len(sound) else "full"))
        lags.append(int(np.argmax(c)))
    return lags


def measure(sound, spacing, repeats, device, block, latency_s):
    import sounddevice as sd

    playing = np.zeros(repeats * spacing + 24000, np.float32)
    for i in range(repeats):
        playing[i * spacing : i * spacing + len(sound)] = sound
    back = np.zeros_like(playing)
    at = 0

    def period(indata, outdata, frames, _time, _status):
        nonlocal at
        n = min(frames, len(playing) - at)
        outdata[:] = 0
        outdata[:n] = playing[at : at + n, None]
        back[at : at + n] = indata[:n, 0]
        at += n
        if n < frames:
            raise sd.CallbackStop

    index = next(d["index"] for d in sd.query_devices() if d["name"] == device)
    with sd.Stream(48000, block, (index, index), (1, 2), "float32", latency_s, callback=period) as stream:
        while stream.active:
            sd.sleep(50)
    return back


if __name__ == "__main__":
    what, sound_file, capture_file, spacing = *sys.argv[1:4], int(sys.argv[4])
    sound = sf.read(sound_file, dtype="float32")[0]
    if what == "measure":
        repeats, device, block, latency_s = int(sys.argv[5]), sys.argv[6], int(sys.argv[7]), float(sys.argv[8])
        sf.write(
            capture_file,
            measure(sound, spacing, repeats, device, block, latency_s),
            48000,
            format="WAV",
            subtype="FLOAT",
        )
    print(json.dumps(analyse(sound, sf.read(capture_file, dtype="float32")[0], spacing)))
