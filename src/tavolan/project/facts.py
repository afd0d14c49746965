"""Facts of an app that are written once in `tavolan.toml`: which the stores ask for, what's there, answers to them.

What an app is (`app.version`) and what stores ask (`price`, `review_contact.phone`) are named alike. Where stores ask
one field in different ways, or were given different answers, each store's is a fact of its own: `ios.category`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from pydantic import ValidationError

from tavolan.errors import UnknownNameError, UsageError
from tavolan.project.fact_answers import read_answer
from tavolan.project.fact_faults import FactFault, FactRule, address_faults, choice_faults, kind_faults
from tavolan.project.model import Project, Store, Value
from tavolan.project.schema import FORMS, App
from tavolan.project.toml_edit import TomlEditor, TomlValue
from tavolan.rulebooks.model import FieldRule
from tavolan.support.validation import problems_of

_APP = "app"
_APP_RULES = {
    "name": FieldRule(what="Name of the app"),
    "publisher": FieldRule(what="Who publishes it, as the stores show it"),
    "version": FieldRule(what="Version that comes out next, as in 1.2"),
    "first_version": FieldRule(what="Whether it's the first one: it has no release notes", kind="yes-no"),
    "stage": FieldRule(what='"writing" while texts are still missing, else "ready"', choices=("writing", "ready")),
    "runs_on": FieldRule(what="Devices that it runs on", kind="list", choices=FORMS),
    "repository": FieldRule(what="Folder of the app's own code, for release notes"),
}
_FILE = "tavolan.toml"
_FEW_CHOICES = 8


@dataclass(frozen=True)
class Fact:
    """One fact: who asks for it, by which rules, and what's written. Facts of the app itself are asked by no store."""

    name: str
    field: str
    stores: tuple[Store, ...]
    rule: FieldRule
    value: Value
    required: bool

    @property
    def missing(self) -> bool:
        """Whether some store needs it and it isn't there."""
        return self.required and not self.value.written

    @property
    def asked(self) -> FactRule:
        """Its rule, as its faults are found by."""
        return FactRule(self.field, self.rule, self.stores[0].rulebook.storefronts.reads if self.stores else ())

    @cached_property
    def faults(self) -> list[FactFault]:
        """What's wrong with what's written."""
        return fact_faults(self.asked, self.value.content) if self.value.written else []


@dataclass(frozen=True)
class FactChange:
    """One fact that's written differently: its name, its key in `tavolan.toml`, and what it holds before and after."""

    name: str
    key: tuple[str, ...]
    before: Any
    after: TomlValue | None


def fact_faults(asked: FactRule, value: object) -> list[FactFault]:
    """Return all that's wrong with a fact: its kind, its choices, the form of its address."""
    addresses = address_faults(asked.rule, value) if isinstance(value, str) else ()
    return [*kind_faults(asked, value), *choice_faults(asked.rule, value), *addresses]


def facts_of(project: Project) -> list[Fact]:
    """Return the facts of the app, then those of its stores in the order of their rulebooks."""
    return [*_app_facts(project), *_store_facts(project)]


def named_facts(project: Project, name: str) -> list[Fact]:
    """Return the facts that a name means: one, or one per store. Raises UnknownNameError for none."""
    return _named(project, facts_of(project), name)


def _named(project: Project, facts: list[Fact], name: str) -> list[Fact]:
    found = [fact for fact in facts if fact.name == name]
    found = found or [fact for fact in facts if fact.field == name and fact.stores]
    store, _, field = name.partition(".")
    found = found or [
        _of_store(project, fact, project.stores[store])
        for fact in facts
        if fact.field == field and store in [each.id for each in fact.stores]
    ]
    if not found:
        raise UnknownNameError("there's no fact", name, [fact.name for fact in facts])
    return found


def plan_facts(project: Project, answers: Iterable[tuple[str, str]], *, force: bool = False) -> list[FactChange]:
    """Return what answers, as name and text, change; a name may lead to a part, as `review_contact.phone`.

    An empty answer takes a fact away. Raises UsageError with all that's wrong, unless it's only no known choice and
    it's to be written by `force`.
    """
    changes: dict[tuple[str, ...], FactChange] = {}
    faults: list[str] = []
    every = facts_of(project)
    for name, text in answers:
        facts, part = _facts_and_part(project, every, name)
        for fact in facts:
            key = _key(project, fact)
            now = changes[key].after if key in changes else fact.value.content
            value, wrong = read_answer(fact.asked, text, part, now)
            wrong += _faults_of_answer(fact, value, part, force) if not wrong and value is not None else []
            faults += [f"{fact.name}: {fault.message}. {fault.remedy}" for fault in wrong]
            changes[key] = FactChange(fact.name, key, fact.value.content, value)
    faults += _app_faults(project, changes.values())
    if faults:
        raise UsageError("\n".join([*dict.fromkeys(faults), "Nothing was written."]))
    changed = [change for change in changes.values() if change.before != change.after]
    return list(_shared(project, changed))


def write_facts(project: Project, changes: Iterable[FactChange]) -> None:
    """Write changes into `tavolan.toml`."""
    editor = TomlEditor(project.root / _FILE, _FILE)
    for change in changes:
        if change.after is None:
            editor.remove(change.key)
        else:
            editor.set(change.key, change.after)
    editor.save()


def fact_key(project: Project, store: Store, field: str) -> tuple[str, ...]:
    """Return where a fact of one store is written: where it is now, else shared only where no other store asks it."""
    value = project.once_value(store.id, field)
    if value.written and value.key[0] == "store":
        return tuple(map(str, value.key))
    others = [other for other in project.stores.values() if other.id != store.id and field in other.rulebook.fields]
    return ("store", store.id, "once", field) if others else ("once", field)


def fact_name(project: Project, store: Store, field: str) -> str:
    """Return the name by which a store's fact is answered: its field, unless stores ask it in different ways."""
    others = (other.rulebook.fields.get(field) for other in project.stores.values())
    questions = {_question(rule) for rule in others if rule}
    return field if len(questions) == 1 else f"{store.id}.{field}"


def _question(rule: FieldRule) -> tuple[object, ...]:
    return rule.kind, rule.choices, rule.parts, rule.holds


def _app_facts(project: Project) -> Iterator[Fact]:
    for field, rule in _APP_RULES.items():
        # What's left to its default isn't written.
        content = getattr(project.app, field) if field in project.app.model_fields_set else None
        yield Fact(f"{_APP}.{field}", field, (), rule, Value(content, project.config_source, (_APP, field)), False)


def _store_facts(project: Project) -> Iterator[Fact]:
    asking: dict[str, list[Store]] = {}
    for store in project.stores.values():
        for field in _fields(project, store):
            asking.setdefault(field, []).append(store)
    for field, stores in asking.items():
        each = [_fact(project, field, store, f"{store.id}.{field}") for store in stores]
        questions = {_question(fact.rule) for fact in each}
        contents = [fact.value.content for fact in each]
        if len(questions) == 1 and all(content == contents[0] for content in contents):
            required = any(fact.required for fact in each)
            yield Fact(field, field, tuple(stores), each[0].rule, each[0].value, required)
        else:
            yield from each


def _fields(project: Project, store: Store) -> Iterator[str]:
    """Yield the fields that are written once: facts, and links that no locale has for itself."""
    yield from project.fields_of(store, "once")
    for field, rule in project.fields_of(store).items():
        own = (project.copy[locale].value(store.id, field) for locale in store.locales if locale in project.copy)
        if rule.kind == "link" and not any(value.written for value in own):
            yield field


def _fact(project: Project, field: str, store: Store, name: str) -> Fact:
    rule = store.rulebook.fields[field]
    return Fact(name, field, (store,), rule, project.once_value(store.id, field), project.requires(rule))


def _of_store(project: Project, fact: Fact, store: Store) -> Fact:
    """Return a fact that stores share as that of one of them."""
    return _fact(project, fact.field, store, f"{store.id}.{fact.field}")


def _facts_and_part(project: Project, facts: list[Fact], name: str) -> tuple[list[Fact], str]:
    try:
        return _named(project, facts, name), ""
    except UnknownNameError:
        whole, _, part = name.rpartition(".")
        if not whole or whole == _APP or whole in project.stores:
            raise
    return _named(project, facts, whole), part


def _key(project: Project, fact: Fact) -> tuple[str, ...]:
    if not fact.stores:
        return (_APP, fact.field)
    if len(fact.stores) == 1:
        return fact_key(project, fact.stores[0], fact.field)
    # Stores that were given the same answer apart keep it apart only where it isn't written for all.
    return ("once", fact.field)


def _shared(project: Project, changes: list[FactChange]) -> Iterator[FactChange]:
    """Yield changes, with what stores have of their own taken away where they now share one answer."""
    for change in changes:
        yield change
        if change.key[0] == "once":
            field = change.key[1]
            for store in project.stores.values():
                if field in store.table.once and field in store.rulebook.fields:
                    own = store.table.once[field]
                    yield FactChange(change.name, ("store", store.id, "once", field), own, None)


def _faults_of_answer(fact: Fact, value: object, part: str, force: bool) -> list[FactFault]:
    """Return what's wrong with an answer: with a part of it, only what's wrong there, as others may come later."""
    faults = fact_faults(fact.asked, value)
    if part:
        faults = [fault for fault in faults if fault.subject == part]
    choices = set(choice_faults(fact.rule, value))
    if force:
        return [fault for fault in faults if fault not in choices]
    # A list of dozens is better read in columns.
    many = len(fact.rule.choices) > _FEW_CHOICES
    see = f"All choices: tavolan facts {fact.name}"
    far = {fault for fault in choices if many and fault.remedy.startswith("Known here")}
    return [fault._replace(remedy=see) if fault in far else fault for fault in faults]


def _app_faults(project: Project, changes: Iterable[FactChange]) -> list[str]:
    own = {change.key[1]: change.after for change in changes if change.key[0] == _APP}
    if not own:
        return []
    try:
        App.model_validate({**project.app.model_dump(), **own})
    except ValidationError as error:
        problems = problems_of(error, _FILE, "", App)
        return [f"{_APP}.{problem.where}: {problem.message}. {problem.remedy}" for problem in problems]
    return []
