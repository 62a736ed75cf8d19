"""Every test; run by ``./run test`` or ``python -m tests``."""
