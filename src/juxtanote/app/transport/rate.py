"""The one sample rate at which everything is played, in Hz."""

RATE = 44_100
