"""What all tables of a project's TOML files have in common."""

from pydantic import BaseModel, ConfigDict


class Table(BaseModel):
    """Base of all tables: read-only, strict about unknown keys and about types."""

    model_config = ConfigDict(allow_inf_nan=False, extra="forbid", frozen=True, strict=True, defer_build=True)
