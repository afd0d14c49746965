"""Checks of facts: each must be of the kind that its rulebook gives."""

from collections.abc import Iterator
from dataclasses import replace

from tavolan.checking.findings import Finding, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Place, Review
from tavolan.project.fact_faults import FactRule, choice_faults, kind_faults
from tavolan.support.days import is_day


@check("wrong-kind", "error")
def wrong_kind(review: Review, this: Rule) -> Iterator[Finding]:
    """A fact isn't of its kind: a record without its parts, an answer that's no choice, a price without its currency.

    `tavolan rules show` lists every fact with its kind.
    """
    for place in _facts(review):
        asked = FactRule(place.field, place.rule, place.store.rulebook.storefronts.reads)
        for fault in kind_faults(asked, place.value.content):
            yield place.finding(this, fault.message, fault.remedy, subject=fault.subject)


@check("unknown-choice", "warning")
def unknown_choice(review: Review, this: Rule) -> Iterator[Finding]:
    """A category, an age group or the like isn't among those that the store is known to offer.

    Stores add some now and then: what's new is a choice in `rules/<store>.toml`, or is waived.
    """
    for place in _facts(review):
        for fault in choice_faults(place.rule, place.value.content):
            yield place.finding(this, fault.message, fault.remedy, subject=fault.subject)


@check("release-past", "warning")
def release_past(review: Review, this: Rule) -> Iterator[Finding]:
    """The first version shall come out on a day that's past."""
    for place in _facts(review):
        value = place.value.content
        waits = place.rule.kind == "date" and review.project.app.first_version
        if waits and isinstance(value, str) and is_day(value) and value < review.today.isoformat():
            yield place.finding(this, f"is past: {value}", "Write a later day, or take it out.")


def _facts(review: Review) -> Iterator[Place]:
    """Yield what's written once in `tavolan.toml`, each once."""
    for place in review.places:
        once = place.value.source is review.project.config_source
        # What's written once for all locales is looked at in the first one.
        if place.value.written and once and place.locale in ("", place.store.locales[0]):
            yield replace(place, locale="")
