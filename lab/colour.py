"""Train the reading of frets from the colour of the sound (`juxtanote.core.analysis.string_sound`).

    python -m lab.colour make NOTES.npz --leads 2000 --seed 1
    python -m lab.colour fit NOTES.npz ... --out src/juxtanote/core/analysis/weights

Leads on modelled strings, through amplifiers and rooms, teach what the colour of a note says of its
fret. Sampled guitars, which sound alike on every string, are among them, so that the network learns to
say nothing where nothing can be known. A fifth of the examples show pitches alone: what the pitches
suggest is taken off again when the sound is read.
"""

import argparse
import json
from dataclasses import dataclass
from pathlib import Path

import numpy as np
import torch
from torch import nn
from torch.nn import functional as F

from juxtanote.core.analysis.string_sound import (
    MOST_FRETS,
    N_LATER,
    N_PARTIALS,
    PITCH,
    measure_colours,
)
from juxtanote.core.synth.strings import StringEvent, render_events
from juxtanote.core.theory.tuning import Guitar
from juxtanote.core.units import midi_to_hz
from lab.backing import random_touch, random_voice
from lab.dressings import lead_sound
from lab.instruments import SAMPLE_RATE, render_sampled
from lab.phrases import random_lead

LENGTH_S = 9.0
TOGETHER_S = 0.03
MOVING = frozenset({"dead", "palm-mute", "natural-harmonic", "slide"})
NOTE, SUMMARY, HIDDEN = 64, 32, 96
DROPPED, NOISE = 0.25, 0.15
GROUP, FEWEST = 24, 6
BATCH = 48
SEED = 9
WITHOUT = 0.2  # how often only pitches are shown
WATCHED = 6  # every so many leads one is only watched
LOOK = 250


def spans_of(events: list[StringEvent]) -> list[tuple[float, float, float]]:
    """Give where each note sounds alone; an empty span where it begins with others or moves."""
    spans = []
    for index, event in enumerate(events):
        beside = events[max(index - 6, 0) : index] + events[index + 1 : index + 7]
        together = any(abs(e.onset_s - event.onset_s) < TOGETHER_S for e in beside)
        until = min([event.offset_s, *(e.onset_s for e in events[index + 1 : index + 4])])
        if together or event.curve or event.techniques & MOVING:
            until = event.onset_s
        spans.append((event.onset_s, until, float(midi_to_hz(event.midi))))
    return spans


def play(rng: np.random.Generator, sampled: bool) -> tuple[np.ndarray, list[StringEvent], Guitar]:
    """Play one random lead through an amplifier and a room."""
    lead = random_lead(rng, LENGTH_S, 0.3)
    events = list(lead.events)
    if sampled:
        audio, events = render_sampled(events, int(rng.choice([25, 26, 27, 29, 30])), rng)
    else:
        voice = random_touch(random_voice(rng), rng)
        audio = render_events(events, SAMPLE_RATE, voice, rng, length_s=LENGTH_S)
    return lead_sound(audio, rng, varied=True), events, lead.hand.guitar


def make(target: Path, leads: int, seed: int) -> None:
    """Play leads and measure their notes: measures, fret, frets that could be, and the lead."""
    rows: list[tuple[np.ndarray, int, np.ndarray, int]] = []
    for number in range(leads):
        rng = np.random.default_rng([seed, number])
        audio, events, guitar = play(rng, number % 6 == 5)
        late = float(rng.normal(0.0, 0.003))
        spans = [(a + late, b, f * 2 ** (rng.normal(0, 3) / 1200)) for a, b, f in spans_of(events)]
        x = measure_colours(audio, SAMPLE_RATE, spans)
        for k in np.flatnonzero(np.isfinite(x[:, 0])):
            frets = round(events[k].midi) - np.array(guitar.tuning)
            could = np.isin(np.arange(MOST_FRETS), frets)
            rows.append((x[k], events[k].fret, could, 10_000 * seed + number))
        if number % 50 == 49:
            print(number + 1, "leads", len(rows), "notes", flush=True)
    x, fret, could, lead = (np.array(column) for column in zip(*rows, strict=True))
    np.savez(target, x=x.astype(np.float32), fret=fret, mask=could, group=lead)


class Reader(nn.Module):
    """Read each note beside a summary of all: log odds by fret."""

    def __init__(self, n_measures: int) -> None:
        super().__init__()
        self.note = nn.Linear(n_measures, NOTE)
        self.summary = nn.Linear(NOTE, SUMMARY)
        self.first = nn.Linear(n_measures + SUMMARY, HIDDEN)
        self.second = nn.Linear(HIDDEN, HIDDEN)
        self.frets = nn.Linear(HIDDEN, MOST_FRETS)
        self.drop = nn.Dropout(DROPPED)

    def forward(self, x: torch.Tensor, there: torch.Tensor) -> torch.Tensor:
        """Read `x` (batch, notes, measures), where `there` says which notes are real."""
        each = torch.relu(self.summary(torch.relu(self.note(x)))) * there[..., None]
        summary = each.sum(1, keepdim=True) / there.sum(1)[:, None, None]
        told = torch.cat([x, summary.expand(-1, x.shape[1], -1)], 2)
        hidden = self.drop(torch.relu(self.first(told)))
        return self.frets(self.drop(torch.relu(self.second(hidden))))


def vary(rows: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Change the notes of one lead as another amplifier, room and guitar would."""
    out = rows.copy()
    octave = rows[:, PITCH : PITCH + 1] + np.log2(np.arange(1, N_PARTIALS + 1))
    tone = rng.normal(0.0, 0.1) * octave
    for speed in (0.7, 1.5):
        tone += rng.normal(0.0, 0.1) * np.cos(octave * speed + rng.uniform(0, 2 * np.pi))
    levels = rows[:, :N_PARTIALS] + tone
    out[:, :N_PARTIALS] = np.clip(levels - levels[:, :6].max(axis=1, keepdims=True), -3.0, 0.5)
    plain = slice(N_PARTIALS, 2 * N_PARTIALS)
    out[:, plain] = np.clip(rows[:, plain] - max(rng.uniform(-0.5, 0.8), 0.0), 0.0, 2.0)
    if rng.random() < 0.15:
        out[:, plain] = 2.0
    later = slice(3 * N_PARTIALS, 3 * N_PARTIALS + N_LATER)
    out[:, later] = rows[:, later] + rng.normal(0.0, 0.15) * (rows[:, later] != 0.0)
    return out


@dataclass(frozen=True, slots=True)
class Notes:
    """Measured notes of many leads; `mean` and `spread` bring measures to about 1."""

    x: np.ndarray
    fret: np.ndarray
    mask: np.ndarray
    mean: np.ndarray
    spread: np.ndarray

    def tensors(
        self, picks: list[np.ndarray], without: np.ndarray, rng: np.random.Generator | None = None
    ) -> list[torch.Tensor]:
        """Stack groups of notes, varied where `rng` is given; pitches alone where `without`."""
        x = np.zeros((len(picks), GROUP, self.x.shape[1]), np.float32)
        there, fret = np.zeros(x.shape[:2], np.float32), np.zeros(x.shape[:2], np.int64)
        mask = np.ones((*x.shape[:2], MOST_FRETS), bool)
        for k, pick in enumerate(picks):
            m = len(pick)
            rows = self.x[pick] if rng is None else vary(self.x[pick], rng)
            x[k, :m] = np.clip((rows - self.mean) / self.spread, -5.0, 5.0)
            if rng is not None:
                x[k, :m] += rng.normal(0.0, NOISE, rows.shape)
            if without[k]:
                x[k, :, :PITCH] = x[k, :, PITCH + 1 :] = 0.0
            there[k, :m], fret[k, :m], mask[k, :m] = 1.0, self.fret[pick], self.mask[pick]
        return [torch.from_numpy(a) for a in (x, there, fret, mask)]


def read_notes(paths: list[Path]) -> tuple[Notes, list[np.ndarray]]:
    """Read measured notes, and which of them belong to one lead."""
    parts = []
    for path in paths:
        with np.load(path) as data:
            parts.append([data[k] for k in ("x", "fret", "mask", "group")])
    x, fret, mask, lead = (np.concatenate(column) for column in zip(*parts, strict=True))
    leads = [np.flatnonzero(lead == g) for g in np.unique(lead)]
    return Notes(x, fret, mask, x.mean(axis=0), x.std(axis=0) + 1e-3), leads


def loss_of(net: Reader, x, there, fret, mask) -> tuple[torch.Tensor, float]:
    """Give the mean cross-entropy over the frets that could be, and the share that is right."""
    logits = net(x, there).masked_fill(~mask, -30.0)
    loss = F.cross_entropy(logits.transpose(1, 2), fret, reduction="none")
    right = float(((logits.argmax(2) == fret) * there).sum() / there.sum())
    return (loss * there).sum() / there.sum(), right


def fit(paths: list[Path], steps: int) -> tuple[dict[str, np.ndarray], dict[str, object]]:
    """Fit on most leads, watch the others, keep what reads those best; weights and recipe."""
    torch.manual_seed(SEED)
    torch.set_num_threads(1)
    rng = np.random.default_rng(SEED)
    notes, leads = read_notes(paths)
    train = [g for k, g in enumerate(leads) if k % WATCHED != 1 and len(g) >= FEWEST]
    watch = [g[:GROUP] for k, g in enumerate(leads) if k % WATCHED == 1 and len(g) >= FEWEST]
    net = Reader(notes.x.shape[1])
    optimiser = torch.optim.AdamW(net.parameters(), lr=2e-3, weight_decay=3e-2)
    schedule = torch.optim.lr_scheduler.CosineAnnealingLR(optimiser, steps)
    best: dict[str, np.ndarray] = {}
    scores: dict[str, object] = {"loss": np.inf}
    for step in range(1, steps + 1):
        picks = [_crop(train[int(rng.integers(len(train)))], rng) for _ in range(BATCH)]
        loss, _ = loss_of(net, *notes.tensors(picks, rng.random(BATCH) < WITHOUT, rng))
        optimiser.zero_grad()
        loss.backward()
        optimiser.step()
        schedule.step()
        if step % LOOK:
            continue
        net.eval()
        with torch.no_grad():
            all_of_them = np.ones(len(watch), dtype=bool)
            seen, right = loss_of(net, *notes.tensors(watch, ~all_of_them))
            blind, guessed = loss_of(net, *notes.tensors(watch, all_of_them))
        net.train()
        print(f"{step}: {seen:.3f}, right {right:.3f}; pitch alone {blind:.3f}, {guessed:.3f}")
        if float(seen) < scores["loss"]:
            best = {k: v.detach().numpy().copy() for k, v in net.state_dict().items()}
            scores = {"loss": round(float(seen), 4), "right": round(right, 4),
                      "right_by_pitch_alone": round(guessed, 4)}  # fmt: skip
    recipe = {
        "made_by": "lab.colour", "seed": SEED, "leads": len(leads), "notes": len(notes.x),
        "steps": steps, "parameters": sum(p.numel() for p in net.parameters()), "watched": scores,
    }  # fmt: skip
    return {"mean": notes.mean, "spread": notes.spread, **best}, recipe


def _crop(lead: np.ndarray, rng: np.random.Generator) -> np.ndarray:
    """Take some neighbouring notes of a lead."""
    count = int(rng.integers(FEWEST, GROUP + 1))
    at = int(rng.integers(max(len(lead) - count, 0) + 1))
    return lead[at : at + count]


def main() -> None:
    """Make notes, or fit to them."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("what", choices=("make", "fit"))
    parser.add_argument("notes", type=Path, nargs="+")
    parser.add_argument("--leads", type=int, default=2000)
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--steps", type=int, default=4000)
    parser.add_argument("--out", type=Path)
    options = parser.parse_args()
    if options.what == "make":
        make(options.notes[0], options.leads, options.seed)
        return
    arrays, recipe = fit(options.notes, options.steps)
    smaller = {name: a.astype(np.float16) for name, a in arrays.items() if name != "spread"}
    spread = arrays["spread"].astype(np.float32)
    np.savez_compressed(options.out / "colour.npz", **smaller, spread=spread)
    (options.out / "colour.json").write_text(json.dumps(recipe, indent=2) + "\n")


if __name__ == "__main__":
    main()
