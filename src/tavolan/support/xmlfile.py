"""XML from outside: no entity is expanded, no document nests without end; and what XML can't hold."""

import re
from typing import Any
from xml.etree.ElementTree import Element, ParseError, TreeBuilder

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import DefusedXMLParser

from tavolan.errors import one_problem

MOST_DEPTH = 200
# XML 1.0, production 2: these characters can't be in a document, not even as references.
_NO_XML = re.compile("[\x00-\x08\x0b\x0c\x0e-\x1f\ud800-\udfff\ufffe\uffff]")

_NO_REFERENCE = re.compile(rb"&#(?:x0*(?:[0-8bcef]|1[0-9a-f])|0*(?:[0-8]|1[124-9]|2[0-9]|3[01]));", re.IGNORECASE)


def bad_character(text: str) -> str:
    """Return the first character of a text that XML, and no store, takes, as in U+0007; "" where there's none."""
    found = _NO_XML.search(text)
    if found and "\ud800" <= found.group() <= "\udfff":
        return "a byte that isn't UTF-8"
    return f"U+{ord(found.group()):04X}" if found else ""


def without_bad_characters(data: bytes) -> bytes:
    """Return a document in UTF-8 without the characters that XML can't hold, as themselves or as references."""
    return _NO_REFERENCE.sub(b"", _NO_XML.sub("", data.decode("utf-8", "replace")).encode())


class _Shallow(TreeBuilder):
    """Builds a document, as long as its elements don't nest too deep."""

    depth = 0

    def start(self, tag: str, attrs: dict[Any, Any], /) -> Any:
        self.depth += 1
        if self.depth > MOST_DEPTH:
            raise ParseError(f"elements nest more than {MOST_DEPTH} deep")
        return super().start(tag, attrs)

    def end(self, tag: str, /) -> Element:
        self.depth -= 1
        return super().end(tag)


def parse_xml(data: bytes, shown: str, document_type: bool = False) -> Element:
    """Return the root element of a document; `shown` is its name in messages.

    A document type is refused unless it's asked for, entities always. Raises ProjectError.
    """
    try:
        parser = DefusedXMLParser(target=_Shallow(), forbid_dtd=not document_type)
        parser.feed(data)
        root: Element = parser.close()
        return root
    except DefusedXmlException as error:
        what = "declares entities" if document_type else "has a document type or entities"
        message = f"{what}, which no such file needs"
        raise one_problem(shown, None, "", message, "Refused. Ask for it without.") from error
    except (ParseError, ValueError, LookupError) as error:
        line = getattr(error, "position", (None,))[0]
        raise one_problem(shown, line, "", f"isn't well-formed XML: {error}", "Export it again.") from error
