"""A store of one's own whose fields have other ids: it's treated as any other, since all asks for roles."""

import json
import re
import shutil
import subprocess
import sys

import pytest
from openpyxl import load_workbook

import tavolan
from conftest import replace, run_tavolan
from tavolan.rulebooks.load import DATA
from tavolan.sample.write import write_texts

# The store for iOS devices, with every field that behaviour depends on called otherwise.
NAMES = {
    "title": "headline", "subtitle": "strapline", "keywords": "search_words", "description": "story",
    "notes": "whats_new", "tester_notes": "for_testers", "promo": "teaser", "support_url": "help_at",
    "marketing_url": "site", "privacy_url": "privacy_at", "item_name": "good_name", "item_description": "good_story",
}  # fmt: skip
RENAMED = re.compile(rf"\b({'|'.join(NAMES)})\b")
FAULTS = [
    ("copy/de-DE.toml", "Kilnary: Brennofen & Glasuren", "Kilnary 😀 Brennofen!! Gratis  "),
    ("copy/de-DE.toml", '"keramik", ', '"keramik", "keramik", "die", "ton und ofen", '),
    ("copy/fr-FR.toml", 'subtitle = "', 'subtitle = "{{placeholder}}  '),
    ("copy/fr-FR.toml", 'support_url = "https://', 'support_url = "htp:/ '),
    ("copy/en-US.toml", "[history]", '[history]\n"2.3.9" = """{notes}"""'),
]


def renamed(text):
    return RENAMED.sub(lambda found: NAMES[found[1]], text)


@pytest.fixture(scope="module")
def projects(tmp_path_factory):
    """The sample in the shipped store alone, and the same in a store of its own, both with faults of all kinds."""
    shipped, own = (tmp_path_factory.mktemp("roles") / name for name in ("shipped", "own"))
    write_texts(shipped)
    config = (shipped / "tavolan.toml").read_text("utf-8")
    head, _, rest = config.partition("[store.android]")
    (shipped / "tavolan.toml").write_text(head + "[guard]" + rest.partition("[guard]")[2], "utf-8")
    (shipped / "rules").mkdir()
    (shipped / "rules/ios.toml").write_text("[policy]\nplain_title = true\n[policy.title_claims]\nde = 'gratis'\n")
    source = (shipped / "copy/en-US.toml").read_text("utf-8")
    notes = re.search(r'^notes = """\n(.*?)"""', source, re.M | re.S)[1]
    for file, old, new in FAULTS:
        replace(shipped / file, old, new.replace("{notes}", notes))
    en, ja = (
        re.search(r"^promo = .*\n", (shipped / f"copy/{tag}.toml").read_text("utf-8"), re.M)[0]
        for tag in ("en-US", "ja")
    )
    replace(shipped / "copy/ja.toml", ja, en)
    shutil.copytree(shipped, own)
    book = renamed((DATA / "ios.toml").read_text("utf-8")).replace('id = "ios"', 'id = "kiosk"')
    # The roles in the rulebook keep their names.
    book = re.sub(r'^role = "(.*)"$', lambda m: f'role = "{ROLES.get(m[1], m[1])}"', book, flags=re.M)
    (own / "rules/ios.toml").unlink()
    book = book.replace("[policy]", "[policy]\nplain_title = true").replace(
        "[field.headline]", "[policy.title_claims]\nde = 'gratis'\n\n[field.headline]", 1
    )
    (own / "rules/kiosk.toml").write_text(book, "utf-8")
    config = (own / "tavolan.toml").read_text("utf-8").replace("[store.ios", "[store.kiosk")
    (own / "tavolan.toml").write_text(config.replace('field = "title"', 'field = "headline"'), "utf-8")
    for path in (own / "experiments").iterdir():
        replace(path, 'store = "ios"', 'store = "kiosk"')
    for path in (own / "copy").iterdir():
        text = path.read_text("utf-8")
        pattern = (
            rf"^(?:({'|'.join(NAMES)})(?= = ))" if path.suffix == ".toml" else rf"(?<=[,.>])({'|'.join(NAMES)})(?=[,<])"
        )
        path.write_text(re.sub(pattern, lambda m: NAMES[m[1]], text, flags=re.M), "utf-8")
    return shipped, own


ROLES = {name: role for role, name in NAMES.items()}


def findings(root):
    return tavolan.check(tavolan.open_project(root))


def content_of(finding, names):
    """What a finding says, with the ids of one store: where rule, level, place and measure are compared."""
    field = ".".join(names.get(part, part) for part in finding.field.split("."))
    return (
        finding.rule,
        finding.level,
        finding.locale,
        field,
        finding.line,
        finding.measured,
        finding.limit,
        finding.subject,
    )


def test_every_check_finds_the_same_in_a_store_with_other_ids(projects):
    shipped, own = map(findings, projects)
    assert sorted(content_of(f, NAMES) for f in shipped) == sorted(content_of(f, {}) for f in own)
    rules = {finding.rule for finding in own}
    asked_by_role = {
        "title-policy",
        "keyword-filler",
        "keyword-phrase",
        "notes-repeated",
        "untranslated",
        "spaces",
        "link",
    }
    assert len(rules) > 20, rules
    assert asked_by_role - rules == set(), rules


def test_its_keywords_go_to_no_translator_and_its_links_stay(projects):
    for root, names in zip(projects, ({}, NAMES), strict=True):
        done = run_tavolan("locale", "send", "--all", "--locale", "it", cwd=root)
        assert done.code == 0, done.err
        sent = (root / "out/send/it.xlf").read_text("utf-8")
        assert names.get("title", "title") in sent
        assert (
            f'"{names.get("keywords", "keywords")}"' not in sent and names.get("privacy_url", "privacy_url") not in sent
        )
    ids = [
        sorted(re.findall(r'<unit id="[^"]*" name="([^"]*)"', (root / "out/send/it.xlf").read_text("utf-8")))
        for root in projects
    ]
    assert ids[0] and sorted(map(renamed, ids[0])) == ids[1]


@pytest.mark.parametrize("command", [
    ("terms", "cover", "--json"), ("terms", "plan", "--locale", "en-US", "--json"), ("terms", "mine", "--locale", "en-US", "--json"),
    ("status", "--translations", "--json"), ("notes", "show", "--format", "json"),
])  # fmt: skip
def test_commands_say_the_same(projects, command):
    def said(root):
        done = run_tavolan(*command, cwd=root)
        assert done.code == 0, done.err
        document = json.loads(done.out)
        document.pop("seconds", None)
        return renamed(re.sub(r"\bios\b", "kiosk", json.dumps(document, sort_keys=True)))

    assert said(projects[0]) == said(projects[1])


def test_notes_of_every_name_are_drafted_kept_and_shown(projects, tmp_path):
    root = shutil.copytree(projects[1], tmp_path / "own")
    git = ["git", "-c", "user.name=A", "-c", "user.email=a@b.example", "-C", str(root)]
    for command in (
        ("init", "-q"),
        ("add", "."),
        ("commit", "-qm", "start"),
        ("commit", "-qm", "feat: glaze search", "--allow-empty"),
    ):
        subprocess.run([*git, *command], check=True)
    done = run_tavolan("notes", "draft", "--since", "HEAD~1", "--repository", ".", "--replace", cwd=root)
    assert done.code == 0, done.err
    assert re.search(r"^whats_new = .*glaze search", (root / "copy/en-US.toml").read_text("utf-8"), re.M | re.I)
    assert "Kegeltabellen" in run_tavolan("notes", "show", "--locale", "de-DE", cwd=root).out
    assert run_tavolan("notes", "keep", "--next", "2.5", cwd=root).code == 0
    text = (root / "copy/de-DE.toml").read_text("utf-8")
    assert "whats_new" not in text and re.search(r'^"?2\.4"? = ', text, re.M)


def test_the_page_and_the_sheet_know_the_fields(projects):
    root = projects[1]
    assert run_tavolan("preview", cwd=root).code == 0
    assert "<h3>Kilnary Brennofen" in (root / "out/preview.html").read_text("utf-8").replace(" 😀", "")
    assert run_tavolan("copy", "sheet", "out/sheet.xlsx", cwd=root).code == 0
    book = load_workbook(root / "out/sheet.xlsx")
    search = {str(row[0].value) for row in book["Search"].iter_rows(min_row=2)}
    assert {"headline", "strapline", "search_words"} <= search | {str(cell.value) for cell in book["Search"][1]}
    assert "help_at" in {str(cell.value) for row in book["Links"].iter_rows() for cell in row}


def test_a_rulebook_dropped_into_the_folder_is_a_store(tmp_path):
    package = shutil.copytree(
        DATA.parent.parent, tmp_path / "src/tavolan", ignore=shutil.ignore_patterns("__pycache__")
    )
    book = (DATA / "maker.toml").read_text("utf-8").replace('id = "maker"', 'id = "bazaar"')
    (package / "rulebooks/data/bazaar.toml").write_text(book, "utf-8")
    program = "from tavolan.cli.main import run; run()"
    environment = {"PYTHONPATH": str(tmp_path / "src"), "PATH": "/usr/bin:/bin", "HOME": str(tmp_path)}
    done = subprocess.run([sys.executable, "-c", program, "new", "shop", "--store", "bazaar"], cwd=tmp_path, env=environment,
                          capture_output=True, text=True, check=False)  # fmt: skip
    assert done.returncode == 0, done.stderr
    assert "[store.bazaar]" in (tmp_path / "shop/tavolan.toml").read_text("utf-8")
