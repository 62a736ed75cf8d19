"""The one sample rate at which everything is played, in Hz."""

RATE = 44_100  # of everything that is played; recordings are read at it
