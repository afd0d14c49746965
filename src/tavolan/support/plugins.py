"""Packages that add to Tavolan: found by their entry points, loaded when they're asked for."""

from importlib.metadata import entry_points
from typing import Any

from tavolan.errors import OutsideError, UnknownNameError


def load_plugin(group: str, name: str) -> Any:
    """Return what an entry point names. Raises UnknownNameError without it, OutsideError where it can't be loaded."""
    installed = {point.name: point for point in entry_points(group=group)}
    if name not in installed:
        raise UnknownNameError("no installed package has the adapter", name, installed)
    try:
        return installed[name].load()
    except Exception as error:
        raise plugin_fault(name, error) from error


def plugin_fault(name: str, error: Exception) -> OutsideError:
    """Return what to raise for an error of an adapter's own code."""
    return OutsideError(f"adapter {name} failed: {type(error).__name__}: {error}", "Tell who wrote the adapter.")
