"""Where the listener is trained and measured: generated phrases, sounds, mixes and truth."""
