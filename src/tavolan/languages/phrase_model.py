"""Where words of a script without spaces stay together: BudouX's models of Japanese, Chinese and Thai."""

from functools import cache
from typing import Any


@cache
def _parser(name: str) -> Any:
    import budoux

    return getattr(budoux, f"load_default_{name}_parser")()


def phrases_in(text: str, model: str) -> list[str]:
    """Return a text cut into its phrases, by a model that a row of `scripts.toml` names."""
    found: list[str] = _parser(model).parse(text)
    return found
