"""Read and change the texts of a project by address: locale and field, as `title`, `android.title`, `captions.home`."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from tavolan.errors import Problem, ProjectError, UnknownNameError
from tavolan.project.model import ONCE, Project, Value
from tavolan.project.state import State, StateEntry, TranslationState, digest, read_state, write_state
from tavolan.rulebooks.measure import Length, measure
from tavolan.rulebooks.model import FieldRule
from tavolan.support.transaction import changing
from tavolan.support.xmlfile import bad_character

TABLES = ("captions", "showcase")


@dataclass(frozen=True)
class Limit:
    """The strictest limit on a field among the stores that it goes to: that of `rule`, in `store`."""

    rule: FieldRule
    store: str


@dataclass(frozen=True)
class TextChange:
    """One text that differs: `before` is what the project has, `after` what it would have."""

    locale: str
    address: str
    before: str
    after: str


@dataclass
class Outcome:
    """What an edit did or would do."""

    changes: list[TextChange] = field(default_factory=list)
    conflicts: list[TextChange] = field(default_factory=list)


class Texts:
    """All texts of a project, by locale and address."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self._keys: dict[str, tuple[str, ...]] = {}
        self.rules: dict[str, list[tuple[str, FieldRule]]] = {}
        self.item_rules: dict[str, list[tuple[str, FieldRule]]] = {}
        used = {key for copy in project.copy.values() for key in copy.data}
        for store in project.stores.values():
            for key, rule in store.rulebook.fields.items():
                if rule.scope == "locale" and (project.applies(rule) or key in used):
                    self.rules.setdefault(key, []).append((store.id, rule))
                elif rule.scope == "item":
                    self.item_rules.setdefault(key, []).append((store.id, rule))

    def addresses(self) -> list[str]:
        """Return all addresses that some store asks for or some locale uses, in the order of the rulebooks."""
        found = list(self.rules)
        for copy in self.project.copy.values():
            for store in self.project.stores:
                own = copy.data.get(store, {})
                found += [f"{store}.{key}" for key in own if f"{store}.{key}" not in found]
        found += [f"items.{item}.{key}" for item in self.project.app.items for key in self.item_rules]
        found += [f"captions.{key}" for key in self.project.caption_keys if key]
        names = {name for copy in self.project.copy.values() for name in copy.data.get("showcase", {})}
        return [*found, *(f"showcase.{name}" for name in sorted(names))]

    def asked(self, locale: str, address: str) -> bool:
        """Whether some store that has the locale takes this text in it, or it's written there anyway."""
        rules = self._rules(address)
        stores = self.project.stores
        return (
            not rules or any(locale in stores[store].locales for store, _ in rules) or bool(self.get(locale, address))
        )

    @cached_property
    def known(self) -> frozenset[str]:
        """All addresses, for looking up."""
        return frozenset(self.addresses())

    def key(self, address: str) -> tuple[str, ...]:
        """Return the key path of an address. Raises UsageError when there's no such field."""
        if address not in self._keys:
            self._keys[address] = self._key(address)
        return self._keys[address]

    def _key(self, address: str) -> tuple[str, ...]:
        parts = tuple(address.split("."))
        known = {
            1: lambda: parts[0] in self.rules,
            2: lambda: (parts[0] in TABLES) or (parts[0] in self.project.stores and parts[1] in self.rules),
            3: lambda: parts[0] == "items" and parts[1] in self.project.app.items and parts[2] in self.item_rules,
        }
        if len(parts) not in known or not all(parts) or not known[len(parts)]():
            raise UnknownNameError("there's no field", address, self.addresses())
        pictures = (*self.project.shots.shot, *self.project.shots.graphic)
        keys = {picture.caption_key for picture in pictures}
        # Before there are shots, captions may be written already.
        if parts[0] == "captions" and pictures and parts[1] not in keys:
            shots = [f"captions.{key}" for key in keys]
            raise UnknownNameError("there's no field", address, shots)
        return parts

    def rule(self, address: str) -> FieldRule | None:
        """Return the rule of a field in the first store that has it; None for captions and showcase values."""
        rules = self._rules(address)
        return rules[0][1] if rules else None

    def role(self, address: str) -> str:
        """Return what a text is for: its field's role; "captions" or "showcase" for those of pictures."""
        rule = self.rule(address)
        return rule.role if rule else address.partition(".")[0]

    def _rules(self, address: str) -> list[tuple[str, FieldRule]]:
        parts = address.split(".")
        if parts[0] in TABLES:
            return []
        if parts[0] == "items":
            return self.item_rules[parts[2]]
        if len(parts) == 2:
            return [(store, rule) for store, rule in self.rules[parts[1]] if store == parts[0]]
        return self.rules[parts[0]]

    def limit(self, address: str, locale: str) -> Limit | None:
        """Return the strictest limit of a field in a locale; stores with a text of their own don't count."""
        found = []
        own = self.project.copy[locale].data
        for store, rule in self._rules(address):
            overridden = "." not in address and address in own.get(store, {})
            if rule.max is not None and rule.kind != "link" and not overridden:
                found.append(Limit(rule, store))
        return min(found, key=lambda limit: limit.rule.max or 0, default=None)

    def length(self, locale: str, address: str, text: str) -> Length:
        """Return how long a text is, beside the strictest limit of its field."""
        limit = self.limit(address, locale)
        return limit.rule.length(text) if limit else Length(measure(text), None, "characters")

    def raw(self, locale: str, address: str) -> Any:
        """Return what's written in the locale's own file, or None."""
        value: Any = self.project.copy[locale].data
        for part in self.key(address):
            value = value.get(part) if isinstance(value, dict) else None
        return value

    def get(self, locale: str, address: str) -> str:
        """Return the text in the locale's own file, lists joined by their separator; empty when nothing is written."""
        return self.text_in(self.project.copy[locale].data, address)

    def text_in(self, data: Any, address: str) -> str:
        """Return the text at an address of a copy file's data, as one string."""
        for part in self.key(address):
            data = data.get(part) if isinstance(data, dict) else None
        if isinstance(data, list):
            rule = self.rule(address)
            return (rule.separator if rule else ",").join(map(str, data))
        return data if isinstance(data, str) else ""

    def shown(self, locale: str, address: str) -> tuple[str, str]:
        """Return the text that ships, and the locale that lends it ("": its own): after `like` and `[replace]`."""
        value = self.project.copy[locale].at(self.key(address))
        rule = self.rule(address)
        if not value.written and rule and rule.scope == "locale":
            value = self._once(address) or value
        if isinstance(value.content, list):
            return (rule.separator if rule else ",").join(map(str, value.content)), value.inherited_from
        return str(value.content or ""), value.inherited_from

    def _once(self, address: str) -> Value | None:
        """Return what's written once for all locales, by the first store that takes the field."""
        key = address.rpartition(".")[2]
        found = (self.project.once_value(store, key) for store, _ in self._rules(address))
        return next((replace(value, inherited_from=ONCE) for value in found if value.written), None)

    def is_translated(self, address: str) -> bool:
        """Whether a field is translated from the source: links stay, and keyword lists are researched."""
        return self.role(address) not in ("link", "keywords")

    def translations(self) -> Iterator[tuple[str, str]]:
        """Yield locale and address of every text that was translated from one of the source locale."""
        source = self.project.source_locale
        addresses = [a for a in self.addresses() if self.is_translated(a) and self.get(source, a).strip()]
        for locale in self.project.copy:
            if locale != source:
                yield from ((locale, address) for address in addresses if self.get(locale, address).strip())

    def parse(self, address: str, text: str) -> str | list[str]:
        """Return a text in the shape of its field: a list is cut at its separator."""
        rule = self.rule(address)
        if rule is None or rule.kind != "list":
            return text
        parts = text.split(rule.separator if rule.separator != " " else None)
        return [part.strip() if rule.separator != "\n" else part for part in parts if part.strip()]

    def over(self, locale: str, address: str, text: str) -> str | None:
        """Return by how much a text breaks its limit, in words, or None."""
        limit = self.limit(address, locale)
        if limit is None:
            return None
        value = self.parse(address, text)
        rule = self.rule(address)
        joined = rule.separator.join(value) if isinstance(value, list) and rule else text
        length = limit.rule.length(joined)
        if not length.over:
            return None
        return f"{length.measured} {length.unit}, {length.over} over the limit of {length.limit} ({limit.store})"

    def write(self, changes: Iterable[TextChange], work: TranslationState = "translated") -> None:
        """Write changes into the copy files; remember what was translated from what, and by whom: as one change.

        Raises ProjectError, and writes nothing, for a text with a control character.
        """
        changes = list(changes)
        problems = [
            Problem(f"copy/{change.locale}.toml", None, change.address, f"would hold {character}", "Take it out.")
            for change in changes
            if (character := bad_character(change.after))
        ]
        if problems:
            raise ProjectError(problems)
        with changing(self.project.root):
            self._write(changes, work)

    def _write(self, changes: list[TextChange], work: TranslationState) -> None:
        from tavolan.project.toml_edit import TomlEditor

        editors: dict[str, TomlEditor] = {}
        state = {**self.adopted(), **self._meanwhile()}
        for change in changes:
            shown = f"copy/{change.locale}.toml"
            if change.locale not in editors:
                editors[change.locale] = TomlEditor(self.project.root / shown, shown)
            editor = editors[change.locale]
            key = self.key(change.address)
            if change.after:
                editor.set(key, self.parse(change.address, change.after))
            else:
                editor.remove(key)
        sources = {change.address: change.after for change in changes if change.locale == self.project.source_locale}
        self._keep_earlier(changes, state)
        for change in changes:
            self._remember(state, change, sources, work)
        for editor in editors.values():
            editor.save()
        if state != self.project.state:
            write_state(self.project.root, state)
        # The next write of this run builds on it.
        for known in (self.project.state, self.project.origins):
            known.clear()
            known.update(state)

    def _meanwhile(self) -> State:
        """Return what another run wrote into the state since the project was read."""
        problems: list[Problem] = []
        state = read_state(self.project.root, problems)
        if problems:
            raise ProjectError(problems)
        return {key: entry for key, entry in state.items() if self.project.state.get(key) != entry}

    def adopted(self) -> State:
        """Return the state with every translation in it: those of unknown origin as made from the source as it stands.

        Whoever wrote them by hand had that source before their eyes, as far as anybody can tell.
        """
        source = self.project.source_locale
        state = {**self.project.state, **self.project.origins}
        for locale, address in self.translations():
            if (locale, address) not in self.project.origins:
                original, target = self.get(source, address), self.get(locale, address)
                state[locale, address] = StateEntry(digest(original), "translated", digest(target))
        return state

    def _keep_earlier(self, changes: list[TextChange], state: State) -> None:
        """Keep in the memory what a changed source said, with the translations made from it: they may fit again."""
        from tavolan.project.memory import Pair, remember

        source = self.project.source_locale
        pairs = [
            Pair(source, tag, change.before, target, change.address)
            for change in changes
            if change.locale == source and change.before.strip() and change.before != change.after
            for tag in self.project.copy
            if tag != source and (target := self.get(tag, change.address)).strip()
            if (entry := state.get((tag, change.address))) and entry.source == digest(change.before)
        ]
        if pairs:
            remember(self.project.root, pairs, source)

    def write_alternates(self, locale: str, address: str, candidates: list[str]) -> None:
        """Write the further candidates of a field."""
        from tavolan.project.toml_edit import TomlEditor

        with changing(self.project.root):
            editor = TomlEditor(self.project.root / "copy" / f"{locale}.toml", f"copy/{locale}.toml")
            editor.set(("alternates", address), candidates)
            editor.save()

    def _remember(
        self,
        state: State,
        change: TextChange,
        sources: dict[str, str],
        work: TranslationState,
    ) -> None:
        source = self.project.source_locale
        if change.locale == source:
            return
        original = sources.get(change.address, self.get(source, change.address))
        if change.after and original:
            state[change.locale, change.address] = StateEntry(digest(original), work, digest(change.after))
        else:
            state.pop((change.locale, change.address), None)
