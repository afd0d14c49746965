"""Run only the checks of the preview video over a project."""

from datetime import date

from tavolan.checking.findings import Finding
from tavolan.checking.registry import all_checks, run_checks
from tavolan.project.addresses import TITLES
from tavolan.project.model import Project

FAMILY = "tavolan.checking.video"


def check_project_videos(project: Project, today: date | None = None) -> list[Finding]:
    """Return what the checks of the video find in a project, and what any check finds in its titles."""
    ours = {rule for rule, item in all_checks().items() if item.run.__module__ == FAMILY}
    return [
        finding
        for finding in run_checks(project, today)
        if finding.rule in ours or finding.field.startswith(f"{TITLES}.")
    ]
