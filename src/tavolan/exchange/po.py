"""gettext PO: requests out and in through Babel. The field is the context; drafts and old translations are fuzzy."""

import io
import re
from codecs import BOM_UTF8
from datetime import datetime

from babel.messages.catalog import Catalog
from babel.messages.pofile import read_po, write_po

from tavolan.errors import one_problem
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.languages.tags import locale_name
from tavolan.project.translation_progress import DONE

# Tools ask for a translator; who it was, the file's own tool writes in.
_NOBODY = "nobody yet <translator@example.invalid>"


def write_gettext(request: TranslationRequest) -> bytes:
    """Return a request as a PO file."""
    now = datetime.now().astimezone()
    catalog = Catalog(
        locale=request.locale.replace("-", "_"),
        project=request.app,
        fuzzy=False,
        charset="utf-8",
        header_comment="",
        creation_date=now,
        revision_date=now,
        last_translator=_NOBODY,
        language_team=locale_name(request.locale),
    )
    for text in request.texts:
        flags = ["fuzzy"] if text.target and text.standing not in DONE else []
        comments = [note.replace("\n", " ") for note in text.notes]
        catalog.add(
            text.source,
            text.target,
            context=text.address,
            flags=flags,
            auto_comments=comments,
            user_comments=[f"base {text.base}"] if text.base else [],
        )
    out = io.BytesIO()
    write_po(out, catalog, width=0)
    # Babel keeps no headers but its own, and fills those that nobody set; ours goes behind the last one.
    data = out.getvalue().replace(b" VERSION\\n", b"\\n", 1).replace(b" EMAIL@ADDRESS\\n", b"\\n", 1)
    mark = b'"Content-Transfer-Encoding: 8bit\\n"\n'
    return data.replace(mark, mark + f'"X-Source-Language: {request.source_locale}\\n"\n'.encode(), 1)


def _header(data: bytes, name: str) -> str:
    found = re.search(rb'^"' + name.encode() + rb': ([^"\\]*)', data, re.MULTILINE)
    return found.group(1).decode("utf-8", "replace").strip() if found else ""


def parse_gettext(data: bytes, shown: str, locale: str = "") -> TranslationRequest:
    """Return the request of a PO file; fuzzy entries count as work that isn't done. Raises ProjectError."""
    data = data.removeprefix(BOM_UTF8)
    try:
        catalog = read_po(io.BytesIO(data), abort_invalid=True, locale=None)
    except Exception as error:
        # Babel raises what comes up, from an unknown charset to an odd plural.
        raise one_problem(shown, None, "", f"isn't a PO file that can be read: {error}", "Export it again.") from error
    head = {name: _header(data, name) for name in ("Project-Id-Version", "Language", "X-Source-Language")}
    app = head["Project-Id-Version"].removesuffix(" VERSION").strip()
    target = locale or head["Language"].replace("_", "-")
    request = TranslationRequest("" if app == "PROJECT" else app, head["X-Source-Language"], target, place=shown)
    for message in catalog:
        if not message.id:
            continue
        base = next((c.removeprefix("base ") for c in message.user_comments if c.startswith("base ")), "")
        source = message.id if isinstance(message.id, str) else message.id[0]
        given = message.string if isinstance(message.string, str) else (message.string or ("",))[0]
        work = "" if message.fuzzy or not given else "translated"
        request.texts.append(TranslationUnit(message.context or "", source, given, base=base, work=work))
    return request
