"""Devices with a clock of their own, beside the one that leads: their sound is resampled from one clock to the
other."""
