"""Draft replies to the reviews that wait for one. What a person wrote or changed stays as it is."""

from collections import Counter
from collections.abc import Collection
from dataclasses import dataclass, replace
from datetime import date
from typing import Literal, NamedTuple

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.replies import reply_faults
from tavolan.errors import UsageError
from tavolan.languages.tags import language_of, same_writing, tag_fault
from tavolan.project.addresses import REPLIES
from tavolan.project.datafile import REPLIES as REPLIES_FILE
from tavolan.project.model import Project
from tavolan.project.state import digest
from tavolan.reviews.fitting import misfits, mood_against_stars, same_words
from tavolan.reviews.queue import Waiting, review_queue, waiting_review
from tavolan.reviews.reader_language import reader_locale
from tavolan.reviews.reply_table import Reply, read_replies, write_replies
from tavolan.reviews.templates import Templates, fill, read_templates
from tavolan.support.transaction import changing
from tavolan.words.likely_language import likely_language, other_language

Standing = Literal["new", "drafted anew", "as it was", "by a person"]
TO_MANY = Rule("reply-to-many", "warning")
# So many replies with the very same words nobody minds.
MOST_ALIKE = 3


@dataclass(frozen=True)
class DraftedReply:
    """A reply, the review that it's for, where it comes from, and what's wrong with it."""

    review: Waiting
    reply: Reply
    standing: Standing
    findings: list[Finding]


class WithoutDraft(NamedTuple):
    """A review that gets no draft, and why."""

    review: Waiting
    why: str


@dataclass(frozen=True)
class Drafts:
    """All drafts of a run, and the reviews that get none."""

    drafts: list[DraftedReply]
    without: list[WithoutDraft]


def draft_replies(
    project: Project,
    today: date,
    stores: Collection[str] = (),
    storefronts: Collection[str] = (),
    locales: Collection[str] = (),
    most: int = 20,
    *,
    write: bool = True,
) -> Drafts:
    """Draft replies to the first `most` reviews of the queue, and keep them in `data/replies.csv`.

    Raises UsageError without `replies.toml` or reviews, ProjectError for faults in them.
    """
    templates, known = read_templates(project), read_replies(project)
    queue = review_queue(project, today, stores, storefronts, locales, most)
    if not queue.reviews and not (stores or storefronts or locales):
        raise UsageError("there are no reviews", "Take some in: tavolan import --as reviews FILE")
    drafter = _Drafter(project, templates, known)
    made: list[tuple[Waiting, Reply, Standing]] = []
    without = []
    for review in queue.first:
        outcome = drafter.draft(review)
        if isinstance(outcome, str):
            without.append(WithoutDraft(review, outcome))
        else:
            made.append((review, *outcome))
    merged = _merged(known, [reply for _, reply, _ in made])
    if write:
        _keep(project, merged)
    uses = uses_of(merged)
    drafts = [DraftedReply(*one, findings_of(project, one[1], uses, one[0], templates)) for one in made]
    return Drafts(drafts, without)


def write_by_hand(
    project: Project, today: date, review_id: str, text: str, store: str = "", *, write: bool = True
) -> DraftedReply:
    """Keep a person's own reply to a review. Raises UsageError for a review that isn't there."""
    review = waiting_review(project, today, review_id, store)
    reply = Reply(_store_of(project, review), review.id, _locale_of_answer(project, review, text), "", text)
    merged = _merged(read_replies(project), [reply])
    if write:
        _keep(project, merged)
    return DraftedReply(review, reply, "by a person", findings_of(project, reply, uses_of(merged), review))


def _locale_of_answer(project: Project, review: Waiting, text: str) -> str:
    """Return the locale that a person's answer is to be in: the reader's.

    Two words as "Love it" aren't proof of a language: there the storefront's is as good.
    """
    reader = reader_locale(project, review.text, review.locale) or review.locale
    is_sure = likely_language(review.text, review.locale) != language_of(review.locale)
    return reader if is_sure or not other_language(text, reader) else review.locale


def findings_of(
    project: Project,
    reply: Reply,
    uses: "Counter[tuple[str, str]]",
    review: Waiting | None = None,
    templates: Templates | None = None,
) -> list[Finding]:
    """Return what's wrong with a reply; `uses` counts how often each text is used in a store.

    Without the `review` that it's for, nobody can tell whether it suits it; without `templates`, none asks for words.
    """
    at = Location(store=reply.store, locale=reply.locale, field=f"reply {reply.id}", path=REPLIES_FILE.name, line=None)
    table = templates.tables.get(reply.template) if templates else None
    faults = [
        *reply_faults(project, reply.store, reply.locale, reply.text),
        *(misfits(reply, review, is_about=bool(table and table.about)) if review else ()),
    ]
    found = [fault.rule.finding(at, fault.message, fault.remedy, subject=fault.subject) for fault in faults]
    if (count := uses[reply.store, reply.text]) > MOST_ALIKE:
        message = f"is word for word what {count} readers get"
        remedy = "Change a few words, or give the template several texts in replies.toml."
        found.append(TO_MANY.finding(at, message, remedy))
    return found


def uses_of(replies: list[Reply]) -> "Counter[tuple[str, str]]":
    """Return how often each text is used in a store."""
    return Counter((one.store, one.text) for one in replies)


def _merged(known: list[Reply], made: list[Reply]) -> list[Reply]:
    """Return all replies, new ones in the place of earlier drafts for the same review."""
    fresh = {(one.store, one.id) for one in made}
    return [*(one for one in known if one.sent or (one.store, one.id) not in fresh), *made]


def _keep(project: Project, replies: list[Reply]) -> None:
    with changing(project.root):
        write_replies(project, replies)


def _store_of(project: Project, review: Waiting) -> str:
    """Return the store of a review; a row without one is of the only store. Raises UsageError where it isn't known."""
    if review.store:
        return review.store
    if len(project.stores) > 1:
        raise UsageError(f"it isn't known which store review {review.id} is of", "Import it with --store.")
    return next(iter(project.stores))


class _NoDraftError(Exception):
    """No draft suits a review; the text says why."""


class _Drafter:
    """Drafts one reply after the other; of several texts each takes the one that was used least."""

    def __init__(self, project: Project, templates: Templates, known: list[Reply]) -> None:
        self.project, self.templates = project, templates
        self._open = {(one.store, one.id): one for one in known if not one.sent}
        self._used = Counter((one.store, one.text) for one in known if one.sent)
        self._sent = {(one.store, one.id): one.text for one in known if one.sent}

    def draft(self, review: Waiting) -> tuple[Reply, Standing] | str:
        """Return a reply and where it comes from, or why there's none."""
        store = _store_of(self.project, review)
        try:
            self._check_place(store, review.locale)
            before = self._open.get((store, review.id))
            if before and before.is_edited:
                return before, "by a person"
            reply = self._drafted(store, review)
        except _NoDraftError as error:
            return str(error)
        return reply, "new" if before is None else "as it was" if before == reply else "drafted anew"

    def _drafted(self, store: str, review: Waiting) -> Reply:
        """Return a draft. Raises _NoDraftError where none would suit the review."""
        locale = reader_locale(self.project, review.text, review.locale)
        if not locale:
            raise _NoDraftError(f"its language isn't that of {review.locale}, and nobody can tell which it is")
        name, phrase = self._template(review, locale)
        filled = [self._filled(text, review, phrase) for text in self._texts(locale, name)]
        known = (review.reply, self._sent.get((store, review.id), ""))
        filled = [text for text in filled if not any(same_words(text, one) for one in known)]
        if not filled:
            raise _NoDraftError("the reader has this answer already: say what's new since, by hand")
        text = min(filled, key=lambda one: self._used[store, one])
        self._used[store, text] += 1
        return Reply(store, review.id, locale, name, text, digest(text))

    def _check_place(self, store: str, locale: str) -> None:
        """Raise _NoDraftError where no reply can be drafted for a store and locale."""
        if store not in self.project.stores:
            raise _NoDraftError(f"{store} is no store of this project")
        if tag_fault(locale):
            raise _NoDraftError(f"{locale} is no language")
        if not self.project.stores[store].rulebook.field_with("reply"):
            raise _NoDraftError(f"{store} takes no replies")

    def _template(self, review: Waiting, locale: str) -> tuple[str, str]:
        """Return the template for a review, and the phrase that it holds. Raises _NoDraftError where none suits it."""
        matching = next(self.templates.matching(replace(review, locale=locale)), None)
        if matching is None:
            raise _NoDraftError("no template of replies.toml is for it")
        name, phrase = matching
        if not self.templates.tables[name].about and (odd := mood_against_stars(review, locale)):
            raise _NoDraftError(f"{odd}: answer it by hand")
        return name, phrase

    def _filled(self, text: str, review: Waiting, phrase: str) -> str:
        app = self.project.app
        values = {"app": app.name, "version": app.version, "review_version": review.version, "words": phrase}
        return fill(text, values | dict(self.templates.values))

    def _texts(self, locale: str, template: str) -> list[str]:
        """Return a template's texts for a reader: of the same locale, else of one of its language and script.

        Raises _NoDraftError where there are none.
        """
        names = self.templates.tables[template].texts or [template]
        copy = self.project.copy
        for tag in (locale, *(tag for tag in copy if same_writing(tag, locale))):
            if tag in copy:
                values = [copy[tag].entry(REPLIES, name) for name in names]
                if texts := [str(value.content) for value in values if value.written]:
                    return texts
        raise _NoDraftError(f"[replies] {' or '.join(names)} isn't written in {locale}")
