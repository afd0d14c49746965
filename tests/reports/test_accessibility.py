"""The preview page for everybody: no serious finding by axe-core, no sideways scroll on a phone, in a real browser."""

import shutil
from importlib.resources import files

import pytest

from browser import needs_browser, reported_by, with_script
from conftest import replace, run_tavolan

PHONE = 390
pytestmark = [pytest.mark.thorough, needs_browser]


@pytest.fixture(scope="module")
def page(shared_rendered, tmp_path_factory):
    """The page of two stores, with findings of every level, pictures, a plan and the matrix of phrases."""
    root = shutil.copytree(shared_rendered, tmp_path_factory.mktemp("page") / "potto")
    replace(root / "tavolan.toml", "[store.ios]", '[store.android]\nclasses = ["phone"]\n[store.ios]')
    replace(root / "copy/de-DE.toml", "Notizen zum Brand", "Notizen zum Brand und noch viel mehr davon ")
    path = root / "preview.html"
    done = run_tavolan("preview", "--plan", "en-US", "--out", path, "--project", root)
    assert done.code == 0, done.err
    return path


def test_axe_has_nothing_serious_to_say(page):
    axe = files(pytest.importorskip("axe_playwright_python")).joinpath("axe.min.js").read_text("utf-8")
    script = """
    document.querySelectorAll("details").forEach(one => { one.open = true; });
    // As many pictures as stores take, so that the strips scroll.
    document.querySelectorAll(".strip img").forEach(one => { for (let i = 0; i < 5; i++) one.after(one.cloneNode()); });
    addEventListener("load", () => axe.run().then(result => {
      const report = document.body.appendChild(document.createElement("pre"));
      report.id = "report";
      report.textContent = JSON.stringify({passed: result.passes.length, found: result.violations.map(
        one => [one.impact, one.id, one.nodes.length, one.nodes[0].html.slice(0, 200)])});
    }));"""
    checked = with_script(page, f"{axe}</script><script>{script}")
    report = reported_by(checked)
    assert report["passed"] > 10
    assert [found for found in report["found"] if found[0] in ("serious", "critical")] == []


def test_a_phone_shows_it_without_sideways_scroll(page):
    frame = page.with_name("phone.html")
    frame.write_text(
        f'<iframe id="phone" src="{page.as_uri()}" width="{PHONE}" height="844" style="border:0"></iframe>'
        '<pre id="report"></pre><script>phone.onload = () => { report.textContent = JSON.stringify('
        "phone.contentDocument.documentElement.scrollWidth); };</script>"
    )
    assert 300 < reported_by(frame) <= PHONE
