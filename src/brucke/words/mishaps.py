"""What goes wrong while it goes, in one sentence with what to do."""

from .translation import _

# By code, for whoever switches one off.
NAMES = {
    "muted": _("singing while muted"), "clips": _("an input that clips"), "nobody": _("open, and nobody takes it"),
    "long": _("a forgotten recording"), "paused": _("a program that takes no sound"), "howls": _("a howl"),
    "over": _("talking over music that stays as loud"), "headset": _("a headset that changed its way"),
    "picks_up": _("the song in the microphone"), "disk": _("a disk that fills up"), "battery": _("a low battery"),
    "pictures": _("a camera that falls behind"), "slides": _("two clocks that run apart"),
    "sleep": _("a computer that may go to sleep"),
}  # fmt: skip
MUTED = _("{part} is muted, and something comes in: nobody hears it. F11 lets it sound.")
CLIPS = _("{part} is too loud at its input: it clips. Turn the knob there down.")
NOBODY_TAKES = _("{listener} is open, and no program has chosen it: nobody hears it there.")
LEFT = _("{program} has left {listener}: nobody hears it there any more.")
PAUSED = _("{program} has chosen {listener} and takes no sound from it: look whether it is paused or muted there.")
HOWLS = _(
    "{part} howls at {hz:.0f} Hz. Your own loudspeaker is held down by 20 dB, nobody else; move the microphone away "
    "from it, or wear headphones."
)
OVER = _(
    "You talk, and {listener} hears {song} as loud as before. Pause it, call up a moment without it, or let it go down "
    "under {part} in Share."
)
HEADSET_CALL = _(
    "{device} changed its way by radio, from music to calls ({before} to {now}): its sound is narrower now and takes "
    "another time. Choose another microphone than its own, then test the round trip again."
)
HEADSET_OTHER = _(
    "{device} changed its way by radio, from {before} to {now}: it takes another time now. Test the round trip again."
)
PICKS_UP = _("{part} picks up {song}, {ms:.0f} ms late: they hear it twice. Wear headphones, or turn them down.")
# By what is wrong with the camera.
PICTURES = {
    "gone": _("{camera}: {why}. No picture is recorded until it gives some."),
    "still": _("{camera} gives no pictures just now: the picture stands still. Look at its cable and its light."),
    "fewer": _(
        "{camera} gives {count} pictures a second instead of {of:g}: too little light, or the computer is busy."
    ),
    "not_kept": _("The picture is not recorded any more: {why}. The sound goes on."),
}
DISK = _("Only {minutes} min of recording fit on the disk. Make room, or end the recording.")
BATTERY = _("The battery is at {percent} %. Plug the computer in.")
LONG = _("Recording for {hours} h now. R ends it, where it was forgotten.")
HELD = _(
    "The key that mutes has been held for {seconds} s: {part} is muted until it is let go. F11 once more, where it "
    "sticks."
)
