"""The house in figures: docstrings, comments, lengths, tests. What is over its limit is listed.

    python -m bench house [--list]

Counted by reading the code, so that the figures are the same on every machine.
"""

import argparse
import ast
import io
import re
import statistics
import tokenize
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

ROOT = Path(__file__).resolve().parents[1]
SOURCE = ROOT / "src" / "juxtanote"
KERNELS = SOURCE / "core" / "analysis"
LONGEST_MODULE = 450
UNITS = re.compile(
    r"\bshape\b|\bHz\b|\bseconds?\b|\bs\b|\bms\b|\bdB\b|\bcents?\b|\bsemitones?\b|\bMIDI\b|\bbeats?\b|\bmm\b|"
    r"\bsamples?\b|\bframes?\b|\bbins?\b|\b0 to 1\b|\bnotes? a second\b|\bpixels?\b"
)
CHANNEL = re.compile(r"\bcells\[\s*\d")


@dataclass(slots=True)
class Counts:
    """What was counted over a part of the tree."""

    public: int = 0
    with_parameters: int = 0
    with_units: int = 0
    with_examples: int = 0
    asked: int = 0  # public functions that have parameters
    lengths: list[int] = field(default_factory=list)
    lacking: list[str] = field(default_factory=list)


def code_lines(path: Path) -> tuple[int, int]:
    """Count lines with code, and lines that are a comment alone or end in one."""
    code, comments = set(), set()
    text = path.read_text("utf-8")
    for token in tokenize.generate_tokens(io.StringIO(text).readline):
        if token.type == tokenize.COMMENT and not token.string.startswith(
            ("# type:", "# fmt:", "# noqa")
        ):
            comments.add(token.start[0])
        elif token.type not in (
            tokenize.NL, tokenize.NEWLINE, tokenize.INDENT, tokenize.DEDENT, tokenize.ENDMARKER,
            tokenize.COMMENT,
        ):  # fmt: skip
            code.update(range(token.start[0], token.end[0] + 1))
    return len(code), len(comments)


def functions(tree: ast.Module) -> Iterator[tuple[str, ast.FunctionDef, bool]]:
    """Give every function with its name and whether it is public: it and all around it without a `_`."""

    def inside(
        node: ast.AST, prefix: str, public: bool
    ) -> Iterator[tuple[str, ast.FunctionDef, bool]]:
        for child in ast.iter_child_nodes(node):
            if isinstance(child, ast.FunctionDef):
                yield f"{prefix}{child.name}", child, public and not child.name.startswith("_")
            elif isinstance(child, ast.ClassDef):
                yield from inside(
                    child, f"{child.name}.", public and not child.name.startswith("_")
                )

    yield from inside(tree, "", True)


def count(folder: Path) -> Counts:
    """Count docstrings and lengths of a folder's functions."""
    found = Counts()
    for path in sorted(folder.rglob("*.py")):
        for name, node, public in functions(ast.parse(path.read_text("utf-8"))):
            assert node.end_lineno is not None
            told = node.body[0] if ast.get_docstring(node, clean=False) is not None else None
            words = 0 if told is None else (told.end_lineno or told.lineno) - told.lineno + 1
            found.lengths.append(node.end_lineno - node.lineno + 1 - words)
            if not public:
                continue
            words = ast.get_docstring(node) or ""
            takes = [
                a.arg
                for a in (*node.args.args, *node.args.kwonlyargs)
                if a.arg not in ("self", "cls")
            ]
            found.public += 1
            found.with_units += bool(UNITS.search(words))
            found.with_examples += ">>>" in words
            if takes:
                found.asked += 1
                named = sum(bool(re.search(rf"`?\b{re.escape(a)}\b`?", words)) for a in takes)
                documented = "Parameters\n" in words or named == len(takes)
                found.with_parameters += documented
                if not documented:
                    found.lacking.append(f"{path.relative_to(SOURCE)}: {name}")
    return found


def main(arguments: list[str]) -> None:
    """Run it."""
    parser = argparse.ArgumentParser(prog="bench house", description=__doc__)
    parser.add_argument("--list", action="store_true", help="name what lacks what is asked")
    options = parser.parse_args(arguments)
    every = sorted(SOURCE.rglob("*.py"))
    sizes = {path: code_lines(path) for path in every}
    code, comments = (sum(size[k] for size in sizes.values()) for k in (0, 1))
    tests = sum(code_lines(path)[0] for path in (ROOT / "tests").rglob("*.py"))
    print(
        f"code lines {code}, of them in tests {100 * tests / (tests + code):.1f} % of all (25 to 33)"
    )
    print(f"comment lines {100 * comments / code:.1f} % (3 to 8)")
    long = [path for path in every if len(path.read_text("utf-8").splitlines()) > LONGEST_MODULE]
    print(f"modules over {LONGEST_MODULE} lines: {len(long)}" + "".join(
        f"\n   {path.relative_to(SOURCE)}" for path in long))  # fmt: skip
    lengths = sorted(count(SOURCE).lengths)
    print(f"functions {len(lengths)}, without what is told of them: median {statistics.median(lengths):.0f} lines (8), "
          f"p90 {lengths[int(0.9 * len(lengths))]} (25)")  # fmt: skip
    for name, folder in (("kernels (core/analysis)", KERNELS), ("core", SOURCE / "core")):
        found = count(folder)
        print(
            f"{name}: {found.public} public functions; parameters told "
            f"{100 * found.with_parameters / max(found.asked, 1):.0f} % (90), units or shapes "
            f"{100 * found.with_units / found.public:.0f} % (80), examples "
            f"{100 * found.with_examples / found.public:.0f} % (25)"
        )
        if options.list and folder is KERNELS:
            print("".join(f"   {line}\n" for line in found.lacking), end="")
    channels = [
        f"{path.relative_to(SOURCE)}:{number}"
        for path in every
        for number, line in enumerate(path.read_text("utf-8").splitlines(), start=1)
        if CHANNEL.search(line)
    ]
    print(f"channels of the network by bare number: {len(channels)} {' '.join(channels)}")
