"""What a project still asks of somebody else, as a client: texts, facts, pictures, languages, and until when."""

from dataclasses import dataclass
from datetime import date

from tavolan.exchange.fact_rows import FactRow, fact_rows
from tavolan.languages.tags import locale_name
from tavolan.pictures.outputs.captures import missing_screens
from tavolan.project.addresses import REPLIES, parse_address
from tavolan.project.model import ICON, Project
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import DONE, translations_of


@dataclass(frozen=True)
class AskedText:
    """A text of the source locale: where it goes, what's there, its limit in `unit`, and whether a store needs it."""

    address: str
    what: str
    stores: tuple[str, ...]
    text: str
    limit: int | None
    unit: str
    needed: bool


@dataclass(frozen=True)
class AskedPicture:
    """A capture to take: its screen, its size class, the sizes in pixels that fit, and what to call the file."""

    screen: str
    size_class: str
    sizes: tuple[str, ...]
    file: str


@dataclass(frozen=True)
class AskedLanguage:
    """A language, and how many of its texts are translated and still right."""

    tag: str
    name: str
    done: int
    total: int

    @property
    def words(self) -> str:
        """How far it is."""
        return f"{self.done} of {self.total} texts" if self.total else "nothing to translate yet"


@dataclass(frozen=True)
class Brief:
    """Everything that's asked; `until` is the day by which answers are needed, None where none was named."""

    project: Project
    texts: list[AskedText]
    facts: list[FactRow]
    pictures: list[AskedPicture]
    languages: list[AskedLanguage]
    icon: bool
    until: date | None


def brief_of(project: Project, until: date | None = None) -> Brief:
    """Return what a project asks. Empty texts and facts that stores need come first; the others follow, to be read."""
    texts = Texts(project)
    languages = []
    for tag in project.app.locales:
        if tag != project.source_locale:
            units = translations_of(texts, tag)
            done = sum(unit.standing in DONE for unit in units)
            languages.append(AskedLanguage(tag, locale_name(tag), done, len(units)))
    return Brief(
        project,
        sorted(_texts(texts), key=lambda text: bool(text.text) or not text.needed),
        sorted(fact_rows(project), key=lambda row: not is_open(row)),
        _pictures(project),
        languages,
        not (project.root / ICON).is_file(),
        until,
    )


def is_open(row: FactRow) -> bool:
    """Whether a store needs this fact, and it isn't there."""
    return row.fact.required and not row.text


def _texts(texts: Texts) -> list[AskedText]:
    source = texts.project.source_locale
    found = []
    for address in texts.addresses():
        rules = texts.rules_of(address)
        if not texts.asked(source, address) or parse_address(address).table == REPLIES:
            continue
        limit = texts.limit(address, source)
        what = rules[0][1].what if rules else "Printed on a store picture; the first line is the title."
        text = texts.get(source, address)
        needed = any(rule.required == "always" for _, rule in rules) or not rules
        stores = tuple(dict.fromkeys(store for store, _ in rules))
        most, unit = (limit.rule.max, limit.rule.unit) if limit else (None, "")
        found.append(AskedText(address, what, stores, text, most, unit, needed))
    return found


def _pictures(project: Project) -> list[AskedPicture]:
    source, found = project.source_locale, []
    classes = {name: each for store in project.stores.values() for name, each in store.rulebook.classes.items()}
    for size_class, screens in missing_screens(project, source).items():
        sizes = tuple(f"{width}×{height}" for width, height in classes[size_class].sizes)
        found += [AskedPicture(screen, size_class, sizes, f"{screen}-{size_class}.png") for screen in screens]
    return found
