"""The best words, with proof: which title, subtitle and keywords of a set of locales answer the most value.

An integer program, solved by HiGHS through `scipy.optimize.milp`. Unknowns, all yes or no: which title and which
subtitle candidate each locale takes, and which words its keyword list holds. A phrase may be answered in a locale at
a tier only when its words stand where the tier asks for them; a storefront counts each phrase once, at the best tier
among the locales it reads. What's maximised is the sum of value x tier weight over phrases and storefronts; the
keyword lists keep to their budget in the store's own unit. The solver also gives a bound that no choice can pass: when
plan and bound meet, the plan is proven best.
"""

from __future__ import annotations

from dataclasses import dataclass, field, replace

from tavolan.errors import UsageError
from tavolan.project.locales import language_of, script_of
from tavolan.project.model import Project, Store, Term
from tavolan.rulebooks.measure import measure
from tavolan.words import split
from tavolan.words.cover import storefronts_of, targets
from tavolan.words.program import Program, Solution, solve
from tavolan.words.value import TIERS, Tier, Valuer

PROVEN_GAP = 1e-6


@dataclass(frozen=True)
class Candidate:
    """One text for a field, with the forms of its words in order."""

    text: str
    forms: tuple[str, ...]
    unspaced: str = ""

    def holds(self, form: str) -> bool:
        """Whether a word stands in the text; in scripts without spaces, as a part of it."""
        return form in self.forms or (bool(self.unspaced) and split.has_no_spaces(form) and form in self.unspaced)

    def holds_phrase(self, forms: tuple[str, ...]) -> bool:
        """Whether the words of a phrase stand in a row."""
        size = len(forms)
        if any(self.forms[i : i + size] == forms for i in range(len(self.forms) - size + 1)):
            return True
        return bool(self.unspaced) and split.has_no_spaces(forms[0]) and "".join(forms) in self.unspaced


@dataclass(frozen=True)
class LocalePlan:
    """What one locale has now, and what the plan gives it."""

    locale: str
    title: tuple[str, str]
    subtitle: tuple[str, str]
    keywords: tuple[list[str], list[str]]
    length: int
    limit: int

    @property
    def added(self) -> list[str]:
        """Keywords that are new."""
        return [word for word in self.keywords[1] if word not in self.keywords[0]]

    @property
    def dropped(self) -> list[str]:
        """Keywords that make room."""
        return [word for word in self.keywords[0] if word not in self.keywords[1]]


@dataclass(frozen=True)
class PhraseChange:
    """A phrase whose answer in a storefront differs."""

    storefront: str
    phrase: str
    before: Tier | None
    after: Tier | None
    value: float


@dataclass(frozen=True)
class Plan:
    """A plan with its proof: `value` is reached, `bound` can't be passed, `gap` is the share between them.

    `fields` are the store's own ids of title, subtitle (empty where there's none) and keyword list.
    """

    store: str
    fields: tuple[str, str, str]
    locales: list[LocalePlan]
    changes: list[PhraseChange]
    before: float
    value: float
    bound: float
    seconds: float

    @property
    def gap(self) -> float:
        """How far the plan may be from the best, as a share of the bound."""
        return max(0.0, (self.bound - self.value) / self.bound) if self.bound > 0 else 0.0

    @property
    def proven(self) -> bool:
        """Whether no other choice is better."""
        return self.gap <= PROVEN_GAP


@dataclass
class LocaleChoices:
    """What can be chosen in one locale. Forms are folded words, English plurals as their singular.

    `budget` is in the rulebook's unit, with a separator behind the last entry; `most` is how many entries there may be.
    """

    locale: str
    match: split.Matching
    titles: list[Candidate]
    subtitles: list[Candidate]
    publisher: frozenset[str]
    words: dict[str, str]
    cost: dict[str, int]
    budget: int
    now: list[str]
    most: int | None = None
    must: set[str] = field(default_factory=set)
    kept: set[str] = field(default_factory=set)

    def form(self, word: str) -> str:
        """Return the form under which words count as the same."""
        return split.key(word, self.match)


@dataclass(frozen=True)
class Options:
    """What a plan may do. `changes` caps how many keywords of the running listing are replaced, over all locales;
    `budget` caps each keyword list below the store's limit. A locale gets words of its own language and script, unless
    `any_language`; what it has already may be kept.
    """

    store: str
    locales: tuple[str, ...]
    storefronts: tuple[str, ...] = ()
    changes: int | None = None
    fields: bool = True
    seconds: float = 60.0
    budget: int | None = None
    any_language: bool = False


def plan(project: Project, options: Options) -> Plan:
    """Return the best words for a set of locales together. Raises UsageError where there's nothing to plan."""
    store = project.stores[options.store]
    fields = _fields(store)
    fronts = list(options.storefronts) or [
        front for front in storefronts_of(store) if set(store.reads(front)) & set(options.locales)
    ]
    valuer = Valuer(project)
    aims = {front: targets(project, store, front) for front in fronts}
    if not any(aims.values()):
        raise UsageError("there are no target phrases for these locales. Write them into terms/<locale>.csv.")
    choices = {tag: _choices(project, store, tag, aims, options, fields) for tag in _read_locales(store, fronts)}
    fixed = [tag for tag in choices if tag not in options.locales]
    program = Program(choices, fixed)
    for front, terms in aims.items():
        for term in terms:
            program.aim(front, term.phrase, valuer.worth(term, front).value, store.reads(front))
    weights = {tier: valuer.weight(tier) for tier in TIERS}
    solution = solve(program, weights, options.changes, options.seconds)
    return _result(store, options, program, solution, fields, aims, weights, valuer)


def first_store_with_keywords(project: Project) -> str:
    """Return the id of the first store that has a keyword list to plan, or of the first store."""
    known = list(project.stores)
    return next((store for store in known if project.stores[store].rulebook.search.model == "words"), known[0])


def value_of_budget(project: Project, options: Options, step: int = 10) -> list[tuple[int, float]]:
    """Return (characters, best value) for budgets from nothing to the store's limit, title and subtitle as planned."""
    store = project.stores[options.store]
    most = store.rulebook.fields[_fields(store)[2]].max or 0
    budgets = [*range(0, most, step), most]
    return [(budget, plan(project, replace(options, budget=budget, changes=None)).value) for budget in budgets]


def _fields(store: Store) -> tuple[str, str, str]:
    """Return the ids of title, subtitle and keyword list. Raises UsageError when the store has no keyword list."""
    book = store.rulebook
    searched = book.searched_fields()
    lists = [key for key in searched if book.fields[key].kind == "list"]
    texts = [key for key in searched if book.fields[key].kind == "text"]
    if not lists or book.search.model != "words":
        raise UsageError(f"{store.id} has no keyword list to plan; there a phrase counts by its mentions in the text.")
    return texts[0], texts[1] if len(texts) > 1 else "", lists[0]


def _same_language(one: str, other: str) -> bool:
    return language_of(one) == language_of(other) and script_of(one) == script_of(other)


def _read_locales(store: Store, fronts: list[str]) -> list[str]:
    return list(dict.fromkeys(tag for front in fronts for tag in store.reads(front)))


def _candidates(
    project: Project, store: Store, tag: str, key: str, match: split.Matching, alternates: bool
) -> list[Candidate]:
    now = str(project.value(store.id, tag, key).value or "") if key else ""
    copy = project.copy[tag]
    others = [*copy.alternates(f"{store.id}.{key}").value, *copy.alternates(key).value] if key and alternates else []
    rule = store.rulebook.fields[key] if key else None
    fitting = [
        text
        for text in others
        if not rule or rule.max is None or measure(text, store.rulebook.unit_of(rule)) <= rule.max
    ]
    return [
        Candidate(
            text,
            tuple(split.key(word, match) for word in split.units(text)),
            "".join(split.fold(text).split()) if split.has_no_spaces(text) else "",
        )
        for text in dict.fromkeys([now, *fitting])
    ]


def _choices(
    project: Project,
    store: Store,
    tag: str,
    aims: dict[str, list[Term]],
    options: Options,
    fields: tuple[str, str, str],
) -> LocaleChoices:
    book = store.rulebook
    match = split.matching_of(book.search, tag)
    rule = book.fields[fields[2]]
    unit = book.unit_of(rule)
    now = [str(word) for word in project.value(store.id, tag, fields[2]).value or []]
    alternates = options.fields and tag in options.locales
    forbidden = {split.fold(word) for word in (*project.words.never, *project.guard.brands)}
    words: dict[str, str] = {}
    spoken = [
        word
        for front, terms in aims.items()
        if tag in store.reads(front)
        for t in terms
        if options.any_language or _same_language(t.locale, tag)
        for word in split.units(t.phrase)
    ]
    for word in (*now, *project.words.must, *sorted(spoken)):
        form = split.key(split.fold(word), match)
        fits = rule.item_max is None or measure(word, unit) <= rule.item_max
        if split.fold(word) not in forbidden and form not in words and fits:
            words[form] = word
    publisher = split.words(project.app.publisher) if book.search.publisher else []
    found = LocaleChoices(
        tag,
        match,
        _candidates(project, store, tag, fields[0], match, alternates),
        _candidates(project, store, tag, fields[1], match, alternates),
        frozenset(split.key(word, match) for word in publisher),
        words,
        {form: measure(word + rule.separator, unit) for form, word in words.items()},
        min(rule.max or 10**6, options.budget if options.budget is not None else 10**6) + measure(rule.separator, unit),
        now,
        rule.max_items,
        must={split.key(split.fold(word), match) for word in project.words.must if tag == options.locales[0]},
    )
    found.kept = {split.key(split.fold(word), match) for word in now}
    return found


def _result(
    store: Store,
    options: Options,
    program: Program,
    solution: Solution,
    fields: tuple[str, str, str],
    aims: dict[str, list[Term]],
    weights: dict[Tier, float],
    valuer: Valuer,
) -> Plan:
    rule = store.rulebook.fields[fields[2]]
    locales, changes = [], []
    now = program.present()
    for tag in options.locales:
        choice = program.choices[tag]
        title, subtitle, forms = solution.chosen[tag]
        keywords = _ordered(choice, forms)
        length = measure(rule.separator.join(keywords), store.rulebook.unit_of(rule))
        titles = (choice.titles[0].text, choice.titles[title].text)
        subtitles = (choice.subtitles[0].text, choice.subtitles[subtitle].text)
        locales.append(LocalePlan(tag, titles, subtitles, (choice.now, keywords), length, rule.max or 0))
    before = after = 0.0
    for front, terms in aims.items():
        for term in terms:
            value = valuer.worth(term, front).value
            old = program.tier(term.phrase, store.reads(front), now)
            new = program.tier(term.phrase, store.reads(front), solution.chosen)
            before += value * (weights[old] if old else 0)
            after += value * (weights[new] if new else 0)
            if old != new:
                gain = value * ((weights[new] if new else 0) - (weights[old] if old else 0))
                changes.append(PhraseChange(front, term.phrase, old, new, gain))
    changes.sort(key=lambda change: (-change.value, change.storefront, change.phrase))
    return Plan(store.id, fields, locales, changes, before, after, max(solution.bound, after), solution.seconds)


def _ordered(choice: LocaleChoices, forms: frozenset[str]) -> list[str]:
    """Return the chosen words: those that were there in their old order, then the new ones by name."""
    kept = [word for word in choice.now if choice.form(split.fold(word)) in forms]
    seen = {choice.form(split.fold(word)) for word in kept}
    return kept + [choice.words[form] for form in sorted(forms - seen)]
