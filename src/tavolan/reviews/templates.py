"""The project's own templates of replies: `replies.toml` says when which is taken, the copy files hold the texts."""

import re
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

from tavolan.errors import Problem, ProjectError, UsageError, nearest
from tavolan.languages.tags import language_of
from tavolan.project.addresses import REPLIES
from tavolan.project.load import read_model
from tavolan.project.model import Project, Source
from tavolan.project.replies_schema import RepliesFile, TemplateTable
from tavolan.reviews.mood import is_complaint, says
from tavolan.reviews.queue import LOW_STARS, Waiting
from tavolan.reviews.table import version_key
from tavolan.words import split
from tavolan.words.phrases import phrase_of, words_of

FILE = "replies.toml"
# Variables that the program knows; [values] adds others.
KNOWN = ("app", "version", "review_version", "words")
_VARIABLE = re.compile(r"\{([a-z][a-z0-9_]*)\}")


@dataclass(frozen=True)
class Templates:
    """All templates, in their order."""

    tables: Mapping[str, TemplateTable] = field(default_factory=dict)
    values: Mapping[str, str] = field(default_factory=dict)

    def matching(self, review: Waiting) -> Iterator[tuple[str, str]]:
        """Yield the templates whose conditions a review meets, first ones first, each with the phrase that it holds."""
        for name, table in self.tables.items():
            if table.stars and review.stars not in table.stars:
                continue
            if table.stores and review.store and review.store not in table.stores:
                continue
            if not _in_versions(table, review.version):
                continue
            phrase = _phrase_in(table, review) if table.about else ""
            if phrase is not None:
                yield name, phrase


def read_templates(project: Project) -> Templates:
    """Return the templates. Raises UsageError where there are none, ProjectError with every fault of the file."""
    path = project.root / FILE
    if not path.is_file():
        raise UsageError(f"there's no {FILE}", "Write when which reply is drafted: see docs/reviews.md.")
    problems: list[Problem] = []
    found, source = read_model(path, FILE, RepliesFile, problems)
    if found:
        problems += _faults(project, found, source)
    if problems or not found:
        raise ProjectError(problems)
    return Templates(found.template, found.values)


def _faults(project: Project, found: RepliesFile, source: Source) -> Iterator[Problem]:
    written: dict[str, Any] = project.copy[project.source_locale].data.get(REPLIES, {})
    for name, table in found.template.items():

        def problem(key: str, message: str, remedy: str, name: str = name) -> Problem:
            return Problem(FILE, source.line(("template", name, key)), f"template.{name}.{key}", message, remedy)

        for store in table.stores:
            if store not in project.stores:
                yield problem("stores", f'"{store}" is no store of this project', nearest(store, project.stores))
        languages = {language_of(tag) for tag in project.app.locales}
        for tag in table.about:
            if language_of(tag) not in languages:
                message = f"{tag} is no language of this project"
                yield problem("about", message, nearest(tag, project.app.locales))
        for text in table.texts or [name]:
            if text not in written:
                message = f"has no text: [replies] of copy/{project.source_locale}.toml lacks {text}"
                yield problem("texts", message, nearest(text, written) or "Write it there.")
                continue
            known = (*KNOWN, *found.values)
            for variable in _VARIABLE.findall(str(written[text])):
                if variable not in known:
                    message = f"{{{variable}}} of {text} is no variable"
                    yield problem("texts", message, f"{nearest(variable, known)} Or write it under [values].")


def fill(text: str, values: Mapping[str, str]) -> str:
    """Return a text with its variables filled in; one without a value stays as it is."""
    return _VARIABLE.sub(lambda found: values.get(found.group(1)) or found.group(), text)


def _in_versions(table: TemplateTable, version: str) -> bool:
    if not (table.since or table.before):
        return True
    key = version_key(version)
    if not version:
        return False
    return (not table.since or key >= version_key(table.since)) and (
        not table.before or key < version_key(table.before)
    )


def _phrase_in(table: TemplateTable, review: Waiting) -> str | None:
    """Return the first phrase of the review's language that it holds."""
    language = language_of(review.locale)
    match = split.language_matching(review.locale)
    words = _words(review.text, review.locale)
    for tag, phrases in table.about.items():
        if language_of(tag) == language:
            for phrase in phrases:
                if words.holds_in_order(phrase_of(phrase, match)) and not _is_denied(phrase, review):
                    return phrase
    return None


def _is_denied(phrase: str, review: Waiting) -> bool:
    """Whether a review says the opposite of a phrase: "it never crashes", or anything turned around amid praise."""
    may_be = review.stars > LOW_STARS or is_complaint(phrase, review.locale)
    return may_be and not says(review.text, phrase, review.locale)


@lru_cache(maxsize=64)
def _words(text: str, locale: str) -> Any:
    return words_of(text, split.language_matching(locale))
