"""What goes to a translator and comes back, whatever the file format: requests of texts for one target locale."""

from dataclasses import dataclass, field
from datetime import date

from tavolan.project.memory import Match
from tavolan.project.translation_progress import Standing


@dataclass(frozen=True)
class TranslationUnit:
    """One text on its way. `base` is the digest of the project's own translation when it was sent ("": not known).

    `offers` are further translations that came along, `terms` those of the glossary that the source has, with what each
    is called in the target language.
    `work` on the way back is what the translator's tool says of it: "" nothing, translated, reviewed, or approved;
    `remark` is what the reviewer says of it.
    """

    address: str
    source: str
    target: str
    standing: Standing = "untranslated"
    limit: int | None = None
    unit: str = ""
    notes: tuple[str, ...] = ()
    base: str = ""
    work: str = ""
    matches: tuple[Match, ...] = ()
    offers: tuple[str, ...] = ()
    remark: str = ""
    terms: tuple[tuple[str, str], ...] = ()


@dataclass
class TranslationRequest:
    """All texts of one target locale. `app` is the project's name, so that files don't go astray."""

    app: str
    source_locale: str
    locale: str
    texts: list[TranslationUnit] = field(default_factory=list)
    place: str = ""
    # Words that stay as they are in every language.
    keep: tuple[str, ...] = ()
    # Who reviewed it and when, where it came back from a review page.
    reviewer: str = ""
    day: date | None = None
