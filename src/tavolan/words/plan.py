"""The best words, with proof: which title, subtitle and keywords of a set of locales answer the most value.

What can be chosen becomes an integer program (`words.plan_program`), solved by HiGHS through `scipy.optimize.milp`.
What's maximised is the sum of value x tier weight over phrases and storefronts; the keyword lists keep to their budget
in the store's own unit. The solver also gives a bound that no choice can pass: when plan and bound meet, the plan is
proven best. Its value is what coverage says of the listing as planned, not what the program believes.
"""

from dataclasses import replace
from typing import TYPE_CHECKING

from tavolan.errors import UsageError
from tavolan.project.hypothetical import with_texts
from tavolan.project.model import Project, Store
from tavolan.words.coverage import Answer, cover, storefronts_of, targets
from tavolan.words.matching import TIERS
from tavolan.words.phrases import words_of
from tavolan.words.plan_choices import Fields, LocaleChoices, Option, Options, choices_of, fields_of, reader_of
from tavolan.words.plan_model import LocalePlan, PhraseChange, Plan
from tavolan.words.plan_program import Chosen, PlanProgram
from tavolan.words.plan_writing import changes_of
from tavolan.words.value import Valuer

if TYPE_CHECKING:
    from tavolan.words.plan_solving import Solution


def plan(project: Project, options: Options, valuer: Valuer | None = None) -> Plan:
    """Return the best words for a set of locales together. Raises UsageError where there's nothing to plan.

    A `valuer` that's given spares reading the ranks and search pages once more.
    """
    store = project.stores[options.store]
    fields, fronts = fields_of(store), _storefronts(store, options)
    valuer = valuer or Valuer(project)
    program = program_of(project, options, valuer)
    solution = _solution(project, program, options, valuer)
    locales = [
        _locale_plan(project, store, program.choices[tag], solution.chosen[tag], fields) for tag in options.locales
    ]
    texts = changes_of(project, store, fields, locales)
    before = cover(project, [store.id], fronts, valuer) if fronts else []
    after = cover(with_texts(project, texts), [store.id], fronts, valuer) if texts else before
    value = sum(answer.value for answer in after)
    return Plan(
        store.id,
        fields,
        locales,
        texts,
        _differences(before, after),
        sum(answer.value for answer in before),
        value,
        max(0.0, solution.bound),
        solution.seconds,
        options.held,
    )


def _solution(project: Project, program: PlanProgram, options: Options, valuer: Valuer) -> "Solution":
    """Return the best choice; where any language may be taken, no worse one than with each locale's own."""
    # Loads the solver, which takes a second.
    from tavolan.words.plan_solving import solve

    weights = {tier: valuer.weight(tier) for tier in TIERS}
    if not options.any_language:
        return solve(program, weights, options.changes, options.seconds)
    own = program_of(project, replace(options, any_language=False), valuer)
    before = solve(own, weights, options.changes, options.seconds)
    start = _taken(own, before.chosen, program)
    after = solve(program, weights, options.changes, options.seconds, start)
    return replace(after, seconds=before.seconds + after.seconds)


def _taken(own: PlanProgram, chosen: Chosen, program: PlanProgram) -> set[Option]:
    """Return the options of a program that are what was chosen in another one, whose keywords are among its own."""
    taken: set[Option] = set()
    for tag, (title, subtitle, numbers) in chosen.items():
        match, entries = program.readers[tag].match, program.choices[tag].entries
        # Another spelling of a word may be the one that's cheapest among all languages.
        places: dict[object, int] = {words_of(entry.text, match): number for number, entry in enumerate(entries)}
        places |= {entry.text: number for number, entry in enumerate(entries)}
        texts = [own.choices[tag].entries[number].text for number in numbers]
        found = [places.get(text, places.get(words_of(text, match))) for text in texts]
        taken |= {Option(tag, "title", title), Option(tag, "subtitle", subtitle)}
        taken |= {Option(tag, "keywords", number) for number in found if number is not None}
    return taken


def first_store_with_keywords(project: Project) -> str:
    """Return the id of the first store that has a keyword list to plan, or of the first store."""
    known = list(project.stores)
    return next((store for store in known if project.stores[store].rulebook.search.model == "words"), known[0])


def value_of_budget(project: Project, options: Options, step: int = 10) -> list[tuple[int, float]]:
    """Return (characters, best value) for budgets from nothing to the store's limit, title and subtitle as planned."""
    store = project.stores[options.store]
    most = store.rulebook.fields[fields_of(store).keywords].max or 0
    budgets = [*range(0, most, step), most]
    made = [(budget, plan(project, replace(options, budget=budget, changes=None))) for budget in budgets]
    # A list is never emptied: where nothing fits, the present list is kept, and is worth more than the budget allows.
    return [(budget, min(best.value, best.bound)) for budget, best in made]


def _storefronts(store: Store, options: Options) -> list[str]:
    """Return the storefronts that a plan is for: those asked for, else all that read one of its locales."""
    return list(options.storefronts) or [
        front for front in storefronts_of(store) if set(store.reads(front)) & set(options.locales)
    ]


def program_of(project: Project, options: Options, valuer: Valuer) -> PlanProgram:
    """Return the program of a plan. Raises UsageError when no storefront has a target phrase."""
    store = project.stores[options.store]
    fields, fronts = fields_of(store), _storefronts(store, options)
    aims = {front: targets(project, store, front) for front in fronts}
    if not any(aims.values()):
        raise UsageError("there are no target phrases for these locales", "Write them into terms/<locale>.csv.")
    choices = {}
    for tag in options.locales:
        terms = [term for front, own in aims.items() if tag in store.reads(front) for term in own]
        choices[tag] = choices_of(project, store, tag, terms, options, fields)
    read = dict.fromkeys(tag for front in fronts for tag in store.reads(front))
    readers = {tag: reader_of(project, store, tag, choices, fields) for tag in (*read, *choices)}
    program = PlanProgram(choices, readers)
    for front, terms in aims.items():
        for term in terms:
            program.aim(term.phrase, valuer.worth(term, front).value, store.reads(front))
    return program


def _locale_plan(
    project: Project, store: Store, choice: LocaleChoices, chosen: tuple[int, int, tuple[int, ...]], fields: Fields
) -> LocalePlan:
    rule = store.rulebook.fields[fields.keywords]
    now = [str(word) for word in project.value(store.id, choice.locale, fields.keywords).content or []]
    title, subtitle, numbers = chosen
    entries = [choice.entries[number] for number in numbers]
    # Those that were there in their old order, then the new ones by name. An empty list is never written.
    keywords = [entry.text for entry in entries if entry.present]
    keywords = [*keywords, *sorted(entry.text for entry in entries if not entry.present)] or now
    length = rule.length(rule.separator.join(keywords)).measured
    titles = (choice.titles[0], choice.titles[title])
    subtitles = (choice.subtitles[0], choice.subtitles[subtitle])
    return LocalePlan(choice.locale, titles, subtitles, (now, keywords), length, rule.max or 0)


def _differences(before: list[Answer], after: list[Answer]) -> list[PhraseChange]:
    """Return the phrases whose tier differs, those that gain most first."""
    changes = [
        PhraseChange(old.storefront, old.phrase, old.tier, new.tier, new.value - old.value)
        for old, new in zip(before, after, strict=True)
        if old.tier != new.tier
    ]
    return sorted(changes, key=lambda change: (-change.value, change.storefront, change.phrase))
