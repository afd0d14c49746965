"""Rules that turn a project into findings."""

from tavolan.checking.findings import Finding, count_levels
from tavolan.checking.registry import CHECKS, run_checks

__all__ = ["CHECKS", "Finding", "count_levels", "run_checks"]
