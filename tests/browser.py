"""Pages in a real browser, where one is installed."""

import html
import json
import re
import shutil
import subprocess

import pytest

_BROWSER = shutil.which("chromium") or shutil.which("chromium-browser")
needs_browser = pytest.mark.skipif(_BROWSER is None, reason="there's no Chromium here")


def with_script(page, script):
    """Return a copy of a page, beside it, that runs a script too."""
    changed = page.with_name(f"scripted-{page.name}")
    changed.write_text(page.read_text("utf-8").replace("</body>", f"<script>{script}</script></body>"), "utf-8")
    return changed


def reported_by(document):
    """Return what a page writes into its element `report` once it's loaded."""
    shown = subprocess.run(
        [_BROWSER, "--headless", "--no-sandbox", "--disable-gpu", "--allow-file-access-from-files", "--window-size=1280,800",
         "--virtual-time-budget=20000", "--dump-dom", document.as_uri()],
        capture_output=True, encoding="utf-8", timeout=120, check=True,
    ).stdout  # fmt: skip
    return json.loads(html.unescape(re.search(r'<pre id="report">(.*?)</pre>', shown, re.DOTALL)[1]))
