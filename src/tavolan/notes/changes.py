"""From commits to what users feel: new, better, fixed, in short lines of plain words. Rules, not guesses."""

import re
from collections.abc import Iterable
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any, Literal

from tavolan.notes.gitlog import Commit
from tavolan.support.shipped import shipped_toml

Kind = Literal["new", "better", "fixed"]
KINDS: tuple[Kind, ...] = ("new", "better", "fixed")

# Conventional Commits 1.0.0: type, optional scope, "!" for what breaks, then the subject.
_CONVENTIONAL = re.compile(r"^(?P<type>[A-Za-z]+)(?:\((?P<scope>[^)]*)\))?(?P<breaks>!)?:\s+(?P<subject>.+)$")
_TICKETS = re.compile(r"\s*(?:\(?(?:#\d+|GH-\d+)\)?|\[[A-Z]+-\d+\]|\b[A-Z]{2,}-\d+\b:?)")
_REVERTED = re.compile(r"This reverts commit ([0-9a-f]{7,40})")
_NOTE = re.compile(r"^Release-note:\s*(.+)$", re.IGNORECASE | re.MULTILINE)
_NAMELESS = ("crash", "bug", "error", "issue", "problem", "glitch", "typo", "leak", "freeze", "hang")
_WEIGHTS = {"new": 30, "better": 20, "fixed": 10}


@dataclass(frozen=True)
class Bullet:
    """One line for users, and the commits that it describes. A higher weight goes last when room is short."""

    kind: Kind
    text: str
    weight: int
    commits: tuple[Commit, ...]


@dataclass(frozen=True)
class Dropped:
    """A commit that users don't hear of, and why."""

    commit: Commit
    why: str


@cache
def _rules() -> dict[str, Any]:
    return shipped_toml(Path(__file__).parent / "verbs.toml")


def bullets(commits: Iterable[Commit]) -> tuple[list[Bullet], list[Dropped]]:
    """Return what users feel, most important first, and what was left out."""
    commits = list(commits)
    gone = _reverted(commits)
    found: dict[tuple[Kind, str], Bullet] = {}
    dropped = []
    for commit in commits:
        if commit.id in gone:
            dropped.append(Dropped(commit, "reverted, or reverts"))
            continue
        kind, text, weight = _read(commit)
        if kind is None:
            dropped.append(Dropped(commit, text))
            continue
        known = found.get((kind, text.lower()))
        commits = (*known.commits, commit) if known else (commit,)
        found[kind, text.lower()] = Bullet(kind, text, max(weight, known.weight if known else 0), commits)
    ordered = sorted(found.values(), key=lambda bullet: (KINDS.index(bullet.kind), -bullet.weight))
    return ordered, dropped


def _reverted(commits: list[Commit]) -> set[str]:
    """Return the ids of reverting commits, and of those in this range that they take back."""
    gone = set()
    for commit in commits:
        found = _REVERTED.search(commit.body)
        quoted = re.match(r'^Revert "(.+)"$', commit.subject)
        if not found and not quoted:
            continue
        gone.add(commit.id)
        for other in commits:
            by_id = found and other.id.startswith(found.group(1))
            by_name = quoted and other.subject == quoted.group(1) and other.id not in gone and not found
            if by_id or by_name:
                gone.add(other.id)
    return gone


def _read(commit: Commit) -> tuple[Kind | None, str, int]:
    """Return kind, text and weight of a commit; kind None and the reason when users don't hear of it."""
    note = _NOTE.search(commit.body)
    if note and note.group(1).strip().lower() in ("none", "no"):
        return None, "its Release-note says none", 0
    conventional = _CONVENTIONAL.match(commit.subject)
    subject = conventional["subject"] if conventional else commit.subject
    kind, why = _kind(conventional["type"].lower() if conventional else "", subject)
    weight = _WEIGHTS.get(kind or "", 0)
    if (conventional and conventional["breaks"]) or "BREAKING CHANGE" in commit.body:
        weight += 15
    if note:
        return kind or "better", note.group(1).strip(), max(weight, 20) + 5
    if kind is None:
        return None, why, 0
    return kind, _plain(kind, subject), weight


def _kind(type_: str, subject: str) -> tuple[Kind | None, str]:
    rules = _rules()
    if type_ in rules["types"]["drop"]:
        return None, f"{type_} isn't for users"
    low = subject.lower()
    if word := next((word for word in rules["drop"]["words"] if re.match(rf"{re.escape(word)}\b", low)), None):
        return None, f"begins with {word}"
    if word := next((word for word in rules["drop"]["inside"] if re.search(rf"\b{re.escape(word)}\b", low)), None):
        return None, f"is about {word}"
    for kind in KINDS:
        if type_ in rules["types"][kind]:
            return kind, ""
    for kind in KINDS:
        if any(re.match(rf"{re.escape(verb)}\b", low) for verb in rules[kind]):
            return kind, ""
    return "better", ""


def _plain(kind: Kind, subject: str) -> str:
    """Return a subject in plain words: no tickets, no full stop, the verb turned to what users get."""
    text = _TICKETS.sub("", subject).strip().rstrip(".").strip()
    verbs = {verb: begin for group in KINDS for verb, begin in _rules()[group].items()}
    low = text.lower()
    verb = max((verb for verb in verbs if re.match(rf"{re.escape(verb)}\b", low)), key=len, default="")
    if verb:
        rest = text[len(verb) :].strip()
        begin = verbs[verb]
        if begin == "Fixed":
            rest = _with_article(rest)
        if begin == "" and rest.lower().startswith(("a ", "an ", "the ")):
            rest = rest.split(" ", 1)[1]
        text = f"{begin} {rest}".strip()
    elif kind == "fixed" and low.split(" ", 1)[0] in _NAMELESS:
        text = f"Fixed {_with_article(text)}"
    elif kind == "fixed":
        text = f"Fixed: {text[:1].lower()}{text[1:]}" if not _is_name(text) else f"Fixed: {text}"
    return text[:1].upper() + text[1:]


def _with_article(text: str) -> str:
    first = text.split(" ", 1)[0].lower()
    if first not in _NAMELESS:
        return text
    return f"{'an' if first[0] in 'aeiou' else 'a'} {text}"


def _is_name(text: str) -> bool:
    """Whether a text begins with something that keeps its capitals, as an abbreviation."""
    return len(text) > 1 and text[1].isupper()


def as_text(chosen: Iterable[Bullet], mark: str = "- ") -> str:
    """Return bullets as the text of a field, one a line."""
    return "\n".join(f"{mark}{bullet.text}" for bullet in chosen)
