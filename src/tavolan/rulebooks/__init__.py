"""The shipped rulebooks (data/*.toml) and their loader."""

from tavolan.rulebooks.load import SHIPPED, load_rulebooks, shipped_rulebook
from tavolan.rulebooks.model import FieldRule, Rulebook, SizeClass

__all__ = ["SHIPPED", "FieldRule", "Rulebook", "SizeClass", "load_rulebooks", "shipped_rulebook"]
