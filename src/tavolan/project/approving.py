"""Approve texts, and take approvals back."""

from collections.abc import Iterable

from tavolan.errors import UsageError
from tavolan.project.approval_file import Approval, write_approvals
from tavolan.project.approvals import is_approved, lock_of, source_digest
from tavolan.project.origins import unknown_origins
from tavolan.project.state import digest, write_state
from tavolan.project.text_writing import TextWriter, adopted
from tavolan.project.texts import TextChange, Texts
from tavolan.project.translation_progress import is_outdated
from tavolan.support.transaction import changing


def to_approve(
    texts: Texts, locales: Iterable[str], fields: Iterable[str], *, lock: bool = False
) -> tuple[list[tuple[str, str]], list[str]]:
    """Return the texts that can be approved, as locale and address, and what can't, in words.

    What's approved already only needs to be again to be locked, with `lock`. Without `fields` it's all texts of the
    locales, but for those whose source changed: each is named to be approved.
    What's over its limit can't be. Raises UsageError for a field that isn't there.
    """
    chosen = list(fields)
    for field in chosen:
        texts.key(field)
    ready, left = [], []
    for locale in locales:
        for address in chosen or texts.addresses():
            text = texts.get(locale, address)
            if not text.strip() or _is_settled(texts, locale, address, lock=lock):
                continue
            if fault := texts.over(locale, address, text):
                left.append(f"{locale} {address}: {fault}")
            elif not chosen and is_outdated(texts, locale, address):
                source = texts.project.source_locale
                left.append(f"{locale} {address}: the {source} text changed; if it still serves, name it with --field")
            else:
                ready.append((locale, address))
    return ready, left


def _is_settled(texts: Texts, locale: str, address: str, *, lock: bool) -> bool:
    return is_approved(texts, locale, address) and not (lock and not lock_of(texts, locale, address))


def approve(texts: Texts, approved: Iterable[tuple[str, str]], who: str, day: str, *, lock: bool = False) -> None:
    """Write down that somebody approved texts as they are, also for the source as it is now; and locks them.

    What's locked stays so when it's approved again.

    Raises UsageError where nobody says who.
    """
    if not who.strip():
        raise UsageError("nobody says who approves", "Give --by NAME.")
    found, served = dict(texts.project.approvals), []
    for locale, address in approved:
        of_unknown_source = locale != texts.project.source_locale and (locale, address) not in texts.project.origins
        if of_unknown_source or is_outdated(texts, locale, address):
            text = texts.get(locale, address)
            served.append(TextChange(locale, address, text, text))
        text, locked = texts.get(locale, address), lock or bool(lock_of(texts, locale, address))
        found[locale, address] = Approval(digest(text), source_digest(texts, locale, address), who.strip(), day, locked)
    with changing(texts.project.root):
        if served:
            TextWriter(texts).write(served, "reviewed")
        write_approvals(texts.project.root, found)


def fit_the_source(
    texts: Texts, locales: Iterable[str], fields: Iterable[str], *, dry_run: bool = False
) -> dict[str, list[str]]:
    """Take translations of unknown source as made from the source as it is now; return their addresses by locale.

    They're no more approved than before, but a change of their source is noticed from now on.
    """
    project, chosen = texts.project, set(fields)
    unknown = unknown_origins(project)
    found = {
        tag: addresses
        for tag in locales
        if (addresses := [address for address in unknown.get(tag, ()) if not chosen or address in chosen])
    }
    if found and not dry_run:
        state = adopted(texts)
        left = {(tag, address) for tag in unknown for address in unknown[tag] if address not in found.get(tag, ())}
        with changing(project.root):
            write_state(project.root, {key: entry for key, entry in state.items() if key not in left})
    return found


def withdraw_approvals(texts: Texts, locales: Iterable[str], fields: Iterable[str], *, dry_run: bool = False) -> int:
    """Take approvals back, of all fields or of some; return how many there were."""
    tags, chosen = set(locales), set(fields)
    gone = [key for key in texts.project.approvals if key[0] in tags and (not chosen or key[1] in chosen)]
    if gone and not dry_run:
        with changing(texts.project.root):
            left = {key: entry for key, entry in texts.project.approvals.items() if key not in gone}
            write_approvals(texts.project.root, left)
    return len(gone)
