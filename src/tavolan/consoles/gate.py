"""What is held back from a push, place by place: errors, machine drafts, another language, no version to change."""

from collections.abc import Callable, Collection, Iterable
from dataclasses import dataclass
from typing import Literal, NamedTuple

from tavolan.checking import run_checks
from tavolan.checking.findings import Finding
from tavolan.consoles.content import Place
from tavolan.consoles.merge import Cell
from tavolan.errors import UsageError
from tavolan.project.approvals import is_approved
from tavolan.project.icon_records import ICON_PLACE, icon_trouble
from tavolan.project.model import Project, Store
from tavolan.project.texts import Texts
from tavolan.project.translation_progress import is_drafted
from tavolan.words.likely_language import other_language

Reason = Literal["conflict", "error", "draft", "unapproved", "language", "stale", "version"]
# The rule of pictures that are missing in a set, or show an earlier caption.
STALE = "picture-to-make"
# The rule by which a text in another language is overruled, as the check calls it.
OTHER_LANGUAGE = "other-language"
_PICTURES = ("shot.", "class.", "graphic.", "captions.", "showcase.", "screens")


@dataclass(frozen=True)
class Held:
    """A change that isn't sent: why, and what to do about it."""

    cell: Cell
    reason: Reason
    why: str
    remedy: str


def require_reason(despite: Collection[str], reason: str) -> None:
    """Raise UsageError for rules that are overruled without a reason."""
    if despite and not reason.strip():
        raise UsageError("--despite needs a reason", 'Add --reason "…"; it goes into the journal.')


def errors_in(
    findings: Iterable[Finding], store: str, cells: list[Cell], despite: Collection[str] = ()
) -> dict[Finding, list[Cell]]:
    """Return the findings at error level with the changes that they stop; rules of `despite` don't count.

    An error in a text stops its locale, since half a page says something else; one in pictures stops the locale's
    pictures; one in a fact stops all facts; one that names no place stops all.
    """
    counted = [
        finding
        for finding in findings
        if finding.level == "error" and not finding.waived and finding.rule not in despite and finding.concerns(store)
    ]
    sent = [cell for cell in cells if cell.here is not None]
    stopped = {finding: _stopped_by(finding, sent) for finding in counted}
    return {finding: own for finding, own in stopped.items() if own}


def _stopped_by(finding: Finding, cells: list[Cell]) -> list[Cell]:
    pictures = finding.field.startswith(_PICTURES)
    if finding.field and not pictures:
        meant = {Place("text", finding.locale, finding.field), Place("fact", "", finding.field)}
        kinds = {(cell.place.kind, cell.place.locale) for cell in cells if cell.place in meant}
        return [cell for cell in cells if (cell.place.kind, cell.place.locale) in kinds]
    own = [cell for cell in cells if not pictures or cell.place.kind == "pictures"]
    return [cell for cell in own if not finding.locale or cell.place.locale == finding.locale]


def drafts_in(project: Project, store: Store, cells: Iterable[Cell]) -> list[Held]:
    """Return the changes of locales that hold a text or a caption which a machine wrote and nobody has read."""
    remedy = "Read them: tavolan status --units --locale {}. Or send drafts: --drafts."
    return _held_with(project, store, cells, is_drafted, _Why("draft", "drafted by a machine, and not read", remedy))


def unapproved_in(project: Project, store: Store, cells: Iterable[Cell]) -> list[Held]:
    """Return the changes of locales that hold a text or a caption which nobody approved as it is."""

    def unapproved(texts: Texts, locale: str, address: str) -> bool:
        return bool(texts.get(locale, address)) and not is_approved(texts, locale, address)

    why = _Why("unapproved", "approved by nobody as it is now", "Read and approve them: tavolan locale approve {}")
    return _held_with(project, store, cells, unapproved, why)


class _Why(NamedTuple):
    """Why something is held back; the remedy has a place for the locale."""

    reason: Reason
    words: str
    remedy: str


def _held_with(
    project: Project, store: Store, cells: Iterable[Cell], is_such: Callable[[Texts, str, str], bool], why: _Why
) -> list[Held]:
    """Return all changes of locales that hold such a text or caption: half a page would say something else."""
    texts = Texts(project)
    cells = list(cells)
    captions = [f"captions.{key}" for key in project.caption_keys]
    held = []
    for locale in dict.fromkeys(cell.place.locale for cell in cells if cell.place.locale):
        own = [cell for cell in cells if cell.place.locale == locale]
        such = [
            cell.place.field
            for cell in own
            if cell.place.kind == "text"
            and cell.here is not None
            and is_such(texts, *_written_at(texts, store, cell.place))
        ]
        if any(cell.place.kind == "pictures" and cell.here for cell in own):
            such += [name for name in captions if is_such(texts, texts.shown(locale, name)[1] or locale, name)]
        said = f"{', '.join(such[:3])}{' and more' if len(such) > 3 else ''} {why.words}"
        held += [Held(cell, why.reason, said, why.remedy.format(locale)) for cell in own] if such else []
    return held


def findings_before_a_push(project: Project) -> list[Finding]:
    """Return what holds a push back: findings at error level, and sets of pictures that aren't up to date."""
    return run_checks(project, errors_only=True, also={STALE})


def stale_sets(findings: Iterable[Finding], store: str) -> list[Finding]:
    """Return the findings about sets of pictures of a store that aren't as the project would make them now."""
    return [each for each in findings if each.rule == STALE and not each.waived and each.concerns(store)]


def stale_icons(project: Project, store: Store, cells: Iterable[Cell]) -> list[Held]:
    """Return the icons among changes that were made from another master than today's."""
    trouble = icon_trouble(project, store)
    return [
        Held(cell, "stale", trouble, "Make it: tavolan shots render --icons")
        for cell in cells
        if trouble and cell.place.kind == "pictures" and cell.place.field == ICON_PLACE
    ]


def stale_in(stale: Iterable[Finding], cells: Iterable[Cell]) -> list[Held]:
    """Return the sets of pictures among changes that aren't as the project would make them now."""
    by_set = {(finding.locale, finding.field.partition(".")[2]): finding for finding in stale}
    return [
        Held(cell, "stale", finding.message, finding.remedy)
        for cell in cells
        if cell.place.kind == "pictures" and (finding := by_set.get((cell.place.locale, cell.place.field)))
    ]


def _written_at(texts: Texts, store: Store, place: Place) -> tuple[str, str]:
    """Return locale and address at which a text is written: its own, or those of the locale that lends it."""
    address = place.field if place.item else texts.read_address(store.id, place.locale, place.field)
    lent_by = texts.shown(place.locale, address)[1]
    # What's written once is no locale's.
    return lent_by if lent_by in texts.project.copy else place.locale, address


def in_another_language(project: Project, cells: Iterable[Cell]) -> list[Held]:
    """Return texts that look like another language than their locale's."""
    texts, found = Texts(project), []
    for cell in cells:
        if cell.place.kind == "text" and isinstance(cell.here, str) and texts.is_prose(cell.place.field):
            other = other_language(cell.here, cell.place.locale)
            if other:
                why = f"looks like {other}"
                remedy = f'Right text, right file? Else: --despite {OTHER_LANGUAGE} --reason "…".'
                found.append(Held(cell, "language", why, remedy))
    return found
