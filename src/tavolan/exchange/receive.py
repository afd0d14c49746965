"""Receive translations: check that they belong here, merge with what changed meanwhile, write what can be written."""

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from pathlib import Path

from tavolan.errors import Problem, ProjectError, UsageError, nearest, one_problem
from tavolan.exchange.glossary import GlossaryTerm, forbidden, read_glossary
from tavolan.exchange.inline import has_emphasis, lost
from tavolan.exchange.po import parse_gettext
from tavolan.exchange.review_answers import parse_answers
from tavolan.exchange.sides import Keep
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.exchange.xliff import parse_xliff
from tavolan.project.approvals import lock_of, unlock_remedy
from tavolan.project.approving import approve
from tavolan.project.load import load_project
from tavolan.project.memory import Pair, parse_tmx, remember
from tavolan.project.model import Project
from tavolan.project.state import StateEntry, TranslationState, digest
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.support.files import read_bytes
from tavolan.support.transaction import changing
from tavolan.support.xmlfile import bad_character
from tavolan.words.likely_language import other_language

# All texts of a project in one language take some ten thousand characters.
MOST_EXCHANGE_BYTES = 50_000_000


@dataclass(frozen=True)
class Refused:
    """A text that wasn't taken, and why."""

    locale: str
    address: str
    why: str
    target: str = ""


@dataclass(frozen=True)
class Remark:
    """What a reviewer said of a text."""

    locale: str
    address: str
    reviewer: str
    words: str


@dataclass
class Received:
    """What came of receiving files."""

    changes: list[TextChange] = field(default_factory=list)
    confirmed: list[TextChange] = field(default_factory=list)
    works: dict[tuple[str, str], TranslationState] = field(default_factory=dict)
    conflicts: list[TextChange] = field(default_factory=list)
    refused: list[Refused] = field(default_factory=list)
    over: list[Refused] = field(default_factory=list)
    doubts: list[Refused] = field(default_factory=list)
    # Texts that reviewers call right, as locale and address, by reviewer and day.
    approved: dict[tuple[str, str], list[tuple[str, str]]] = field(default_factory=dict)
    remarks: list[Remark] = field(default_factory=list)
    same: int = 0
    empty: int = 0


def read_all(paths: Iterable[Path], locale: str = "") -> tuple[list[TranslationRequest], dict[Path, list[Pair]]]:
    """Return the requests of all files, and the pairs of those that are translation memories (TMX).

    Raises ProjectError with the problems of all files.
    """
    requests: list[TranslationRequest] = []
    memories: dict[Path, list[Pair]] = {}
    problems: list[Problem] = []
    for path in paths:
        try:
            if path.suffix.lower() == ".tmx":
                memories[path] = parse_tmx(read_bytes(path, str(path), MOST_EXCHANGE_BYTES), str(path))
            else:
                requests += read_requests(path, locale)
        except ProjectError as error:
            problems += error.problems
    if problems:
        raise ProjectError(problems)
    return requests, memories


def read_requests(path: Path, locale: str = "") -> list[TranslationRequest]:
    """Return the requests of a file, whose content decides its format. Raises ProjectError when it can't be taken."""
    data = read_bytes(path, str(path), MOST_EXCHANGE_BYTES)
    start = data.lstrip(b"\xef\xbb\xbf \t\r\n")[:200]
    if start.startswith(b"<"):
        return parse_xliff(data, str(path))
    if path.suffix.lower() in (".po", ".pot") or b"msgid" in data[:4000]:
        return [parse_gettext(data, str(path), locale)]
    if start.startswith(b"{"):
        return [parse_answers(data, str(path))]
    message = "is neither XLIFF nor PO, nor saved on a review page"
    raise one_problem(str(path), None, "", message, "Give the file that came back.")


def receive(project: Project, requests: list[TranslationRequest], keep: Keep = "ask") -> Received:
    """Work out what requests change; nothing is written. Raises ProjectError for one that isn't for this project."""
    texts = Texts(project)
    received = Received()
    terms = read_glossary(project.root)
    problems = [problem for request in requests for problem in _strays(project, request)]
    if problems:
        raise ProjectError(problems)
    for request in requests:
        locale = _locale(project, request)
        for text in request.texts:
            _one(texts, terms, locale, text, keep, received)
            if text.remark:
                received.remarks.append(Remark(locale, text.address, request.reviewer, text.remark))
        _approvals(texts, locale, request, received)
    return received


def _approvals(texts: Texts, locale: str, request: TranslationRequest, received: Received) -> None:
    """Note which texts a reviewer calls right: those that the project will hold as they were seen."""
    left = {(each.locale, each.address) for each in (*received.refused, *received.over)}
    changed = {change.address: change.after for change in received.changes if change.locale == locale}
    right = [
        (locale, text.address)
        for text in request.texts
        if text.work == "approved"
        and (locale, text.address) not in left
        and text.target.strip()
        and changed.get(text.address, texts.get(locale, text.address)) == text.target
    ]
    if right and request.reviewer and request.day:
        received.approved.setdefault((request.reviewer, request.day.isoformat()), []).extend(right)


def _locale(project: Project, request: TranslationRequest) -> str:
    """Return the project's locale that a request is for; tools write codes with other capitals or an underscore."""
    wanted = request.locale.replace("_", "-").lower()
    return next((tag for tag in project.app.locales if tag.lower() == wanted), "")


def problem_of_other_app(project: Project, app: str, place: str, where: str) -> Problem | None:
    """Return what's wrong with a file that came back where it's another app's."""
    if app == project.app.name:
        return None
    message = f'is for "{app}", and this project is "{project.app.name}"'
    return Problem(place, None, where, message, "Receive it in its own project.")


def _strays(project: Project, request: TranslationRequest) -> list[Problem]:
    found = []
    if request.app and (stray := problem_of_other_app(project, request.app, request.place, "original")):
        found.append(stray)
    if request.source_locale and request.source_locale.replace("_", "-").lower() != project.source_locale.lower():
        message = f"is from {request.source_locale}, and this project is written in {project.source_locale}"
        found.append(Problem(request.place, None, "source language", message, "Send the texts again."))
    if not _locale(project, request):
        message = f'is for the locale "{request.locale}", which this project hasn\'t'
        found.append(
            Problem(request.place, None, "target language", message, nearest(request.locale, project.app.locales))
        )
    elif _locale(project, request) == project.source_locale:
        message = "is a translation into the source locale itself"
        found.append(Problem(request.place, None, "target language", message, "Edit the source in copy/ instead."))
    return found


def _one(
    texts: Texts, terms: list[GlossaryTerm], locale: str, text: TranslationUnit, keep: Keep, received: Received
) -> None:
    """Sort one text: refused, empty, unchanged, a conflict, or a change."""
    text = _unindented(texts, text)
    why = _refusal(texts, locale, text, terms)
    if why:
        received.refused.append(Refused(locale, text.address, why, text.target))
        return
    if not text.target.strip():
        received.empty += 1
        return
    mine = texts.get(locale, text.address)
    work: TranslationState = "reviewed" if text.work in ("reviewed", "approved") else "translated"
    # The project's text changed since it was sent; the one that came back may be the one that went out.
    touched = bool(text.base) and bool(mine) and digest(mine) != text.base
    if text.target == mine:
        _unchanged(texts, locale, text, work, received)
    elif touched and (keep == "mine" or digest(text.target) == text.base):
        received.same += 1
    elif touched and keep == "ask":
        received.conflicts.append(TextChange(locale, text.address, mine, text.target))
    else:
        if over := texts.over(locale, text.address, text.target):
            received.over.append(Refused(locale, text.address, over, text.target))
        if texts.is_prose(text.address) and (language := other_language(text.target, locale)):
            received.doubts.append(Refused(locale, text.address, f"looks like {language}", text.target))
        received.changes.append(TextChange(locale, text.address, mine, text.target))
        received.works[locale, text.address] = work


def _unindented(texts: Texts, text: TranslationUnit) -> TranslationUnit:
    """Return a text as it was before a tool indented the file: its source differs in white space alone then."""
    if text.address not in texts.known:
        return text
    original = texts.get(texts.project.source_locale, text.address)
    if text.source == original or text.source.split() != original.split():
        return text
    # Without line breaks of its own, all white space within is the tool's.
    target = text.target.strip() if "\n" in original else " ".join(text.target.split())
    return replace(text, source=original, target=target)


def _refusal(texts: Texts, locale: str, text: TranslationUnit, terms: list[GlossaryTerm]) -> str:
    """Return why a text can't be taken, or nothing."""
    try:
        texts.key(text.address)
    except UsageError as error:
        return str(error)
    if not text.target.strip():
        return ""
    if character := bad_character(text.target):
        return f"holds {character}, which no store takes"
    if text.source != texts.get(texts.project.source_locale, text.address):
        return "the source changed since this was sent: send it again"
    if text.target != texts.get(locale, text.address) and (lock := lock_of(texts, locale, text.address)):
        return f"{lock}. {unlock_remedy(locale, text.address)}"
    faults = lost(text.source, text.target, has_emphasis(text.address))
    return "; ".join([*faults, *forbidden(terms, text.source, text.target, locale)])


def _unchanged(texts: Texts, locale: str, text: TranslationUnit, work: TranslationState, received: Received) -> None:
    """A translation that stays as it is may have been reviewed, or found to serve the changed source as well.

    One that differs from what was sent was taken before, by a run that may have been killed before it remembered so.
    One of unknown origin came back beside the source as it is now: it's taken as made from that.
    """
    entry = texts.project.origins.get((locale, text.address))
    taken = bool(text.base) and digest(text.target) != text.base
    now = StateEntry(digest(text.source), work, digest(text.target))
    if (work == "reviewed" or taken or entry is None) and entry != now:
        received.confirmed.append(TextChange(locale, text.address, text.target, text.target))
        received.works[locale, text.address] = work
    received.same += 1


def take(project: Project, received: Received) -> None:
    """Write what was received, all of it or nothing."""
    texts = Texts(project)
    source = project.source_locale
    pairs = [Pair(source, c.locale, texts.get(source, c.address), c.after, c.address) for c in received.changes]
    written: dict[TranslationState, list[TextChange]] = {}
    for change in (*received.changes, *received.confirmed):
        written.setdefault(received.works[change.locale, change.address], []).append(change)
    writer = TextWriter(texts)
    with changing(project.root):
        remember(project.root, pairs, source)
        for work, changes in written.items():
            writer.write(changes, work)
        for (reviewer, day), right in received.approved.items():
            approve(Texts(load_project(project.root)), right, reviewer, day)
