"""Machine drafts: ask a provider for what's missing or outdated, batch by batch, and keep every answer.

Each answer is kept under `out/drafts/` before anything else happens with it, so an interrupted run goes on where it
was. A person's text is never overwritten: an outdated one gets its draft as an alternate.
"""

import threading
from collections.abc import Callable, Iterator
from contextlib import suppress
from dataclasses import dataclass, field, replace
from pathlib import Path
from queue import Empty, SimpleQueue

from tavolan.errors import OutsideError, ProjectError, ProviderError, UnknownNameError, UsageError
from tavolan.exchange.glossary import forbidden, read_glossary
from tavolan.exchange.inline import has_emphasis, lost
from tavolan.exchange.provider import UNLISTED, Provider, provider_for
from tavolan.exchange.send import request_for
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.exchange.xliff import parse_xliff, write_xliff
from tavolan.project.approvals import lock_of
from tavolan.project.load import load_project
from tavolan.project.memory import read_memory
from tavolan.project.model import Project
from tavolan.project.service_schema import USUAL_BATCH, USUAL_PARALLEL, ProviderTable
from tavolan.project.state import digest
from tavolan.project.text_writing import TextWriter
from tavolan.project.texts import TextChange, Texts
from tavolan.project.translation_progress import is_drafted
from tavolan.support.files import read_bytes, write_inside
from tavolan.support.transaction import changing
from tavolan.support.trust import (
    Program,
    Service,
    forget_program,
    forget_service,
    require_program,
    require_trust,
    secret_of,
    trust_program,
    trust_service,
)
from tavolan.support.xmlfile import bad_character

Progress = Callable[[int, int], None]
# How many texts are written at a time: the file of states is written anew each time, and until then the answers are
# kept anyway.
_AT_ONCE = 500


def provider_of(project: Project, name: str | None, url: str | None) -> Provider:
    """Return the provider to ask: the named one, the only one, or an address that the user gave.

    Raises UsageError, also for an address or a program of the project that the user doesn't trust.
    """
    if url:
        return provider_for(UNLISTED, ProviderTable(url=url))
    known = project.providers
    if name is None and len(known) == 1:
        name = next(iter(known))
    if name is None:
        if known:
            raise UsageError("say which one", f"Known here: {', '.join(known)}.", option="--provider")
        raise UsageError(
            "tavolan.toml has no [provider.<name>] with url or command", "To try it: tavolan standin translator"
        )
    if name not in known:
        raise UnknownNameError("tavolan.toml has no", name, known, option="--provider")
    table = known[name]
    if table.command:
        require_program(_program(project, name))
        return provider_for(name, table)
    service = Service("provider", (name,), table.url)
    require_trust(service)
    return provider_for(name, table, secret_of(service, "token"))


def trust_provider(project: Project, name: str) -> str:
    """Trust a provider that the project names: its address or its program, which is returned. Raises UsageError."""
    table = _named(project, name)
    if table.command:
        trust_program(_program(project, name))
        return " ".join(table.command)
    service = Service("provider", (name,), table.url)
    trust_service(service)
    return service.address


def forget_provider(project: Project, name: str) -> bool:
    """Take a provider's trust back; return whether it was trusted. Raises UsageError."""
    table = _named(project, name)
    if table.command:
        return forget_program(_program(project, name))
    return forget_service("provider", table.url)


def _named(project: Project, name: str) -> ProviderTable:
    if name not in project.providers:
        raise UnknownNameError("tavolan.toml has no", name, project.providers)
    return project.providers[name]


def _program(project: Project, name: str) -> Program:
    return Program(name, tuple(project.providers[name].command), project.root)


@dataclass
class Drafted:
    """What a run of drafts did, per locale and field."""

    written: list[TextChange] = field(default_factory=list)
    aside: list[TextChange] = field(default_factory=list)
    over: list[tuple[str, str, str]] = field(default_factory=list)
    broken: list[tuple[str, str, str]] = field(default_factory=list)
    missing: list[tuple[str, str]] = field(default_factory=list)
    failed: str = ""
    unused: dict[str, tuple[int, int]] = field(default_factory=dict)

    def lines(self) -> list[tuple[str, str]]:
        """Return what happened beside drafts that were written: what became of a text, and which and why."""
        found = [("not taken", f"{tag} {address}: {why}") for tag, address, why in self.broken]
        found += [("too long", f"{tag} {address}: {why}; it's marked over") for tag, address, why in self.over]
        found += [
            ("aside", f"{c.locale} {c.address}: a person wrote the text, so the draft is an alternate")
            for c in self.aside
        ]
        found += [("no answer", f"{tag} {address}") for tag, address in self.missing]
        return [*found, ("stopped", self.failed)] if self.failed else found

    def keywords_hint(self) -> str:
        """Say why keyword lists weren't asked for, and what a literal translation would leave unused."""
        text = "Keyword lists aren't drafted: people search in words of their own. "
        text += "Find them: tavolan terms mine --locale TAG."
        parts = [f"{tag} {most - used} of {most}" for tag, (used, most) in self.unused.items() if used < most]
        if parts:
            text += f" Word for word, the source's list would leave unused: {', '.join(parts[:5])} characters."
        return text


class Drafter:
    """Asks one provider for the drafts of a project."""

    def __init__(self, project: Project, provider: Provider) -> None:
        self.project, self.provider = project, provider
        self.texts = Texts(project)
        self._writer = TextWriter(self.texts)
        self._seen = self._stamp()
        table = getattr(provider, "table", None)
        self.batch = table.batch if table else USUAL_BATCH
        self.parallel = table.parallel if table else USUAL_PARALLEL
        self.terms = read_glossary(project.root)
        self.protected = (project.app.name, *project.translate.keep)

    def plan(self, locales: list[str]) -> list[TranslationRequest]:
        """Return what would be asked for: texts that are missing, outdated, or drafted from an earlier source."""
        requests = []
        memory = read_memory(self.project.root)
        for locale in locales:
            request = request_for(self.texts, locale, memory, glossary=self.terms)
            wanted = [
                text
                for text in request.texts
                if text.standing in ("untranslated", "outdated") and not lock_of(self.texts, locale, text.address)
            ]
            if wanted:
                requests.append(replace(request, texts=wanted))
        return requests

    def run(self, requests: list[TranslationRequest], progress: Progress | None = None) -> Drafted:
        """Ask for all of it, batch by batch, and write what comes. Stops at a provider that fails; the rest is kept."""
        done = Drafted()
        batches = [batch for request in requests for batch in self._batches(request)]
        total, count = sum(len(batch.texts) for batch in batches), 0
        answers = self._answers(batches)
        waiting: list[tuple[str, TranslationUnit, TranslationUnit | None]] = []
        for asked in batches:
            try:
                given = {text.address: text for text in next(answers).texts}
            except (OutsideError, ProjectError) as error:
                done.failed = str(error)
                break
            waiting += [(asked.locale, text, given.get(text.address)) for text in asked.texts]
            if len(waiting) >= _AT_ONCE:
                self._take(waiting, done)
                waiting = []
            count += len(asked.texts)
            if progress:
                progress(count, total)
        self._take(waiting, done)
        for request in requests:
            self._measure_keywords(request.locale, done)
        return done

    def _batches(self, request: TranslationRequest) -> list[TranslationRequest]:
        return [
            replace(request, texts=request.texts[start : start + self.batch])
            for start in range(0, len(request.texts), self.batch)
        ]

    def _answers(self, batches: list[TranslationRequest]) -> Iterator[TranslationRequest]:
        """Yield the answers in order; others are asked for meanwhile, as many at a time as the provider is asked for.

        Raises what asking raised, and asks nothing more after it. Daemons do the asking, so that an interrupted run
        doesn't wait for a slow provider.
        """
        came: list[SimpleQueue[TranslationRequest | BaseException]] = [SimpleQueue() for _ in batches]
        left = SimpleQueue[int]()
        for number in range(len(batches)):
            left.put(number)
        over = threading.Event()

        def ask() -> None:
            with suppress(Empty):
                while not over.is_set():
                    number = left.get_nowait()
                    try:
                        came[number].put(self._answer(batches[number]))
                    except BaseException as error:
                        over.set()
                        came[number].put(error)

        for _ in range(min(self.parallel, len(batches))):
            threading.Thread(target=ask, daemon=True).start()
        try:
            for answer in came:
                given = answer.get()
                if isinstance(given, BaseException):
                    raise given
                yield given
        finally:
            over.set()

    def _answer(self, asked: TranslationRequest) -> TranslationRequest:
        """Return the provider's answer, from an earlier run where it's the same question."""
        document = write_xliff(asked)
        name = f"{asked.locale}-{digest(self.provider.name)}-{digest(document.decode())}.xlf"
        kept = self.project.root / "out" / "drafts" / name
        data = read_bytes(kept, f"out/drafts/{name}") if kept.is_file() else self.provider.ask(document)
        requests = parse_xliff(data, f"the answer of {self.provider.name}")
        if not requests:
            raise ProviderError(self.provider.name, "the answer holds no file")
        if not kept.is_file():
            write_inside(self.project.root, Path("out") / "drafts" / name, data)
        return requests[0]

    def _take(self, answered: list[tuple[str, TranslationUnit, TranslationUnit | None]], done: Drafted) -> None:
        """Write drafts, each with its locale: checked, a person's text left alone, as one change."""
        with changing(self.project.root):
            self._reread()
            self._write(answered, done)
        self._seen = self._stamp()

    def _reread(self) -> None:
        """Read the project again when somebody changed its texts while the provider was asked."""
        if self._seen != self._stamp():
            self.project = load_project(self.project.root)
            self.texts = Texts(self.project)
            self._writer = TextWriter(self.texts)

    def _stamp(self) -> dict[str, int]:
        return {path.name: path.stat().st_mtime_ns for path in (self.project.root / "copy").iterdir()}

    def _write(self, answered: list[tuple[str, TranslationUnit, TranslationUnit | None]], done: Drafted) -> None:
        changes, alternates = [], []
        source = self.project.source_locale
        for locale, text, answer in answered:
            draft = self._best(locale, text, answer)
            if not draft.strip():
                done.missing.append((locale, text.address))
                continue
            faults = lost(text.source, draft, has_emphasis(text.address), self.protected)
            faults += forbidden(self.terms, text.source, draft, locale)
            if character := bad_character(draft):
                faults.append(f"holds {character}, which no store takes")
            if text.source != self.texts.get(source, text.address):
                faults.append("the source was changed meanwhile")
            if faults:
                done.broken.append((locale, text.address, "; ".join(faults)))
                continue
            now = self.texts.get(locale, text.address)
            change = TextChange(locale, text.address, now, draft)
            if now and not is_drafted(self.texts, locale, text.address):
                alternates.append(change)
                continue
            if over := self.texts.over(locale, text.address, draft):
                done.over.append((locale, text.address, over))
            changes.append(change)
        if changes:
            self._writer.write(changes, "drafted")
        for change in alternates:
            self._put_aside(change)
        done.written += changes
        done.aside += alternates

    def _best(self, locale: str, text: TranslationUnit, answer: TranslationUnit | None) -> str:
        """Return the answer's text; of several offered (as translation candidates) the first that fits its limit."""
        if answer is None:
            return ""
        options = [answer.target, *answer.offers]
        fitting = (option for option in options if option and not self.texts.over(locale, text.address, option))
        return next(fitting, answer.target)

    def _put_aside(self, change: TextChange) -> None:
        if "." in change.address:
            path = Path("out") / "drafts" / f"{change.locale}-{change.address}.txt"
            write_inside(self.project.root, path, change.after.encode())
            return
        known = list(self.project.copy[change.locale].alternates(change.address).content or [])
        if change.after not in known:
            self._writer.write_alternates(change.locale, change.address, [*known, change.after])

    def _measure_keywords(self, locale: str, done: Drafted) -> None:
        """Note how much of the keyword budget the source's own list would take, as a literal translation about does."""
        address = next((key for key in self.project.keys_with("keywords") if key in self.texts.rules), "")
        source = self.texts.get(self.project.source_locale, address) if address else ""
        length = self.texts.length(locale, address, source) if source else None
        if length and length.limit is not None:
            done.unused[locale] = (length.measured, length.limit)
