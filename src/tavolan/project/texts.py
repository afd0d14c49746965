"""Read and change the texts of a project by address: locale and field, as `title`, `android.title`, `captions.home`."""

from collections.abc import Iterator
from dataclasses import dataclass, replace
from functools import cached_property
from typing import Any

from tavolan.errors import UnknownNameError, UsageError
from tavolan.project.addresses import REPLIES, TITLES, parse_address
from tavolan.project.facts import fact_name
from tavolan.project.model import ONCE, Project, Value
from tavolan.rulebooks.measure import Length, measure
from tavolan.rulebooks.model import FieldRule

# Roles of what people read as sentences.
SENTENCES = (
    "prose",
    "subtitle",
    "short",
    "promo",
    "notes",
    "tester_notes",
    "bullets",
    "captions",
    "titles",
    "replies",
)


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


class Texts:
    """All texts of a project, by locale and address."""

    def __init__(self, project: Project) -> None:
        self.project = project
        self._keys: dict[str, tuple[str, ...]] = {}
        self.rules: dict[str, list[tuple[str, FieldRule]]] = {}
        self.item_rules: dict[str, list[tuple[str, FieldRule]]] = {}
        self.reply_rules: list[tuple[str, FieldRule]] = []
        used = {key for copy in project.copy.values() for key in copy.data}
        for store in project.stores.values():
            for key, rule in store.rulebook.fields.items():
                if rule.scope == "locale" and (project.applies(rule) or key in used):
                    self.rules.setdefault(key, []).append((store.id, rule))
                elif rule.scope == "item":
                    self.item_rules.setdefault(key, []).append((store.id, rule))
                elif rule.scope == "reply":
                    self.reply_rules.append((store.id, rule))

    def addresses(self) -> list[str]:
        """Return all addresses that some store asks for or some locale uses, in the order of the rulebooks."""
        found = list(self.rules)
        for copy in self.project.copy.values():
            for store in self.project.stores:
                own = copy.data.get(store, {})
                found += [f"{store}.{key}" for key in own if f"{store}.{key}" not in found]
        found += [f"items.{item}.{key}" for item in self.project.app.items for key in self.item_rules]
        found += [f"captions.{key}" for key in self.project.caption_keys if key]
        # In the order of the video.
        titles = (name for copy in self.project.copy.values() for name in copy.data.get(TITLES, {}))
        found += [f"{TITLES}.{name}" for name in dict.fromkeys(titles)]
        for table in ("showcase", REPLIES):
            names = {name for copy in self.project.copy.values() for name in copy.data.get(table, {})}
            found += [f"{table}.{name}" for name in sorted(names)]
        return found

    def asked(self, locale: str, address: str) -> bool:
        """Whether some store that has the locale takes this text in it, or it's written there anyway."""
        rules = self.rules_of(address)
        stores = self.project.stores
        return (
            not rules or any(locale in stores[store].locales for store, _ in rules) or bool(self.get(locale, address))
        )

    @cached_property
    def known(self) -> frozenset[str]:
        """All addresses, for looking up."""
        return frozenset(self.addresses())

    def written(self, locale: str) -> dict[str, str | list[str]]:
        """Return what is written in the locale's own file, by address."""
        values = {address: self.project.copy[locale].at(self.key(address)).content for address in self.addresses()}
        return {address: value for address, value in values.items() if value is not None}

    def key(self, address: str) -> tuple[str, ...]:
        """Return the key path of an address. Raises UsageError when there's no such field."""
        if address not in self._keys:
            self._keys[address] = self._key(address)
        return self._keys[address]

    def _key(self, address: str) -> tuple[str, ...]:
        at = parse_address(address)
        if at.table == "items":
            known = len(at.path) == 3 and at.item in self.project.app.items and at.key in self.item_rules
        elif at.table:
            known = len(at.path) == 2 and bool(at.key)
        else:
            known = at.key in self.rules and (len(at.path) == 1 or at.store in self.project.stores)
        if not known:
            self._refuse_fact(address)
            raise UnknownNameError("there's no field", address, self.addresses())
        pictures = (*self.project.shots.shot, *self.project.shots.graphic)
        keys = {picture.caption_key for picture in pictures}
        # Before there are shots, captions may be written already.
        if at.table == "captions" and pictures and at.key not in keys:
            shots = [f"captions.{key}" for key in keys]
            raise UnknownNameError("there's no field", address, shots)
        return at.path

    def _refuse_fact(self, address: str) -> None:
        stores = (store for store in self.project.stores.values() if address in self.project.fields_of(store, "once"))
        if store := next(stores, None):
            message = f"{address} is a fact: it's written once, not per locale"
            raise UsageError(message, f"Answer it with: tavolan facts {fact_name(self.project, store, address)}=VALUE")

    def rule(self, address: str) -> FieldRule | None:
        """Return the rule of a text in the first store that has one; None for captions and showcase values."""
        rules = self.rules_of(address)
        return rules[0][1] if rules else None

    def role(self, address: str) -> str:
        """Return what a text is for: its field's role; "captions", "titles" or "showcase" for texts of pictures."""
        rule = self.rule(address)
        return rule.role if rule else parse_address(address).table

    def rules_of(self, address: str) -> list[tuple[str, FieldRule]]:
        """Return the stores that take a text, each with its rule; none for captions and showcase values."""
        at = parse_address(address)
        if at.in_picture:
            return []
        if at.table == REPLIES:
            return self.reply_rules
        if at.item:
            return self.item_rules[at.key]
        return [(store, rule) for store, rule in self.rules[at.key] if at.store in ("", store)]

    def address_for(self, store: str, locale: str, key: str) -> str:
        """Return where a text for one store is written: in its own table where another store reads the shared text."""
        data, stores = self.project.copy[locale].data, self.project.stores.values()
        if key in data.get(store, {}):
            return f"{store}.{key}"
        for other in stores:
            rule = other.rulebook.fields.get(key)
            reads = rule is not None and rule.scope == "locale" and locale in other.locales
            if other.id != store and reads and key not in data.get(other.id, {}):
                return f"{store}.{key}"
        return key

    def read_address(self, store: str, locale: str, key: str) -> str:
        """Return where the text that a store reads is: in its own table where it has one, else the shared one."""
        own = f"{store}.{key}"
        return own if self.get(locale, own) else key

    def limit(self, address: str, locale: str) -> Limit | None:
        """Return the strictest limit of a field in a locale; stores with a text of their own don't count."""
        found = []
        own = self.project.copy[locale].data
        for store, rule in self.rules_of(address):
            overridden = address in own.get(store, {})
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
        key = parse_address(address).key
        found = (self.project.once_value(store, key) for store, _ in self.rules_of(address))
        return next((replace(value, inherited_from=ONCE) for value in found if value.written), None)

    def is_prose(self, address: str) -> bool:
        """Whether people read a text as sentences: names, links and keyword lists say nothing about a language."""
        return self.role(address) in SENTENCES

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
