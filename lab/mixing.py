"""What records do to a guitar: amplifier, effects, mix, mastering, coding."""

import os
import subprocess
import tempfile
from pathlib import Path

import numpy as np
import soundfile
from scipy import signal

from juxtanote.core.synth.amplifier import add_room, amplify
from lab.backing import Band
from lab.instruments import SAMPLE_RATE


def loudness(audio: np.ndarray) -> float:
    """Give the RMS of the loud half of the tenth-second blocks of mono.

    Raises
    ------
    ValueError
        If the audio has more than one axis: its channels would be taken for samples.
    """
    if audio.ndim != 1:
        raise ValueError(f"loudness is of mono, not of {audio.shape}")
    block = SAMPLE_RATE // 10
    usable = len(audio) // block * block
    if usable == 0:
        return 1e-6
    power = np.sort(np.mean(audio[:usable].reshape(-1, block) ** 2, axis=1))
    return float(np.sqrt(np.mean(power[len(power) // 2 :]))) + 1e-6


def level(audio: np.ndarray, db: float) -> np.ndarray:
    """Bring a stem to a loudness."""
    return audio * np.float32(10 ** (db / 20) / loudness(audio))


def tilt(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Lean the spectrum by a random low and high shelf."""
    low = signal.sosfilt(signal.butter(1, 300, "lowpass", fs=SAMPLE_RATE, output="sos"), audio)
    high = signal.sosfilt(signal.butter(1, 2500, "highpass", fs=SAMPLE_RATE, output="sos"), audio)
    a, b = rng.uniform(-0.6, 1.0, 2)
    return (audio + a * low + b * high).astype(np.float32)


def lead_sound(
    audio: np.ndarray,
    rng: np.random.Generator,
    *,
    drive: bool | None = None,
    varied: bool = False,
    modelled: float = 0.0,
) -> np.ndarray:
    """Send a lead through an amplifier and effects drawn at random.

    `varied` also plays it twice and lets echoes come sooner and louder; a share `modelled` goes through
    `modelled_amplifier`.
    """
    audio = level(audio, -12.0)
    is_modelled = modelled > 0.0 and rng.random() < modelled
    if is_modelled:
        audio = modelled_amplifier(audio, rng, hot=rng.random() < 0.7)
        if rng.random() < 0.3:
            audio = gate(audio)
    elif drive if drive is not None else rng.random() < 0.65:
        gain = float(np.exp(rng.uniform(np.log(0.8), np.log(60.0))))
        audio = amplify(
            audio,
            SAMPLE_RATE,
            gain=gain,
            bias=float(rng.uniform(0, 0.4)),
            low_cut_hz=float(rng.uniform(60, 300)),
            cabinet_hz=float(rng.uniform(2800, 7000)),
            presence=float(rng.uniform(0, 1.2)),
        )
        if varied and rng.random() < 0.2:  # a second stage, clipped harder and nearly square
            audio = amplify(level(audio, -10.0), SAMPLE_RATE, gain=float(rng.uniform(2.0, 25.0)))
        if varied and rng.random() < 0.4:
            audio = hum(audio, rng)
        if gain > 8 and rng.random() < 0.5:
            audio = gate(audio)
    if varied and not is_modelled and rng.random() < 0.5:
        audio = loudspeaker(audio, rng)
    if rng.random() < 0.7:
        audio = tilt(audio, rng)
    if rng.random() < 0.12:
        audio = wah(audio, rng)
    if rng.random() < 0.15:
        audio = chorus(audio, rng)
    if varied and rng.random() < 0.12:
        audio = doubled(audio, rng)
    if varied and rng.random() < 0.08:
        audio = sweeping(audio, rng)
    if varied and rng.random() < 0.06:
        audio = pulsing(audio, rng)
    if rng.random() < 0.3:
        audio = compress(audio, float(rng.uniform(0.3, 0.8)))
    if rng.random() < 0.3:
        lag = int(rng.uniform(0.06 if varied else 0.12, 0.5) * SAMPLE_RATE)
        wet = float(rng.uniform(0.1, 0.5 if varied else 0.35))
        for repeat in (1, 2, 3):
            if repeat * lag < len(audio):
                audio = audio.copy()
                audio[repeat * lag :] += wet**repeat * audio[: -repeat * lag]
    if rng.random() < 0.6:
        wet = float(rng.uniform(0.03, 0.35))
        audio = add_room(audio, SAMPLE_RATE, rng, seconds=float(rng.uniform(0.2, 1.8)), wet=wet)
    return audio.astype(np.float32)


def on_a_record(stereo: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Do to a whole mix what records and their copies do: tone, pumping, hiss, a narrow band."""
    out = stereo
    if rng.random() < 0.5:
        low, high = rng.uniform(-0.5, 0.6, 2)
        for edge, kind, gain in ((250, "lowpass", low), (3000, "highpass", high)):
            sos = signal.butter(1, edge, kind, fs=SAMPLE_RATE, output="sos")
            out = out + gain * signal.sosfilt(sos, stereo, axis=1)
    if rng.random() < 0.3:
        slow = signal.butter(1, float(rng.uniform(2, 12)), "lowpass", fs=SAMPLE_RATE, output="sos")
        envelope = signal.sosfilt(slow, np.abs(out).max(axis=0))
        envelope = np.maximum(envelope, 0.05 * float(envelope.max()) + 1e-9)
        out = out * envelope ** -float(rng.uniform(0.2, 0.6))
    if rng.random() < 0.2:
        edge = float(rng.uniform(3500, 8000))
        out = signal.sosfilt(
            signal.butter(4, edge, "lowpass", fs=SAMPLE_RATE, output="sos"), out, axis=1
        )
    if rng.random() < 0.3:
        loud = float(np.sqrt(np.mean(out**2)))
        out = out + loud * 10 ** (rng.uniform(-55, -28) / 20) * rng.standard_normal(out.shape)
    return np.asarray(out, dtype=np.float32)


def doubled(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Play a part twice: a copy a little late, whose pitch wanders by some cents."""
    t = np.arange(len(audio))
    wander = np.sin(2 * np.pi * rng.uniform(0.1, 0.6) * t / SAMPLE_RATE + rng.uniform(0, 6))
    late = (rng.uniform(0.004, 0.022) + 0.002 * wander) * SAMPLE_RATE
    copy = np.interp(t - late, t, audio)
    return (audio + rng.uniform(0.4, 0.9) * copy).astype(np.float32)


def loudspeaker(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Send audio through a loudspeaker that no other is like: some hills, dips and a comb of its own."""
    size = 512
    hz = np.fft.rfftfreq(size, 1.0 / SAMPLE_RATE)
    place = np.log2(np.maximum(hz, 40.0) / 40.0)
    knots = np.linspace(0.0, float(place.max()), 14)
    decibels = np.interp(place, knots, rng.normal(0.0, float(rng.uniform(1.0, 6.0)), len(knots)))
    if rng.random() < 0.4:  # two microphones, one a little further away
        apart = np.exp(-2j * np.pi * hz * rng.uniform(0.0001, 0.0015))
        decibels = decibels + 20 * np.log10(np.abs(1 + rng.uniform(0.2, 0.8) * apart))
    response = np.fft.fftshift(np.fft.irfft(10 ** (decibels / 20))) * np.hanning(size)
    return signal.fftconvolve(audio, response, mode="same").astype(np.float32)


def modelled_amplifier(audio: np.ndarray, rng: np.random.Generator, *, hot: bool) -> np.ndarray:
    """Send audio through a valve amplifier and a cabinet of the LADSPA plugins of Debian's package caps.

    `hot` turns the gain up. An amplifier that gives silence (some settings do) leaves the audio as it is.
    """
    gain = rng.uniform(0.45, 1.0) if hot else rng.uniform(0.0, 0.5)
    amplifier = (
        1, gain, rng.uniform(), rng.uniform(0.2, 0.9), int(rng.integers(0, 9)), rng.uniform(),
        rng.uniform(0.2, 1.0), rng.uniform(0.3, 1.0), rng.uniform(), rng.uniform(),
        rng.uniform(0.3, 1.0),
    )  # fmt: skip
    cabinet = ["caps", "CabinetIV", str(int(rng.integers(0, 25))), "0"]
    if rng.random() < 0.4:
        cabinet = ["caps", "CabinetIII", str(int(rng.integers(0, 17))), "0", "0"]
    with tempfile.TemporaryDirectory() as folder:
        dry, wet = Path(folder, "a.wav"), Path(folder, "b.wav")
        soundfile.write(dry, level(audio, -20.0), SAMPLE_RATE, subtype="FLOAT")
        command = ["sox", str(dry), "-e", "floating-point", "-b", "32", str(wet), "rate", "44100"]
        command += ["ladspa", "caps", "AmpVTS", *(f"{value:.3g}" for value in amplifier)]
        command += ["ladspa", *cabinet, "rate", str(SAMPLE_RATE)]
        places = os.environ | {"LADSPA_PATH": os.environ.get("LADSPA_PATH", "/usr/lib/ladspa")}
        subprocess.run(command, check=True, capture_output=True, env=places)
        out, _ = soundfile.read(wet, dtype="float32")
    out = out[: len(audio)]
    if not np.all(np.isfinite(out)) or loudness(out) < 1e-5:
        return audio
    return np.pad(out, (0, len(audio) - len(out)))


def hum(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Add what an amplifier turned up gives by itself: mains hum and hiss."""
    t = np.arange(len(audio)) / SAMPLE_RATE
    mains = float(rng.choice([50.0, 60.0]))
    tone = sum(
        rng.uniform(0, 1) / k * np.sin(2 * np.pi * mains * k * t + rng.uniform(0, 6))
        for k in (1, 2, 3, 4, 6)
    )
    noise = tone + rng.uniform(0.2, 1.5) * rng.standard_normal(len(audio))
    return (audio + loudness(audio) * 10 ** (rng.uniform(-55, -28) / 20) * noise).astype(np.float32)


def sweeping(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Move the teeth of a comb through the spectrum, as flangers and phasers do."""
    t = np.arange(len(audio))
    sway = np.sin(2 * np.pi * rng.uniform(0.1, 1.5) * t / SAMPLE_RATE)
    lag = rng.uniform(0.001, 0.003) * (1.05 + sway) * SAMPLE_RATE
    return (audio + rng.uniform(-0.8, 0.8) * np.interp(t - lag, t, audio)).astype(np.float32)


def pulsing(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Let the level pulse, as a tremolo circuit does."""
    t = np.arange(len(audio)) / SAMPLE_RATE
    swing = 0.5 + 0.5 * np.sin(2 * np.pi * rng.uniform(3.0, 8.0) * t)
    return (audio * (1.0 - rng.uniform(0.2, 0.8) * swing)).astype(np.float32)


def ambience(lead: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Give what stereo effects add around a lead, (2, n): a wide room, echoes from side to side, a double."""
    around = np.zeros((2, len(lead)), dtype=np.float32)
    draw = rng.random()
    if draw < 0.6:
        seconds, wet = float(rng.uniform(0.3, 2.5)), float(rng.uniform(0.1, 0.5))
        for side in around:
            side += wet * add_room(lead, SAMPLE_RATE, rng, seconds=seconds, wet=1.0)
    if draw > 0.45:
        lag = int(rng.uniform(0.08, 0.5) * SAMPLE_RATE)
        back = float(rng.uniform(0.1, 0.45))
        for repeat in range(1, 5):
            if repeat * lag < len(lead):
                around[repeat % 2, repeat * lag :] += back**repeat * lead[: -repeat * lag]
    if draw > 0.85:
        around[int(rng.integers(2))] += 0.7 * doubled(lead, rng)
    return around


def gate(audio: np.ndarray) -> np.ndarray:
    """Close what is far below the playing level, as a noise gate does."""
    envelope = signal.sosfilt(
        signal.butter(1, 20, "lowpass", fs=SAMPLE_RATE, output="sos"), np.abs(audio)
    )
    threshold = 0.02 * float(envelope.max() + 1e-9)
    return audio * np.clip((envelope - threshold) / threshold, 0, 1)


def wah(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Move between two band-passes."""
    low, high = (
        signal.sosfilt(
            signal.butter(1, (f / 1.5, f * 1.5), "bandpass", fs=SAMPLE_RATE, output="sos"), audio
        )
        for f in (550, 1700)
    )
    t = np.arange(len(audio)) / SAMPLE_RATE
    sway = 0.5 + 0.5 * np.sin(2 * np.pi * rng.uniform(0.3, 3.0) * t)
    return (0.3 * audio + 1.4 * (sway * high + (1 - sway) * low)).astype(np.float32)


def chorus(audio: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Add a copy whose delay sways."""
    t = np.arange(len(audio))
    lag = 0.012 + 0.003 * np.sin(2 * np.pi * rng.uniform(0.3, 1.5) * t / SAMPLE_RATE)
    copy = np.interp(t - lag * SAMPLE_RATE, t, audio)
    return (0.7 * audio + 0.5 * copy).astype(np.float32)


def compress(audio: np.ndarray, amount: float) -> np.ndarray:
    """Even out the level: divide by a power of the slow envelope."""
    envelope = signal.sosfilt(
        signal.butter(1, 12, "lowpass", fs=SAMPLE_RATE, output="sos"), np.abs(audio)
    )
    envelope = np.maximum(envelope, 0.02 * float(np.max(envelope) + 1e-9))
    return (audio * envelope**-amount).astype(np.float32)


def code_as_mp3(stereo: np.ndarray, rate: int) -> np.ndarray:
    """Send stereo (2, n) through an MP3 coder and back, aligned with what went in."""
    with tempfile.TemporaryDirectory() as folder:
        wav, mp3, back = (Path(folder, name) for name in ("a.wav", "a.mp3", "b.wav"))
        soundfile.write(wav, stereo.T, SAMPLE_RATE)
        subprocess.run(["lame", "--quiet", "-b", str(rate), str(wav), str(mp3)], check=True)
        subprocess.run(["lame", "--quiet", "--decode", str(mp3), str(back)], check=True)
        audio, _ = soundfile.read(back, dtype="float32", always_2d=True)
    audio = audio.T[:, : stereo.shape[1]]
    return np.pad(audio, ((0, 0), (0, stereo.shape[1] - audio.shape[1])))


def pan(mono: np.ndarray, place: float) -> np.ndarray:
    """Place mono between left (-1) and right (1) at constant power."""
    angle = (place + 1.0) * np.pi / 4.0
    return np.stack([np.cos(angle) * mono, np.sin(angle) * mono]).astype(np.float32) * np.float32(
        1.2
    )


def fit(audio: np.ndarray, length: int) -> np.ndarray:
    """Cut mono to a length, or fill it up with silence."""
    if len(audio) >= length:
        return audio[:length]
    return np.pad(audio, (0, length - len(audio)))


def mix(
    lead: np.ndarray,
    band: Band | None,
    rng: np.random.Generator,
    *,
    kind: str,
    lead_over_db: float,
    lead_place: float = 0.0,
    voice_share: float = 0.3,
    mono: bool = False,
    mp3: int = 0,
    around: np.ndarray | None = None,
) -> np.ndarray:
    """Mix a lead with its band to stereo (2, n).

    `kind` is ``alone``, ``drums and bass`` or ``band``; the lead stands `lead_over_db` over the
    sum of all else. `around` is what stereo effects add to the lead as it comes in, (2, n).
    """
    length = len(lead)
    stereo = pan(level(lead, -18.0), lead_place)
    if around is not None:
        stereo = stereo + around * np.float32(10 ** (-18.0 / 20) / loudness(lead))
    if kind != "alone" and band is not None:
        rest = pan(level(fit(band.drums, length), rng.uniform(-4, 2)), 0.0)
        rest += pan(level(fit(band.bass, length), rng.uniform(-5, 1)), 0.0)
        if kind == "band":
            rest += _fill(band, length, rng, voice_share)
        rest *= 10 ** ((-18.0 - lead_over_db) / 20) / loudness(rest.mean(axis=0))
        stereo = stereo + rest.astype(np.float32)
    peak = float(np.max(np.abs(stereo))) + 1e-9
    squash = float(rng.choice([0.7, 1.0, 2.5])) if kind != "alone" else 0.7
    stereo = np.tanh(squash * stereo / peak).astype(np.float32)
    if mono:
        stereo = np.repeat(stereo.mean(axis=0, keepdims=True), 2, axis=0)
    if mp3:
        stereo = code_as_mp3(stereo, mp3)
    return stereo


def rhythm_guitars(band: Band, length: int, rng: np.random.Generator) -> np.ndarray:
    """Amplify the rhythm guitars and pan them: two takes wide, one to a side, or one in the middle."""
    both = np.zeros((2, length), dtype=np.float32)
    wide = float(rng.choice([1.0, 0.8, 0.5]))
    gain = float(np.exp(rng.uniform(0.0, np.log(30.0))))
    takes = band.rhythm_guitars if rng.random() < 0.6 else (band.rhythm_guitars[0],)
    if len(takes) == 1 and rng.random() < 0.3:
        wide = 0.0
    own = rng.random() < 0.55
    colour = int(rng.integers(1 << 30))
    for side, take in zip((-wide, wide), takes, strict=False):
        loud = level(fit(take, length), -12.0)
        if own:
            hertz = float(rng.uniform(3000, 6000))
            sound = amplify(loud, SAMPLE_RATE, gain=gain, cabinet_hz=hertz)
        else:  # both takes through one amplifier
            one = np.random.default_rng(colour)
            sound = modelled_amplifier(loud, one, hot=gain > 4.0)
        both += pan(level(sound, rng.uniform(-8, 0)), side)
    return both


def _fill(band: Band, length: int, rng: np.random.Generator, voice_share: float) -> np.ndarray:
    """Mix guitars, chords and voice as records pan them."""
    filling = np.zeros((2, length), dtype=np.float32)
    draw = rng.random()
    if len(band.rhythm_guitars[0]) > 1 and draw < 0.75:
        wide = float(rng.choice([1.0, 0.8, 0.5]))
        gain = float(np.exp(rng.uniform(0.0, np.log(30.0))))
        takes = band.rhythm_guitars if rng.random() < 0.6 else (band.rhythm_guitars[0],)
        for side, take in zip((-wide, wide), takes, strict=False):
            loud = level(fit(take, length), -12.0)
            sound = amplify(loud, SAMPLE_RATE, gain=gain, cabinet_hz=float(rng.uniform(3000, 6000)))
            filling += pan(level(sound, rng.uniform(-8, 0)), side)
    if draw > 0.5:
        chords = level(fit(band.chords, length), rng.uniform(-8, 0))
        filling += pan(chords, float(rng.uniform(-0.7, 0.7)))
    if len(band.line) > 1 and rng.random() < 0.35:
        line = level(fit(band.line, length), rng.uniform(-12, -2))
        filling += pan(line, float(rng.uniform(-0.9, 0.9)))
    if len(band.voice) > 1 and rng.random() < voice_share:
        filling += pan(level(fit(band.voice, length), rng.uniform(-6, 1)), 0.0)
    return filling
