"""Texts that somebody approved.

A text stays approved as long as it, and for a translation the source too, says what it said then.
"""

from tavolan.project.state import digest
from tavolan.project.texts import Texts


def is_approved(texts: Texts, locale: str, address: str) -> bool:
    """Whether a text is as somebody approved it, and was made from what its source says now."""
    entry = texts.project.approvals.get((locale, address))
    text = texts.get(locale, address)
    return bool(entry and text and entry.text == digest(text) and entry.source == source_digest(texts, locale, address))


def lock_of(texts: Texts, locale: str, address: str) -> str:
    """Return who locked a text and when, in words; "" where nobody did."""
    entry = texts.project.approvals.get((locale, address))
    return f"is locked by {entry.who} since {entry.day}" if entry and entry.locked else ""


def unlock_remedy(locale: str, address: str) -> str:
    """Say how a locked text may be changed."""
    return f"If it has to change: tavolan locale approve {locale} --field {address} --take-back"


def source_digest(texts: Texts, locale: str, address: str) -> str:
    """Return the digest of the source that a translation is held against; "" where there's none."""
    source = texts.project.source_locale
    return "" if locale == source or not texts.is_translated(address) else digest(texts.get(source, address))
