"""Checks of what reviews of stores said: refusals that nobody has answered."""

from collections.abc import Iterator

from tavolan.checking.findings import Finding, Location, Rule
from tavolan.checking.registry import check
from tavolan.checking.review import Review
from tavolan.project.journal import Line, shown
from tavolan.project.model import Project, Store
from tavolan.project.state import digest


@check("review-refused", "error")
def review_refused(review: Review, this: Rule) -> Iterator[Finding]:
    """A store's review refused a text or fact, and it's still the same: it will be refused again.

    `tavolan console wait` notes refusals in the journal, with the text that each was about.
    """
    for line in open_refusals(review.project):
        store = review.project.stores[line.store]
        _, path, number = text_now(review.project, store, line.locale, line.field)
        at = Location(store=line.store, locale=line.locale, field=line.field, path=path, line=number)
        message = f"was refused on {line.date[:10]} and is still the same: {line.refusal}"
        yield this.finding(at, message, "Change it, or explain it in the review notes and waive this.")


def open_refusals(project: Project) -> list[Line]:
    """Return the latest refusal of each field whose text is still the one that was refused."""
    latest: dict[tuple[str, str, str], Line] = {}
    for line in project.tables.journal:
        if line.refusal and line.store in project.stores:
            latest[line.store, line.locale, line.field] = line
    return [line for line in latest.values() if _is_open(project, line)]


def _is_open(project: Project, line: Line) -> bool:
    if not line.to_digest:
        # It's about no text: a later version answers it.
        return line.version == project.app.version
    return digest(text_now(project, project.stores[line.store], line.locale, line.field)[0]) == line.to_digest


def text_now(project: Project, store: Store, locale: str, field: str) -> tuple[str, str, int | None]:
    """Return a text or fact as it is now, with its file and line; empty where there's no such field."""
    if field in store.rulebook.fields:
        value = (
            project.value(store.id, locale, field) if locale in project.copy else project.once_value(store.id, field)
        )
        return shown(value.content), value.source.shown, value.line if value.written else None
    return "", f"copy/{locale}.toml" if locale else "tavolan.toml", None
