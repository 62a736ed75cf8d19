"""Compile what tells a guitar from other instruments: a general music tagger, asked in two ways.

    python -m lab.guitar TAGGER MIXES... --recorded FOLDER --out src/juxtanote/core/analysis/weights

TAGGER is the folder ``musicnn/MTT_musicnn`` of the package musicnn 0.1.0 (ISC licence), taught by others on
recordings with the tags of the MagnaTagATune collection (E. Law et al., "Evaluation of algorithms using games:
the case of music tagging", ISMIR 2009). One way is its own tags, a guitar against other instruments; the other a
regression over its last layer but one, fitted to what `lab.others` and recorded instruments (`lab.recorded`)
play alone against recorded guitars and mixes of `lab.mixes` (MIXES are folders of these; where a band plays along
nothing is doubted, so all of them count as guitars). Where the tags tell more of a guitar they are believed in
part. Printed is how it sorts what it was fitted to, and each recorded instrument by a fit without it.
"""

import argparse
import struct
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import torch
from sklearn.linear_model import LogisticRegression
from torch import nn
from torch.nn import functional as F

from juxtanote.core.analysis.instruments import BANDS, WINDOW, asked, windows_of
from lab import mixes, others, recorded
from lab.instruments import SAMPLE_RATE

SEED, LENGTH_S = 9, 24.0
# Lines of other instruments, and of each recorded one; mixes of each folder's scenes.
LINES, OWN_LINES, EACH = 120, 14, 48
SHRINK = 5e-4  # strong: the regression must hold for sounds that are not ours
EPS = 1e-3  # of the tagger's normalisations
GUITAR = 0  # of the tagger's 50 tags
OTHERS = 9, 12, 25, 43  # piano, violin, flute, cello: not what is plucked as a guitar is
# What the regression tells counts so much more, and at the most by so much where the tags tell more: trumpets and
# trombones are a guitar to the tags, thin electric guitars none.
AS_TAGS, MOST_BY_TAGS = 0.4, 1.0
FRONT = ((38, "timbral"), (67, "timbral"), (128, "temporal"), (64, "temporal"), (32, "temporal"))

Arrays = dict[str, np.ndarray]


def _number(data: bytes, at: int) -> tuple[int, int]:
    """Read a number of seven bits a byte; give it and where the next begins."""
    value = shift = 0
    while True:
        byte = data[at]
        at += 1
        value |= (byte & 127) << shift
        shift += 7
        if byte < 128:
            return value, at


def _rows(data: bytes, start: int, size: int) -> Iterator[tuple[bytes, bytes]]:
    """Yield keys and values of a block of a sorted table, keys given by what they share with the last."""
    block, key, at = data[start : start + size], b"", 0
    end = size - 4 - 4 * struct.unpack("<I", block[-4:])[0]
    while at < end:
        shared, at = _number(block, at)
        own, at = _number(block, at)
        length, at = _number(block, at)
        key = key[:shared] + block[at : at + own]
        at += own
        yield key, block[at : at + length]
        at += length


def _fields(data: bytes) -> dict[int, list]:
    """Read a message of numbered fields: numbers, and bytes."""
    found: dict[int, list] = {}
    at = 0
    while at < len(data):
        tag, at = _number(data, at)
        if tag & 7 == 0:
            value, at = _number(data, at)
        else:
            length, at = _number(data, at) if tag & 7 == 2 else ((8, 4)[tag & 7 == 5], at)
            value, at = data[at : at + length], at + length
        found.setdefault(tag >> 3, []).append(value)
    return found


def read_checkpoint(folder: Path) -> Arrays:
    """Read the weights of a TensorFlow checkpoint (its "tensor bundle"), without TensorFlow."""
    index, data = ((folder / name).read_bytes() for name in (".index", ".data-00000-of-00001"))
    foot, at, numbers = index[-48:], 0, []
    for _ in range(4):
        value, at = _number(foot, at)
        numbers.append(value)
    arrays: Arrays = {}
    for _, handle in _rows(index, *numbers[2:]):
        start, at = _number(handle, 0)
        for key, value in _rows(index, start, _number(handle, at)[0]):
            entry = _fields(value)
            if not key or entry.get(1, [1]) != [
                1
            ]:  # the header, and what is not in single precision
                continue
            sizes = [_fields(axis).get(1, [0])[0] for axis in _fields(entry[2][0]).get(2, [])]
            first = entry.get(4, [0])[0]
            arrays[key.decode()] = np.frombuffer(
                data[first : first + entry[5][0]], np.float32
            ).reshape(sizes)
    return arrays


class Tagger(nn.Module):
    """The tagger, and one layer of ours beside its last one."""

    def __init__(self, arrays: Arrays) -> None:
        super().__init__()
        self.names: dict[str, str] = {}
        for name, value in arrays.items():
            if "Adam" not in name:
                turned = value.transpose(3, 2, 0, 1) if value.ndim == 4 else value
                self.names[name] = name.replace("/", "_")
                self.register_buffer(self.names[name], torch.from_numpy(np.array(turned)))
        self.last = nn.Linear(arrays["dense/kernel"].shape[1], 1)

    def _of(self, name: str) -> torch.Tensor:
        return getattr(self, self.names[name])

    def _normed(self, x: torch.Tensor, number: int) -> torch.Tensor:
        name = "batch_normalization" + (f"_{number}" if number else "")
        mean, variance, gain, bias = (
            self._of(f"{name}/{part}")
            for part in ("moving_mean", "moving_variance", "gamma", "beta")
        )
        return F.batch_norm(x, mean, variance, gain, bias, False, 0.0, EPS)

    def _convolved(self, x: torch.Tensor, number: int) -> torch.Tensor:
        name = "conv2d" + (f"_{number}" if number else "")
        seen = torch.relu(F.conv2d(x, self._of(f"{name}/kernel"), self._of(f"{name}/bias")))
        return self._normed(seen, number + 1)

    def _along(self, x: torch.Tensor, number: int) -> torch.Tensor:
        """Look along time over all channels, (batch, channels, frames)."""
        picture = F.pad(x.transpose(1, 2)[:, None], (0, 0, 3, 3))
        return self._convolved(picture, number)[..., 0]

    def features(self, seen: torch.Tensor) -> torch.Tensor:
        """Give what the tagger makes of windows (batch, WINDOW, BANDS): (batch, n_features)."""
        x = self._normed(seen[:, None], 0)
        front = []
        for number, (size, kind) in enumerate(FRONT):
            before = 3 if kind == "timbral" else (size - 1) // 2
            after = 3 if kind == "timbral" else size - 1 - before
            front.append(self._convolved(F.pad(x, (0, 0, before, after)), number).amax(3))
        x = torch.cat(front, 1)
        one = self._along(x, 5)
        two = self._along(one, 6) + one
        three = self._along(two, 7) + two
        every = torch.cat([x, one, two, three], 1)
        flat = torch.stack([every.amax(2), every.mean(2)], 2).flatten(1)
        hidden = torch.relu(
            self._normed(flat, 9) @ self._of("dense/kernel") + self._of("dense/bias")
        )
        return self._normed(hidden, 10)

    def forward(self, seen: torch.Tensor) -> torch.Tensor:
        """Give log odds that a guitar plays and no other instrument by itself, (batch,)."""
        features = self.features(seen)
        tags = features @ self._of("dense_1/kernel") + self._of("dense_1/bias")
        by_tags = tags[:, GUITAR] - tags[:, OTHERS].amax(1)
        told = self.last(features)[:, 0]
        return torch.maximum(told + AS_TAGS, torch.minimum(by_tags, told + MOST_BY_TAGS))


def features_of(tagger: Tagger, mono: np.ndarray) -> np.ndarray:
    """Give the tagger's features of every window of a sound at 22.05 kHz that is not faint."""
    seen, loud = windows_of(mono, SAMPLE_RATE)
    with torch.no_grad():
        return tagger.features(torch.from_numpy(seen[asked(loud)])).numpy()


def regression(others_told: np.ndarray, guitars: np.ndarray) -> tuple[np.ndarray, float]:
    """Fit weights and bias to features of both, each (n_windows, n_features)."""
    features = np.concatenate([others_told, guitars])
    mean, spread = features.mean(axis=0), features.std(axis=0) + 1e-6
    model = LogisticRegression(C=SHRINK, class_weight="balanced", max_iter=3000)
    model.fit((features - mean) / spread, np.repeat([0, 1], [len(others_told), len(guitars)]))
    weights = model.coef_[0] / spread
    return weights, float(model.intercept_[0] - weights @ mean)


def fit(tagger: Tagger, folders: list[Path], instruments: Path) -> None:
    """Fit the last layer, and print how it sorts what it was fitted to, and what it was not."""
    rng = np.random.default_rng(SEED)

    def played(name: str) -> list[np.ndarray]:
        one = recorded.read_recorded(instruments / name)
        many = name in recorded.KEYS + recorded.GUITARS
        sounds = (recorded.line(one, rng, LENGTH_S, many and k % 2 > 0) for k in range(OWN_LINES))
        return [features_of(tagger, sound) for sound in sounds]

    lines = {"soundfonts": [features_of(tagger, others.line(rng, LENGTH_S)) for _ in range(LINES)]}
    lines |= {name: played(name) for name in recorded.OTHERS}
    guitars = [features for name in recorded.GUITARS for features in played(name)]
    for folder in folders:
        guitars += [features_of(tagger, s.mean(axis=0)) for s, _ in mixes.read(folder, EACH)]

    def without(left_out: str) -> tuple[np.ndarray, float]:
        rest = [part for name, parts in lines.items() if name != left_out for part in parts]
        return regression(np.concatenate(rest), np.concatenate(guitars))

    weights, bias = without("")
    with torch.no_grad():
        tagger.last.weight.copy_(torch.from_numpy(weights)[None])
        tagger.last.bias.fill_(bias)
    show("guitars", np.concatenate(guitars) @ weights + bias)
    show("soundfonts", np.concatenate(lines["soundfonts"]) @ weights + bias)
    for name in recorded.OTHERS:
        weights, bias = without(name)
        show(f"{name}, left out", np.concatenate(lines[name]) @ weights + bias)


def show(name: str, told: np.ndarray) -> None:
    """Print how log odds of some windows lie."""
    quantiles = " ".join(f"{q:.2f}" for q in np.quantile(told, (0.01, 0.1, 0.5, 0.9, 0.99)))
    print(f"{name}: {len(told)} windows, log odds at 1, 10, 50, 90, 99 %: {quantiles}", flush=True)


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("tagger", type=Path)
    parser.add_argument("mixes", type=Path, nargs="+")
    parser.add_argument("--recorded", type=Path, required=True, help="see `lab.recorded`")
    parser.add_argument("--out", type=Path, required=True)
    options = parser.parse_args()
    net = Tagger(read_checkpoint(options.tagger)).eval()
    fit(net, options.mixes, options.recorded)
    torch.onnx.export(
        net, (torch.zeros(2, WINDOW, BANDS),), str(options.out / "guitar.onnx"),
        input_names=["windows"], output_names=["log_odds"], dynamo=False,
        dynamic_axes={"windows": {0: "n"}, "log_odds": {0: "n"}},
    )  # fmt: skip
