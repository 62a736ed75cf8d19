"""The front end of the second network."""

import unittest

import numpy as np

from juxtanote.core.analysis import spectra, wide_spectra
from juxtanote.core.units import midi_to_hz


class TestFrontEnd(unittest.TestCase):
    def test_a_partial_is_as_loud_wherever_it_falls(self) -> None:
        """Within 2 dB from 80 Hz to 8 kHz: a Hann window loses 1.42 dB between its bins (F. J. Harris,
        "On the use of windows for harmonic analysis", Proc. IEEE 66, 1978, table I)."""
        for _, length in spectra.WINDOWS:
            window = np.hanning(length + 1)[:-1]
            window *= 2.0 / window.sum()
            times = np.arange(length) / spectra.SAMPLE_RATE
            for midi in np.arange(39.5, 119.5, 0.37):
                for cents in (0.0, 8.0, 17.0, 25.0):
                    hertz = float(midi_to_hz(midi + cents / 100.0))
                    tone = np.sin(2 * np.pi * hertz * times) * window
                    magnitude = np.abs(np.fft.rfft(tone)).astype(np.float32)[None]
                    bins = wide_spectra._log_bins(magnitude, length, 0)[0]
                    at = round(
                        (midi - wide_spectra.LOWEST_BIN_MIDI) * spectra.BINS_PER_SEMITONE + 1
                    )
                    level = 20.0 * np.log10(float(bins[at - 1 : at + 2].max()))
                    self.assertLess(abs(level), 2.0, (length, hertz))
