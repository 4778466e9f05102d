"""An hour of two clocks far apart, simulated: sound in by the one, through the leading one, out by the other.
python -m bench clocks [MINUTES]"""

import sys
import time

import numpy as np

MINUTES = 60.0


def run() -> None:
    from tests.ports.two_clocks import sing_through

    minutes = float(sys.argv[2]) if len(sys.argv) > 2 else MINUTES
    for ppm in ((150.0, -150.0), (-150.0, 150.0)):
        began = time.process_time()
        heard = sing_through(60 * minutes, 48000, 128, 128, ppm, 997)
        off = np.array(heard.delays_s) * 1e3
        print(
            f"{minutes:g} minutes, clocks {ppm[0]:+g} and {ppm[1]:+g} ppm off (found {heard.found_ppm[0]:+.2f} and "
            f"{heard.found_ppm[1]:+.2f}): {heard.lost} blocks lost, {heard.jumps} jumps, sound at its place within "
            f"{np.abs(off).max():.4f} ms (95 % within {np.percentile(np.abs(off), 95):.4f}), residue above 12 kHz "
            f"{heard.residue_db:.0f} dBFS; {time.process_time() - began:.0f} s of computing"
        )
