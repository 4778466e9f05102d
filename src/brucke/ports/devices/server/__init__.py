"""The desktop's sound server, through its native library."""
