"""A stand-in for a translation service: XLIFF in, XLIFF out, on loopback only.

It knows the sample's texts as a phrase book. Everything else is pseudo-localized: accents, a third longer, wrapped in
marks, right-to-left where the language is, so that a layout can be tried. Options make it misbehave.
"""

import json
import re
import threading
import time
from dataclasses import dataclass, field, replace
from functools import cache
from http.server import BaseHTTPRequestHandler
from pathlib import Path
from typing import Any

from tavolan.errors import ProjectError, one_problem
from tavolan.exchange.inline import has_emphasis, joined, pieces
from tavolan.exchange.translation_request import TranslationRequest, TranslationUnit
from tavolan.exchange.xliff import parse_xliff, write_xliff
from tavolan.languages.tags import is_right_to_left
from tavolan.project.memory import Match, Pair
from tavolan.support.loopback import QuietHandler, loopback_server
from tavolan.support.shipped import shipped_toml

_PLAIN = "aceginorsuyzACEGINORSUYZ"
_ACCENTED = "áçéğíñóřšúýžÁÇÉĞÍÑÓŘŠÚÝŽ"
_TABLE = str.maketrans(_PLAIN, _ACCENTED)
_LONGER = 0.35


@dataclass
class Manners:
    """How the stand-in behaves. Counts are of requests: `fail` answers so many with 503 first, `busy` with 429.

    After `break_after` good answers every request gets 503; 0 is never.
    """

    slow: float = 0.0
    fail: int = 0
    busy: int = 0
    truncate: bool = False
    token: str = ""
    break_after: int = 0
    asked: list[int] = field(default_factory=list)


def pseudo(
    text: str,
    locale: str,
    address: str,
    keep: tuple[str, ...] = (),
    terms: tuple[tuple[str, str], ...] = (),
) -> str:
    """Return a text that looks translated: accents, a third longer; placeholders, emphasis and kept words stay.

    Terms of a glossary are called what it says.
    """
    called = {term.casefold(): translation for term, translation in terms}
    emphasis = has_emphasis(address)
    made = []
    for piece in pieces(text, emphasis):
        words = piece.text
        if piece.kind == "text":
            # Every second part is a word that's kept.
            known = (*keep, *(term for term, _ in terms))
            parts = re.split(kept, words, flags=re.IGNORECASE if terms else 0) if (kept := _pattern(known)) else [words]
            words = "".join(
                called.get(part.casefold(), part) if place % 2 else part.translate(_TABLE)
                for place, part in enumerate(parts)
            )
        made.append(replace(piece, text=words))
    result = joined(made, emphasis)
    padding = " ".join(["ōņē"] * max(1, round(len(text) * _LONGER / 4))) if len(text) > 12 else ""
    result = f"{result} {padding}".strip() if padding and "\n" not in text else result
    return f"\u200f{result}\u200f" if is_right_to_left(locale) else result


@cache
def _pattern(keep: tuple[str, ...]) -> str:
    """Return a pattern of words that stay as they are, the longest first; "" for none."""
    words = sorted({word for word in keep if word}, key=len, reverse=True)
    return rf"(?<!\w)({'|'.join(map(re.escape, words))})(?!\w)" if words else ""


def protocol_document() -> dict[str, Any]:
    """Return the OpenAPI document of what a provider of drafts takes and gives."""
    return shipped_toml(Path(__file__).parent / "translator_openapi.toml")


@cache
def phrase_book() -> dict[tuple[str, str], str]:
    """Return the sample's translations by locale and source text."""
    import tomllib

    from tavolan.sample.write import sample_files

    tables = {
        name.removeprefix("copy/").removesuffix(".toml"): tomllib.loads(data.decode())
        for name, data in sample_files().items()
        if name.startswith("copy/") and name.endswith(".toml")
    }
    source = _flat(tables["en-US"])
    return {
        (locale, text): theirs[address]
        for locale, table in tables.items()
        for theirs in [_flat(table)]
        for address, text in source.items()
        if locale != "en-US" and address in theirs
    }


def _flat(table: dict[str, object], at: str = "") -> dict[str, str]:
    found: dict[str, str] = {}
    for key, value in table.items():
        if isinstance(value, dict):
            found |= _flat(value, f"{at}{key}.")
        elif isinstance(value, str) and key not in ("like",):
            found[f"{at}{key}"] = value
    return found


def translate(document: bytes) -> bytes:
    """Return an XLIFF document with every text translated. Raises ProjectError when it can't be read."""
    requests = parse_xliff(document, "the request")
    if not requests:
        raise one_problem("the request", None, "", "holds no file", "Send one with a file.")
    request = requests[0]
    book = phrase_book()
    done = [
        replace(
            text,
            target=book.get((request.locale, text.source))
            or pseudo(text.source, request.locale, text.address, (request.app, *request.keep), text.terms),
        )
        for text in request.texts
    ]
    answers = [_as_draft(text, request) for text in done]
    return write_xliff(TranslationRequest(request.app, request.source_locale, request.locale, answers))


def _as_draft(text: TranslationUnit, request: TranslationRequest) -> TranslationUnit:
    """Return an answer, with a shorter one beside it where the first is long: what a good service offers."""
    words = text.target.split(" ")
    fit = max(1, len(words) * 2 // 3)
    short = Pair(request.source_locale, request.locale, text.source, " ".join(words[:fit]))
    offers = (Match(short, 0.9),) if len(words) > 3 and "*" not in text.target and "{" not in text.target else ()
    return replace(text, standing="drafted", matches=offers)


class Server:
    """The stand-in as an HTTP server on loopback."""

    def __init__(self, port: int = 0, manners: Manners | None = None) -> None:
        self.manners = manners or Manners()
        self._server = loopback_server(port, self._handler())

    @property
    def address(self) -> str:
        """Where it takes documents."""
        return f"http://127.0.0.1:{self._server.server_address[1]}/translate"

    def start(self) -> None:
        """Serve in the background."""
        threading.Thread(target=self._server.serve_forever, daemon=True).start()

    def serve(self) -> None:
        """Serve until interrupted."""
        self._server.serve_forever()

    def close(self) -> None:
        """Stop."""
        self._server.shutdown()
        self._server.server_close()

    def _handler(self) -> type[BaseHTTPRequestHandler]:
        manners = self.manners

        class Handler(QuietHandler):
            def do_GET(self) -> None:  # noqa: N802 - the name that the library calls
                """Answer with the protocol's description, which is all there is to get."""
                if self.path != "/openapi.json":
                    self.send_error(404)
                    return
                answer = json.dumps(protocol_document()).encode()
                self.send_response(200)
                self.send_header("Content-Type", "application/json")
                self.send_header("Content-Length", str(len(answer)))
                self.end_headers()
                self.wfile.write(answer)

            def do_POST(self) -> None:  # noqa: N802 - the name that the library calls
                """Answer one document."""
                body = self.body()
                if body is None:
                    return
                status, answer = _answer(manners, self.headers.get("Authorization", ""), body)
                self.send_response(status)
                if status == 429:
                    self.send_header("Retry-After", "0.01")
                self.send_header("Content-Type", "application/xliff+xml")
                self.send_header("Content-Length", str(len(answer)))
                self.end_headers()
                self.wfile.write(answer)

        return Handler


def _answer(manners: Manners, authorization: str, body: bytes) -> tuple[int, bytes]:
    """Return status and body for one request."""
    time.sleep(manners.slow)
    status = 200
    if manners.token and authorization != f"Bearer {manners.token}":
        status = 401
    elif manners.break_after and manners.asked.count(200) >= manners.break_after:
        status = 503
    elif manners.fail > 0:
        manners.fail -= 1
        status = 503
    elif manners.busy > 0:
        manners.busy -= 1
        status = 429
    manners.asked.append(status)
    if status != 200:
        return status, b""
    try:
        answer = translate(body)
    except ProjectError:
        return 400, b""
    return 200, answer[: len(answer) // 2] if manners.truncate else answer
