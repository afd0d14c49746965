"""Measure how cost grows from 1x to 10x: phrases, reviews, locales, and a text that is far too long."""

from __future__ import annotations

import random
import re
import subprocess
import sys
import tempfile
import time
from collections.abc import Callable, Sequence
from pathlib import Path

from bench import PROGRAM, made_up_words

from tavolan.sample.write import write_texts


def measured(*command: str) -> tuple[float, float]:
    """Return seconds and the peak of memory, in MB, of one command and its processes."""
    begin = time.perf_counter()
    program = subprocess.Popen(
        ["/usr/bin/time", "-f", "%M", PROGRAM, *command], stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True
    )
    _, errors = program.communicate()
    if program.returncode not in (0, 1, 3):
        sys.exit(f"{' '.join(command)} ended with {program.returncode}: {errors}")
    return time.perf_counter() - begin, float(errors.split()[-1]) / 1024


def tell(title: str, sizes: Sequence[int], command: Callable[[int], Sequence[str]]) -> None:
    """Print seconds, memory and growth of a command at several sizes."""
    first = 0.0
    for size in sizes:
        took, memory = measured(*command(size))
        first = first or took
        print(f"{title.format(size):60} {took:6.2f} s   {memory:5.0f} MB   {took / first:5.1f} x that of {sizes[0]:,}")


def project_of(folder: Path, name: str) -> Path:
    root = folder / name
    write_texts(root)
    return root


def phrases(folder: Path, size: int) -> Path:
    """A project with so many phrases in its first locale."""
    root = project_of(folder, f"phrases-{size}")
    dice, words = random.Random(1), made_up_words(20_000)
    found: set[str] = set()
    while len(found) < size:
        found.add(" ".join(dice.choice(words) for _ in range(dice.randint(1, 4))))
    rows = [f"{p},{dice.randint(1, 100)},{dice.randint(1, 5000)},{dice.randint(1, 100)}" for p in sorted(found)]
    (root / "terms/en-US.csv").write_text("\n".join(["phrase,relevance,volume,difficulty", *rows]) + "\n")
    return root


def reviews(folder: Path, size: int) -> Path:
    """A project with so many reviews, about as people write them."""
    root = project_of(folder, f"reviews-{size}")
    dice, words = random.Random(2), made_up_words(20_000)
    often = [
        "the",
        "a",
        "my",
        "this",
        "it",
        "i",
        "and",
        "but",
        "for",
        "with",
        "to",
        "of",
        "in",
        "is",
        "was",
        *words[:300],
    ]
    with (root / "data/reviews.csv").open("w") as file:
        file.write("locale,stars,text,date\n")
        for _ in range(size):
            text = " ".join(
                dice.choice(often) if dice.random() < 0.95 else dice.choice(words) for _ in range(dice.randint(5, 25))
            )
            file.write(f'en-US,{dice.randint(1, 5)},"{text}.",2026-01-11\n')
    return root


def locales(folder: Path, size: int) -> Path:
    """A project with so many locales, three stores and ten shots."""
    from tavolan.rulebooks.load import shipped_rulebook

    root = project_of(folder, f"locales-{size}")
    codes = shipped_rulebook("ios").locales
    tags = list(dict.fromkeys(["en-US", *codes.codes, *codes.low_confidence_codes]))[:size]
    source = (root / "copy/en-US.toml").read_text()
    for tag in tags:
        if not (root / f"copy/{tag}.toml").exists():
            (root / f"copy/{tag}.toml").write_text(source)
    config = (root / "tavolan.toml").read_text()
    listed = ", ".join(f'"{tag}"' for tag in tags)
    config = re.sub(r"locales = \[[^\]]*\]", f"locales = [{listed}]", config, count=1)
    (root / "tavolan.toml").write_text(f"{config}\n[store.maker]\n")
    shots = "".join(f'\n[[shot]]\nname = "more{number}"\nscreen = "firing"\n' for number in range(5))
    with (root / "shots.toml").open("a") as file:
        file.write(shots)
    return root


def long_text(folder: Path, size: int) -> Path:
    """A project with one text of so many characters."""
    root = project_of(folder, f"text-{size}")
    with (root / "copy/de-DE.toml").open("a") as file:
        file.write(f'\n[showcase]\nlong = "{"Brennofen kühl, (a) "[:20] * (size // 20)}"\n')
    return root


def main() -> None:
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        where = {size: str(phrases(folder, size)) for size in (10_000, 100_000)}
        files = {size: str(Path(where[size]) / "terms/en-US.csv") for size in where}
        tell("terms cover, {:,} phrases", [*where], lambda size: ("terms", "cover", "--project", where[size]))
        tell("check, {:,} phrases", [*where], lambda size: ("check", "--project", where[size]))
        empty = str(project_of(folder, "empty"))
        taken_in = ("--locale", "en-US", "--project", empty, "--dry-run")
        tell("terms import, {:,} phrases", [*where], lambda size: ("import", "--as", "phrases", files[size], *taken_in))
        where = {size: str(reviews(folder, size)) for size in (100_000, 1_000_000)}
        tell(
            "terms mine, {:,} reviews",
            [*where],
            lambda size: ("terms", "mine", "--locale", "en-US", "--project", where[size]),
        )
        where = {size: str(locales(folder, size)) for size in (5, 50)}
        for command in (("check",), ("status",), ("terms", "cover"), ("preview",)):
            tell(f"{' '.join(command)}, {{}} locales x 3 stores x 10 shots", [*where],
                 lambda size, command=command: (*command, "--project", where[size]))  # fmt: skip
        where = {size: str(long_text(folder, size)) for size in (10_000, 100_000, 10_000_000)}
        for command in ("check", "preview"):
            tell(
                f"{command}, a text of {{:,}} characters",
                [*where],
                lambda size, command=command: (command, "--project", where[size]),
            )


if __name__ == "__main__":
    main()
