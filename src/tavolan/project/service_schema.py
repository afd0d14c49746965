"""The tables of `tavolan.toml` that name services: providers of drafts, and consoles."""

from typing import Any, Self

from pydantic import Field, model_validator

from tavolan.errors import FaultError
from tavolan.project.table import Table

_ADAPTER = r"^$|^[A-Za-z0-9][A-Za-z0-9._-]*$"
# How many texts are asked for in one question, and how many questions at a time.
USUAL_BATCH, USUAL_PARALLEL = 100, 2


def without_keys(data: Any, key: str, variable: str) -> Any:
    """Return a table; a key that would say where a secret comes from is refused: that's the user's to say."""
    if isinstance(data, dict) and key in data:
        raise FaultError(f"may not say where a secret comes from ({key})", f"Take it out, and set {variable}.")
    return data


class ProviderTable(Table):
    """`[provider.<name>]`: who drafts translations: an address that takes XLIFF by POST, or a program that filters it.

    `adapter` names a package's own way to an address; without one it gets XLIFF by POST.
    `batch` is how many texts are asked for in one question, `parallel` how many questions at a time; `timeout` in
    seconds. A token isn't written here, nor where it comes from: that's the user's (see `support.trust`).
    """

    url: str = ""
    command: list[str] = []
    adapter: str = Field("", pattern=_ADAPTER)
    batch: int = Field(USUAL_BATCH, ge=1, le=500)
    parallel: int = Field(USUAL_PARALLEL, ge=1, le=16)
    timeout: float = Field(60, gt=0, le=3600)
    tries: int = Field(5, ge=1, le=20)

    @model_validator(mode="before")
    @classmethod
    def _without_secrets(cls, data: Any) -> Any:
        return without_keys(data, "token_env", "TAVOLAN_PROVIDER_<NAME>_TOKEN")

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if bool(self.url) == bool(self.command):
            raise FaultError("needs url or command, one of them", "Write the address, or the program.")
        if self.adapter and not self.url:
            raise FaultError("has an adapter, and no url that it's for", "Write the address.")
        return self


class ConsoleTable(Table):
    """`[console.<store>]`: where a store's console is, and which app there it's about.

    `adapter` names a package's own way to it; without one it speaks the open protocol.

    Who signs in isn't written here, nor where that comes from: that's the user's (see `support.trust`). `timeout` in
    seconds.
    """

    url: str = Field(pattern=r"^https?://")
    app: str = Field(pattern=r"^[A-Za-z0-9][A-Za-z0-9._-]*$")
    adapter: str = Field("", pattern=_ADAPTER)
    timeout: float = Field(30, gt=0, le=600)

    @model_validator(mode="before")
    @classmethod
    def _without_secrets(cls, data: Any) -> Any:
        without_keys(data, "client_id_env", "TAVOLAN_CONSOLE_<STORE>_ID")
        return without_keys(data, "client_secret_env", "TAVOLAN_CONSOLE_<STORE>_SECRET")
