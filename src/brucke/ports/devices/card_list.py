"""Sound cards of this computer by name. PortAudio sees new ones only when it starts anew, so a process of its own
looks.

python -m brucke.ports.devices.card_list — prints the list as JSON. python -m brucke.ports.devices.card_list NAME INPUTS
OUTPUTS RATE — checks whether a card can be opened so; the reason if not.
"""

import json
import re
import subprocess
import sys
from collections.abc import Collection, Sequence

from .kind import DeviceError, Found

LOOK_S = 10.0


def _ask(*arguments: str) -> str:
    try:
        done = subprocess.run(
            [sys.executable, "-m", "brucke.ports.devices.card_list", *arguments],
            capture_output=True, timeout=LOOK_S, text=True, check=False,
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        raise DeviceError(f"sound cards: the system did not answer within {LOOK_S:.0f} s") from None
    if done.returncode != 0:
        last = (done.stderr.strip().splitlines() or ["no reason given"])[-1]
        raise DeviceError(f"sound cards: cannot be listed ({last})")
    return done.stdout


def parse_cards(text: str) -> list[Found]:
    """Cards from the helper's answer; what has no channels, an absurd rate or no name is left out."""
    cards = []
    try:
        listed = [Found(**item) for item in json.loads(text)]
    except (ValueError, TypeError, RecursionError) as e:
        raise DeviceError("sound cards: cannot be listed (the answer was none)") from e
    for card in listed:
        inputs, outputs, rate_hz = card.inputs or 0, card.outputs or 0, card.rate_hz or 0.0
        if card.name.strip() and min(inputs, outputs) >= 0 < inputs + outputs and 1000 <= rate_hz <= 1e6:
            cards.append(card)
    return cards


# Where a driver counts cards in the order of their plugging, the count stands at the end of the name.
COUNT = re.compile(r"\s*\((plug)?hw:\d+(,\d+)*\)$")


def find_name(name: str, there: Sequence[str], taken: Collection[str] = ()) -> str | None:
    """What a card that was chosen as `name` is called now: the same, or the same but for the count that depends on the
    order of plugging, where only one is called so and it is not `taken` by its own name. None where it is not there."""
    alike = [n for n in there if COUNT.sub("", n) == COUNT.sub("", name) and (n == name or n not in taken)]
    return name if name in alike else alike[0] if len(alike) == 1 else None


def list_cards() -> list[Found]:
    """Every card there is now, for one direction or both. Errors: DeviceError."""
    return parse_cards(_ask())


def check_card(name: str, inputs: int, outputs: int, rate_hz: int) -> None:
    """Errors: DeviceError with the reason why this card cannot be opened with so many channels at this rate."""
    problem = _ask(name, str(inputs), str(outputs), str(rate_hz)).strip()
    if problem:
        raise DeviceError(problem)


def _main() -> None:
    import sounddevice as sd

    if len(sys.argv) == 1:
        cards = [
            {
                "name": str(d["name"]), "inputs": int(d["max_input_channels"]),
                "outputs": int(d["max_output_channels"]),
                "rate_hz": float(d["default_samplerate"]), "in_s": float(d["default_low_input_latency"]),
                "out_s": float(d["default_low_output_latency"]),
            }
            for d in sd.query_devices()
        ]  # fmt: skip
        print(json.dumps(cards))
        return
    name, inputs, outputs, rate = sys.argv[1], int(sys.argv[2]), int(sys.argv[3]), int(sys.argv[4])
    found = find_name(name, [str(d["name"]) for d in sd.query_devices()])
    device = next((d for d in sd.query_devices() if d["name"] == found), None)
    if device is None:
        there = ", ".join(f"“{d['name']}”" for d in sd.query_devices()) or "none"
        print(f"{name}: the sound card: not there; there are {there}")
    elif inputs > device["max_input_channels"] or outputs > device["max_output_channels"]:
        has = f"{device['max_input_channels']} in and {device['max_output_channels']} out"
        print(f"{name}: channels: {inputs} in and {outputs} out are wanted, it has {has}")
    else:
        try:
            if inputs:
                sd.check_input_settings(device["index"], inputs, "float32", samplerate=rate)
            if outputs:
                sd.check_output_settings(device["index"], outputs, "float32", samplerate=rate)
        except sd.PortAudioError as e:
            print(f"{name}: {rate} Hz: {str(e).splitlines()[0].lower()}; choose another rate")


if __name__ == "__main__":
    _main()
