"""The documents about texts and their translations."""

from collections import Counter
from typing import ClassVar

from tavolan.notes.export import Note
from tavolan.project.locale_suggestions import Suggestion
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import NEEDS_WORK, STANDINGS, Standing, Translation
from tavolan.reports.documents.part import Document, DocumentPart, at
from tavolan.words.coverage import Answer, phrases_served


class Copy(Document):
    """Printed by `tavolan copy show LOCALE --json`."""

    kind: ClassVar = "copy@1"
    locale: str
    texts: dict[str, str | list[str]]
    """What is written in the locale's own file, by address."""


class Text(Document):
    """Printed by `tavolan copy show LOCALE FIELD --json`."""

    kind: ClassVar = "text@1"
    locale: str
    field: str
    text: str
    like: str
    """The locale that lends the text; empty where it's the locale's own."""


class LocaleField(DocumentPart):
    locale: str
    text: str
    like: str
    length: int
    """In `unit`, as `limit`."""
    limit: int | None
    unit: str
    phrases: int
    """How many target phrases the locale has."""
    served: list[str]
    """Target phrases that the field's words help to answer."""


class Field(Document):
    """Printed by `tavolan copy show --field FIELD --json`."""

    kind: ClassVar = "field@1"
    field: str
    locales: list[LocaleField]

    @classmethod
    def of_texts(cls, texts: Texts, address: str, answers: list[Answer]) -> "Field":
        """Return one field in all locales, with the answers that it serves."""
        rows = []
        for tag in texts.project.app.locales:
            text, lent_by = texts.shown(tag, address)
            length = texts.length(tag, address, text)
            served = phrases_served(answers, tag, address)
            rows.append(
                LocaleField(
                    locale=tag,
                    text=text,
                    like=lent_by,
                    length=length.measured,
                    limit=length.limit,
                    unit=length.unit,
                    phrases=len(served),
                    served=[phrase for phrase, helps in served.items() if helps],
                )
            )
        return cls(field=address, locales=rows)


class Work(DocumentPart):
    field: str = at("address")
    state: Standing = at("standing")
    over: str
    """By how much it's too long, in words; empty where it isn't."""


class LocaleStanding(DocumentPart):
    total: int
    untranslated: int
    over: int
    outdated: int
    drafted: int
    translated: int
    reviewed: int
    approved: int
    needs_work: list[Work]


class Locales(Document):
    """Printed by `tavolan status --translations --json`."""

    kind: ClassVar = "locales@1"
    locales: dict[str, LocaleStanding]

    @classmethod
    def standing(cls, found: dict[str, list[Translation]]) -> "Locales":
        """Return how far the translations of each locale are."""
        locales = {}
        for tag, texts in found.items():
            counts = Counter(text.standing for text in texts)
            by_standing = {standing: counts[standing] for standing in STANDINGS}
            todo = [text for text in texts if text.standing in NEEDS_WORK]
            locales[tag] = LocaleStanding(total=len(texts), **by_standing, needs_work=todo)
        return cls(locales=locales)


class Suggestions(Document):
    """Printed by `tavolan locale add --suggest --json`."""

    kind: ClassVar = "suggestions@1"
    suggestions: list[Suggestion]


class Notes(Document):
    """Written by `tavolan notes show --format json`."""

    kind: ClassVar = "notes@1"
    notes: list[Note]
