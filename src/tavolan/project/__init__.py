"""The project model: load, validate and find what stands where."""

from tavolan.project.load import find_root, load_project
from tavolan.project.model import Project, Store, Term, Value

__all__ = ["Project", "Store", "Term", "Value", "find_root", "load_project"]
