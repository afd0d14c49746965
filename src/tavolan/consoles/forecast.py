"""What a reviewer is likely to refuse, before a version is handed over; and a draft of the review notes.

From three sources: findings of the check whose rules reviewers care about, facts that don't go together, and what was
refused before, by the journal.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from datetime import date
from functools import cache
from pathlib import Path
from typing import Any, Literal

from tavolan.checking import run_checks
from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.refusals import text_now
from tavolan.languages.tags import language_of
from tavolan.project.model import Project, Store
from tavolan.project.state import digest
from tavolan.project.toml_edit import TomlEditor
from tavolan.support.shipped import shipped_toml
from tavolan.support.transaction import changing
from tavolan.words import split
from tavolan.words.phrases import phrase_of, words_of

Likelihood = Literal["likely", "possible"]
_ANSWERS = Rule("answers-doubtful", "warning")
_NOTES = Rule("review-notes-empty", "note")


@dataclass(frozen=True)
class Risk:
    """Something that a reviewer may refuse: the finding, how likely that is, and why they care."""

    finding: Finding
    likelihood: Likelihood
    why: str


def forecast(project: Project, store: str, today: date, findings: Iterable[Finding] | None = None) -> list[Risk]:
    """Return what a reviewer of a store may refuse, the likely first. `findings` that are known spare another check."""
    own = project.stores[store]
    known = run_checks(project, today) if findings is None else findings
    reasons: dict[str, str] = _lists()["check"]
    risks = [
        Risk(one, "likely" if one.level == "error" else "possible", reasons[one.rule])
        for one in known
        if one.rule in reasons
        and not one.waived
        and one.concerns(store)
        and (one.level != "note" or one.rule == "to-write")
    ]
    risks += _from_facts(project, own)
    risks += _from_texts(project, own)
    return sorted(risks, key=lambda risk: (risk.likelihood != "likely", risk.finding.sort_key()))


@cache
def _lists() -> dict[str, Any]:
    return shipped_toml(Path(__file__).parent / "refusals.toml")


def _fact(project: Project, store: Store, key: str) -> tuple[Any, Location] | None:
    """Return a fact and its place; None where the store has no such field."""
    if key not in store.rulebook.fields:
        return None
    value = project.once_value(store.id, key)
    at = Location(store=store.id, field=key, path=value.source.shown, line=value.line if value.written else None)
    return value.content, at


def _from_facts(project: Project, store: Store) -> Iterator[Risk]:
    """Yield empty review notes where a reviewer needs some to see all of the app."""
    notes, sign_in = _fact(project, store, "review_notes"), _fact(project, store, "review_sign_in")
    needed = bool(sign_in and isinstance(sign_in[0], dict) and sign_in[0].get("needed"))
    reasons = {
        "a sign-in is needed": needed,
        "something is sold inside the app": bool(project.app.items),
        "it's the first version": project.app.first_version,
    }
    reason = next((words for words, holds in reasons.items() if holds), "")
    if notes and not notes[0] and reason:
        finding = _NOTES.finding(notes[1], f"is empty, and {reason}", "Take the draft: --write-notes.")
        yield Risk(finding, "possible", "reviewers who don't find something refuse")


def _from_texts(project: Project, store: Store) -> Iterator[Risk]:
    """Yield answers of "none" that the words of a description don't go with."""
    answers = [
        (key, str(topic), str(given))
        for key, rule in project.fields_of(store, "once").items()
        if rule.kind == "answers"
        for topic, given in (project.once_value(store.id, key).content or {}).items()
    ]
    nothing = {topic: key for key, topic, given in answers if given.casefold() == "none"}
    key = store.rulebook.field_with("prose")
    for locale in store.locales if key else ():
        value = project.value(store.id, locale, key)
        if not value.written or value.inherited_from:
            continue
        match = split.language_matching(locale)
        words = words_of(str(value.content), match)
        for topic, field in nothing.items():
            phrases = _lists()["topic"].get(topic, {}).get(language_of(locale), ())
            found = next((phrase for phrase in phrases if words.holds_in_order(phrase_of(phrase, match))), "")
            if found:
                at = Location(store=store.id, locale=locale, field=key, path=value.source.shown, line=value.line)
                message = f'says "{found}", and {field} answers {topic} with "none"'
                yield Risk(
                    _ANSWERS.finding(at, message, "Answer it as the app is.", subject=found),
                    "possible",
                    "answers that the page belies are refused",
                )


def refusal_text(project: Project, store: str, locale: str, field: str) -> str:
    """Return the text that a refusal is about, as the journal keeps it."""
    return text_now(project, project.stores[store], locale, field)[0]


def draft_notes(project: Project, store: str) -> str:
    """Return a draft of the review notes: what's new, how to sign in, what's sold, what was refused, whom to ask."""
    own, source = project.stores[store], project.source_locale
    parts = [f"{project.app.name} {project.app.version}".strip()]
    key = own.rulebook.field_with("notes")
    news = project.value(store, source, key) if key else None
    if news and news.written:
        parts.append(f"What's new:\n{str(news.content).strip()}")
    sign_in = _fact(project, own, "review_sign_in")
    if sign_in and isinstance(sign_in[0], dict):
        who, where = sign_in[0].get("user", "…"), sign_in[0].get("password_reference", "…")
        parts.append(
            f"Sign-in: user {who}, password: {where}." if sign_in[0].get("needed") else "No sign-in is needed."
        )
    key = own.rulebook.field_with("name")
    names = [str(project.item_value(source, item, key).content or item) for item in project.app.items]
    if names:
        parts.append(f"Sold inside the app: {', '.join(names)}.")
    changed = [
        f"- {line.locale} {line.field}: {line.refusal}. It was “{line.after}”, now it's “{now}”."
        for line in project.tables.journal
        if line.store == store
        and line.refusal
        and (now := text_now(project, own, line.locale, line.field)[0])
        and digest(now) != line.to_digest
    ]
    if changed:
        parts.append("Refused before, and changed since:\n" + "\n".join(changed))
    contact = _fact(project, own, "review_contact")
    if contact and isinstance(contact[0], dict):
        said = [str(contact[0][part]) for part in ("first_name", "last_name", "phone", "email") if contact[0].get(part)]
        parts.append(f"Questions: {' '.join(said)}")
    return "\n\n".join(parts) + "\n"


def write_notes(project: Project, store: str, text: str) -> None:
    """Write review notes into tavolan.toml, for one store."""
    editor = TomlEditor(project.root / "tavolan.toml", "tavolan.toml")
    with changing(project.root):
        editor.set(("store", store, "once", "review_notes"), text)
        editor.save()
