"""Pitch curves of the left hand: bends, releases, vibrato and glides as (seconds, semitones)."""

import numpy as np

Curve = tuple[tuple[float, float], ...]
STEP_S = 0.008


def bend(amount: float, delay_s: float, rise_s: float, duration_s: float) -> Curve:
    """Rise smoothly to `amount` and stay there."""
    times = np.arange(0.0, duration_s + STEP_S, STEP_S)
    part = np.clip((times - delay_s) / rise_s, 0.0, 1.0)
    return _points(times, amount * 0.5 * (1.0 - np.cos(np.pi * part)))


def release(curve: Curve, start_s: float, fall_s: float) -> Curve:
    """Let a bend down to the fretted pitch from `start_s` on."""
    times, values = _arrays(curve)
    part = np.clip((times - start_s) / fall_s, 0.0, 1.0)
    return _points(times, values * 0.5 * (1.0 + np.cos(np.pi * part)))


def pre_bend(amount: float, hold_s: float, fall_s: float, duration_s: float) -> Curve:
    """Start bent, then fall."""
    times = np.arange(0.0, duration_s + STEP_S, STEP_S)
    return release(_points(times, np.full(len(times), amount)), hold_s, fall_s)


def vibrato(curve: Curve, duration_s: float, delay_s: float, rate_hz: float, depth: float) -> Curve:
    """Shake a held note: sharp of a fretted pitch, flat of a bent one (common practice)."""
    if not curve:
        times = np.arange(0.0, duration_s + STEP_S, STEP_S)
        curve = _points(times, np.zeros(len(times)))
    times, values = _arrays(curve)
    grow = np.clip((times - delay_s) / 0.15, 0.0, 1.0)
    swing = 0.5 * depth * (1.0 - np.cos(2.0 * np.pi * rate_hz * (times - delay_s)))
    sign = np.where(values > 0.3, -1.0, 1.0)
    return _points(times, values + sign * swing * grow)


def glide_out(interval: float, duration_s: float, glide_s: float) -> Curve:
    """Travel to the next pitch at the end of a note."""
    start = max(duration_s - glide_s, 0.0)
    times = np.arange(0.0, duration_s + STEP_S, STEP_S)
    part = np.clip((times - start) / max(duration_s - start, 1e-3), 0.0, 1.0)
    return _points(times, interval * part)


def glide_in(interval: float, glide_s: float) -> Curve:
    """Arrive at the pitch from `interval` semitones away."""
    return ((0.0, interval), (glide_s, 0.0))


def _arrays(curve: Curve) -> tuple[np.ndarray, np.ndarray]:
    points = np.asarray(curve, dtype=np.float64)
    return points[:, 0], points[:, 1]


def _points(times: np.ndarray, values: np.ndarray) -> Curve:
    return tuple((float(t), float(v)) for t, v in zip(times, values, strict=True))
