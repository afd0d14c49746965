"""Rules that turn a project into findings."""

from tavolan.checking.findings import Finding, as_document, count_levels
from tavolan.checking.registry import CHECKS, run_checks

__all__ = ["CHECKS", "Finding", "as_document", "count_levels", "run_checks"]
