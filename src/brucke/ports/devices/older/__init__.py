"""The desktop's older sound protocol, for computers where only that is spoken: microphones and outputs are modules of
the server, programs are moved, and the engine's sound goes there stream by stream."""
