"""The document about facts."""

from collections.abc import Iterable
from typing import Any, ClassVar

from tavolan.project.facts import Fact
from tavolan.reports.documents.part import Document, DocumentPart, at


class OneFact(DocumentPart):
    name: str
    """As `tavolan facts` takes it."""
    field: str
    stores: list[str]
    """Those that ask for it; empty for what the app itself is."""
    what: str = at("rule", "what")
    kind: str = at("rule", "kind")
    required: bool
    """Whether some store can't do without it."""
    value: Any = at("value", "content")
    """What's written in tavolan.toml, null where nothing is."""
    parts: list[str] = at("rule", "parts")
    choices: list[str] = at("rule", "choices")
    faults: list[str]


class Facts(Document):
    """Printed by `tavolan facts --list --json`."""

    kind: ClassVar = "facts@1"
    facts: list[OneFact]

    @classmethod
    def of_facts(cls, facts: Iterable[Fact]) -> "Facts":
        """Return facts as a document."""
        return cls(
            facts=[
                OneFact.of(
                    fact,
                    stores=[store.id for store in fact.stores],
                    faults=[f"{fault.message}. {fault.remedy}" for fault in fact.faults],
                )
                for fact in facts
            ]
        )
