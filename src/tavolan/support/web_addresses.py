"""What makes a text the address of a page, or of a mailbox."""

import re
from urllib.parse import urlsplit

EMAIL = re.compile(r"[^@\s]+@[^@\s.]+(?:\.[^@\s.]+)+")


def url_fault(url: str) -> str | None:
    """Return what's wrong with a link's syntax, or None. Nothing is fetched."""
    if any(c.isspace() for c in url):
        return "holds white space"
    try:
        parts = urlsplit(url)
        port = parts.port
    except ValueError as error:
        return f"can't be read ({error})"
    if parts.scheme not in ("https", "http"):
        return "doesn't begin with https://"
    host = parts.hostname or ""
    labels = host.split(".")
    good = all(label and not label.startswith("-") and not label.endswith("-") for label in labels)
    if len(labels) < 2 or not good or (port is not None and not port):
        return f'has no proper host: "{host}"'
    return "isn't encrypted: it begins with http://" if parts.scheme == "http" else None


def email_fault(text: str) -> tuple[str, str] | None:
    """Return what's wrong with an e-mail address and what to write; None where nothing is."""
    if EMAIL.fullmatch(text):
        return None
    return f'"{text}" is no e-mail address', "Write it as in name@example.com."
