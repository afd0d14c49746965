"""Actions for words: the keyword lists of each locale that a plan proves better."""

from collections.abc import Iterator

from tavolan.advice.action import Action, Gain
from tavolan.advice.situation import Situation
from tavolan.errors import UsageError
from tavolan.project.hypothetical import with_texts
from tavolan.words.coverage import cover, storefronts_of
from tavolan.words.plan import first_store_with_keywords, plan
from tavolan.words.plan_choices import Options

# A list that gains less isn't worth a look.
_LEAST_POINTS, _SECONDS = 1.0, 10.0
_WORD_RULES = ("keyword-repeats", "keyword-filler", "keyword-phrase")


def from_words(now: Situation) -> Iterator[Action]:
    """Yield an action for each locale whose keywords could answer more, and one where there are no phrases at all."""
    project = now.project
    source = project.source_locale
    if not project.terms.get(source):
        yield Action(
            kind="words",
            what=f"Write down what people search for in {source}",
            why="A listing is found by words: none are known.",
            command=f"tavolan import --as phrases FILE --locale {source}",
            gain=Gain(),
            minutes=now.minutes("words", 3),
            promise=f"phrases in terms/{source}.csv",
            blocks=now.is_new,
            where=f"terms/{source}.csv",
            stage=3,
        )
        return
    store = project.stores[first_store_with_keywords(project)]
    if store.rulebook.search.model != "words":
        return
    for locale in store.locales:
        if any(locale in store.reads(front) for front in storefronts_of(store)):
            yield from _plan_of(now, store.id, locale)


def _plan_of(now: Situation, store: str, locale: str) -> Iterator[Action]:
    project = now.project
    try:
        made = plan(project, Options(store, (locale,), fields=False, seconds=_SECONDS), now.valuer)
    except UsageError:
        # Nothing can be planned here: words that must be there don't fit, which check says.
        return
    if made.value - made.before < _LEAST_POINTS or not made.texts:
        return
    fronts = [front for front in storefronts_of(project.stores[store]) if locale in project.stores[store].reads(front)]
    after = cover(with_texts(project, made.texts), [store], fronts, now.valuer)
    before = cover(project, [store], fronts, now.valuer)
    (own,) = made.locales
    mended = [one for one in now.findings if one.locale == locale and one.rule in _WORD_RULES and one.level != "error"]
    also = f", and {len(mended)} findings of the list" if len(mended) > 1 else ", and a finding of it" if mended else ""
    proof = "proven optimal" if made.proven else f"at most {made.gap:.1%} below the best"
    added, dropped = ", ".join(own.added[:3]) or "fewer words", ", ".join(own.dropped[:3]) or "free room"
    yield Action(
        kind="words",
        what=f"Take better keywords in {locale}",
        why=f"{added} for {dropped}{also}; {proof}.",
        command=f"tavolan terms plan --store {store} --locale {locale} --keywords-only --apply",
        gain=now.reach.of_answers(before, after),
        minutes=now.minutes("words"),
        promise=f"value answered in {store}: {made.before:.1f} → {made.value:.1f}",
        stage=3,
        where=f"copy/{locale}.toml",
        about=(store, locale),
        covers=tuple(finding.id for finding in mended),
    )
