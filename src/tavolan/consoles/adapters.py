"""Adapters: packages that reach a store's console their own way, found by entry points of `tavolan.consoles`."""

from collections.abc import Callable, Iterator
from functools import wraps
from typing import Any

from tavolan.consoles.store_console import SENDING, ConsoleAddress, StoreConsole
from tavolan.errors import OutsideError, TavolanError
from tavolan.support.plugins import load_plugin, plugin_fault
from tavolan.support.transaction import note_sent

GROUP = "tavolan.consoles"


def adapter_for(name: str, address: ConsoleAddress) -> StoreConsole:
    """Return a store's console through an adapter.

    Raises UnknownNameError for one that isn't installed, OutsideError for one that can't be loaded or is no adapter.
    """
    kind = load_plugin(GROUP, name)
    console = _naming_faults(name, kind)(address)
    if not isinstance(console, StoreConsole):
        raise OutsideError(f"adapter {name} is no StoreConsole", "Tell who wrote the adapter: see docs/adapters.md.")
    for method in (
        key for key in dir(StoreConsole) if not key.startswith("_") and callable(getattr(StoreConsole, key))
    ):
        setattr(console, method, _naming_faults(name, getattr(console, method)))
    return console


def _naming_faults(name: str, method: Callable[..., Any]) -> Callable[..., Any]:
    """Let errors of an adapter's own code say whose they are: else they'd seem to be the program's."""
    sends = getattr(method, "__name__", "") in SENDING

    @wraps(method, updated=())
    def call(*args: Any, **named: Any) -> Any:
        if sends:
            note_sent()
        try:
            answer = method(*args, **named)
            # What comes bit by bit fails while it's read.
            return iter(list(answer)) if isinstance(answer, Iterator) else answer
        except TavolanError:
            raise
        except Exception as error:
            raise plugin_fault(name, error) from error

    return call
