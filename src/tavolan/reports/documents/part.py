"""What all JSON documents share: a document's class is its shape, and takes its values from the results themselves.

A field takes the attribute of its own name. `at` names another one, where a document is flatter than the result.
"""

import math
from typing import Annotated, Any, ClassVar, Self

from pydantic import AfterValidator, AliasPath, BaseModel, BeforeValidator, ConfigDict, Field


class DocumentPart(BaseModel):
    """A part of a document: nothing else may be in it, and the texts below its fields describe them."""

    model_config = ConfigDict(
        from_attributes=True,
        populate_by_name=True,
        extra="forbid",
        use_attribute_docstrings=True,
        json_schema_serialization_defaults_required=True,
        defer_build=True,
    )

    @classmethod
    def of(cls, result: object, **beside: object) -> Self:
        """Return the part that says a result, with values that the result doesn't have, or has otherwise."""
        return cls.model_validate(_Beside(result, beside) if beside else result)


class _Beside:
    """A result's attributes, and values beside them."""

    def __init__(self, result: object, values: dict[str, object]) -> None:
        self._result, self._values = result, values

    def __getattr__(self, name: str) -> object:
        return self._values[name] if name in self._values else getattr(self._result, name)


class Document(DocumentPart):
    """A whole document; `kind` is its name and version, as its key `schema` has them."""

    kind: ClassVar[str]

    def data(self) -> dict[str, Any]:
        """Return it as JSON has it: null for numbers that aren't known or have no bound, days as 2026-11-30."""
        return {"schema": f"tavolan/{self.kind}", **_finite(self.model_dump(mode="json"))}


def _finite(value: Any) -> Any:
    if isinstance(value, dict):
        return {name: _finite(item) for name, item in value.items()}
    if isinstance(value, list):
        return [_finite(item) for item in value]
    return None if isinstance(value, float) and not math.isfinite(value) else value


def at(*path: str, missing: Any = ...) -> Any:
    """Say at which attribute of the result a value is, and what it is where that isn't there."""
    return Field(missing, validation_alias=AliasPath(*path))


def only_if_known() -> Any:
    """Say that a document has no such key where there's no value."""
    return Field(None, exclude_if=lambda value: value is None)


# A value that's rounded, since its last digits say nothing.
Rounded = Annotated[float, AfterValidator(lambda value: round(value, 4))]
# The names of a mapping's entries, in their order.
Names = Annotated[list[str], BeforeValidator(list)]
