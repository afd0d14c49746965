"""What all shapes of documents share."""

from pydantic import ConfigDict
from typing_extensions import TypedDict


class DocumentPart(TypedDict):
    """A part of a document: nothing else may be in it, and the texts below its entries describe them."""

    __pydantic_config__ = ConfigDict(extra="forbid", use_attribute_docstrings=True)  # type: ignore[misc]
