"""Spoil files as people and machines do: bytes, cells of tables, and values of TOML."""

from __future__ import annotations

import random
import re

TOKENS = [
    b"\0", b"\x07", b"\x1b[31m", b"\xff", b"\xef\xbb\xbf", b"\xed\xa0\x80", "\u202e".encode(), b"\r", b"\n\n", b'"', b"'", b'"""', b"[", b"]]",
    b"{", b"}", b"<", b">", b"&#0;", b"&x;", b"]]>", b"=", b"=1+1", b"-1", b"9" * 400, b"1e999", b"nan", b"-inf", b"true", b"../", b"/etc/passwd",
    b"[" * 300, b"<a>" * 300, b"{a=" * 300, b"\\", b"\\u0000", b"\\ud800", b"%s", b"{{", b",", b";", b"|", b"\t", "ß".encode() * 50, b"x" * 5000,
]  # fmt: skip
# What somebody types into a cell.
CELLS = [
    "", " ", "0", "-1", "1e308", "1e-308", "nan", "inf", "1,5", "1.000,5", "12 %", "n/a", "-", "0001-01-01", "9999-12-31", "2026-02-30", "1970-01-01",
    "2199-12-31", "31.03.2026", "2026-05-01T10:00", "US", "us", "XX", "ios", "iso", "=1+1", "'x", '"', "a" * 300, "٣", "½", "\u202e", "1", "2", "100", "99999999999999999999",
    "2026-05-02", "en-US", "de_DE", "ear-SA", "yes", "İ", "ﬁ", "👩‍🚒", "\u0301",
]  # fmt: skip
# What somebody writes for a value of TOML.
VALUES = [
    "0", "-1", "1", "2", "1e308", "nan", "inf", "true", "false", '""', '"x"', "[]", "{}", "[[]]", "[0, 0, 0, 0]", "[1, 2, 3, 4]", "[0.2, 0.2, 0.9, 0.9]", "[{}]", '["x"]',
    "2026-11-30", "0001-01-01", "9999-12-31", "12:00:00", "99999999999999999999", "0.0000001", '"../../x"', '"/etc/passwd"', '"#12345"', '"#000000"',
    '"en-US"', '"ios"', '"home"', '"\\u0000"', '"\\u202e"', '"{app}"', '"*a"', '"' + "w" * 400 + '"', '{ x = 1 }', '["en-US", "en-US"]', "3.5", "100000",
]  # fmt: skip
_VALUE = re.compile(r"(?m)(= *)(.+?)( *(?:#.*)?)$")


def spoiled(data: bytes, name: str, dice: random.Random) -> bytes:
    """Return a file with some faults, as befit its kind."""
    if name.endswith(".csv") and dice.random() < 0.6:
        return _cells(data, dice)
    if name.endswith(".toml") and dice.random() < 0.6:
        return _values(data, dice)
    return mutated(data, dice)


def mutated(data: bytes, dice: random.Random) -> bytes:
    """Return a file with some faults: bytes changed, taken out, doubled, cut, or odd ones put in."""
    made = bytearray(data)
    for _ in range(dice.choice((1, 1, 1, 2, 3, 8))):
        at = dice.randrange(len(made) + 1)
        kind = dice.randrange(7)
        if kind == 0 and made:
            made[min(at, len(made) - 1)] = dice.randrange(256)
        elif kind == 1:
            del made[at : at + dice.choice((1, 4, 64))]
        elif kind == 2:
            made[at:at] = made[at : at + dice.choice((1, 16, 256))]
        elif kind == 3 and dice.random() < 0.3:
            del made[at:]
        elif kind == 4:
            other = dice.randrange(len(made) + 1)
            made[at:at] = made[other : other + 40]
        else:
            made[at:at] = dice.choice(TOKENS)
    return bytes(made)


def _cells(data: bytes, dice: random.Random) -> bytes:
    """Return a table with other cells, rows that are there twice, in another order, or gone."""
    head, *rows = data.decode("utf-8").splitlines()
    lines = [row.split(",") for row in rows]
    for _ in range(dice.choice((1, 1, 2, 4))):
        kind = dice.randrange(10)
        if not lines or kind == 0:
            lines.append([dice.choice(CELLS) for _ in head.split(",")])
        elif kind == 1:
            lines.append(list(dice.choice(lines)))
        elif kind == 2:
            del lines[dice.randrange(len(lines))]
        elif kind == 3:
            at = dice.randrange(len(head.split(",")))
            for row in lines:
                row[at : at + 1] = [dice.choice(CELLS)]
        else:
            row = dice.choice(lines)
            row[dice.randrange(len(row))] = dice.choice(CELLS)
    return "\n".join([head, *(",".join(row) for row in lines), ""]).encode("utf-8")


def _values(data: bytes, dice: random.Random) -> bytes:
    """Return TOML with other values."""
    text = data.decode("utf-8")
    places = list(_VALUE.finditer(text))
    for place in sorted(
        dice.sample(places, min(len(places), dice.choice((1, 1, 2)))), key=lambda found: -found.start()
    ):
        text = text[: place.start(2)] + dice.choice(VALUES) + text[place.end(2) :]
    return text.encode("utf-8")
