"""What an Opus coder costs in time at 48 kHz (RFC 6716): a frame of 20 ms and 6.5 ms of look-ahead."""

RATE = 48000
FRAME = 960
PRE_SKIP = 312
LATENCY = FRAME + PRE_SKIP
