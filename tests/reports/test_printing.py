"""Text from outside on its way to people: never mark-up, never obeyed by a terminal, its direction its own."""

import subprocess

import pytest
from rich.text import Text

from conftest import replace, run_tavolan, write_screen
from tavolan.cli.main import commands as build
from tavolan.reports.styled import styled
from tavolan.reports.terminal_safety import isolated, printable

HOSTILE = "[/x] [bold]B[/bold] :smile: {0} %s *a* \u202eevil"
HEBREW = "לוח כבשן"


def test_only_the_template_is_mark_up():
    text = styled("[bold]{}[/] {:.1f} [dim]{}[/]", HOSTILE, 2.25, Text("x", "red"))
    shown = HOSTILE.replace("\u202e", "\\u202e")
    assert text.plain == f"{shown} 2.2 x"
    assert [(text.plain[span.start : span.end], str(span.style)) for span in text.spans if span.style == "bold"] == [
        (shown, "bold")
    ]
    assert styled("[bold]{}", "\\").plain == "\\" and styled("{{}} {}", "a").plain == "{} a"


def test_a_word_of_another_direction_is_isolated():
    assert isolated(f'"{HEBREW}" 3 times, 4 %') == f'"\u2067{HEBREW}\u2069" 3 times, 4 %'
    assert isolated(f"*{HEBREW}* 2") == f"\u2067*{HEBREW}*\u2069 2"
    assert isolated("abc 12") == "abc 12" and isolated("日本語 12") == "日本語 12"


def test_control_characters_are_written_out():
    assert printable("a\x1b[31mb\x07\u202ec\n\td") == "a\\x1b[31mb\\x07\\u202ec\n\td"
    assert printable("a\x1b[31mb\x1b]8;;x\x1b\\", coloured=True) == "a\x1b[31mb\\x1b]8;;x\\x1b\\"


@pytest.fixture
def hostile(project):
    """A project whose every text tries to be something else."""
    for tag in ("en-US", "de-DE"):
        path = project / f"copy/{tag}.toml"
        replace(path, f"Potto: {tag}", f"T [/x] :smile: {HEBREW}")
        replace(
            path,
            "[captions]",
            f"""[alternates]\nsubtitle = ['{HOSTILE} s']\n[history]\n"1 [/y]" = '{HOSTILE}'\n[captions]""",
        )
    replace(project / "copy/en-US.toml", '["pottery", "glaze"]', f"['[/k] [red]x', '{HEBREW}', 'glaze']")
    (project / "terms/en-US.csv").write_text(
        f'phrase,relevance,volume,list\n"[/p] kiln",90,10,"[/l]"\n{HEBREW},50,5,\n'
    )
    (project / "data").mkdir()
    (project / "data/reviews.csv").write_text(
        "locale,stars,text\n" + "".join(f'en-US,{n},"kiln [/r] glow {HEBREW} [bold]z"\n' for n in (3, 4, 5))
    )
    (project / "data/search_pages.csv").write_text(
        'phrase,storefront,position,app,ratings,stars\n"[/p] kiln",US,1,"[/a] app",10,4\n'
    )
    (project / "data/ranks.csv").write_text('date,storefront,phrase,rank\n2026-01-01,US,"[/p] kiln",4\n')
    return project


@pytest.mark.parametrize(
    "command",
    [
        ["check", "--notes"], ["status"], ["status", "--field", "title"], ["copy", "show", "en-US"],
        ["copy", "show", "--field", "title"], ["copy", "show", "--field", "keywords"], ["copy", "replace", "[/x]", "[/z]", "--dry-run"],
        ["copy", "set", "en-US", "subtitle", "--alternate", "1", "--force", "--dry-run"],
        ["copy", "set", "en-US", "promo", "[/s] :smile:", "--dry-run"], ["terms", "cover", "--all"],
        ["terms", "cover"], ["terms", "cover", "--matrix"], ["terms", "mine", "--locale", "en-US"],
        ["reviews", "queue"], ["reviews", "themes"],
        ["terms", "score"], ["terms", "score", "--reach", "--locale", "en-US"], ["terms", "cover", "--lists"],
        ["terms", "cover", "--title-words", "--locale", "en-US"], ["terms", "plan", "--locale", "en-US", "--why"],
        ["status", "--translations", "--units"], ["locale", "send"], ["locale", "add", "--suggest"], ["notes", "show"],
        ["notes", "show", "--version", "1 [/y]"], ["rules", "show", "ios"], ["shots", "render", "--dry-run", "--why"],
    ],
    ids=" ".join,
)  # fmt: skip
def test_no_printer_reads_mark_up(hostile, command):
    done = run_tavolan(*command, cwd=hostile)
    assert done.code in (0, 1), done.err
    assert "\x1b" not in done.out and "\N{SMILING FACE WITH OPEN MOUTH AND SMILING EYES}" not in done.out
    assert "\u202e" not in done.out
    if command[0] in ("check", "copy") or command[:2] in (["terms", "mine"], ["terms", "score"]):
        assert "[/" in done.out or HEBREW in done.out


def test_names_and_commits_from_outside_are_printed_as_they_are(hostile, tmp_path):
    repository = tmp_path / "app"
    repository.mkdir()
    git = ["git", "-c", "user.name=[/n]", "-c", "user.email=a@potto.example", "-C", str(repository)]
    for args in (["init", "-q"], ["commit", "-q", "--allow-empty", "-m", "start"], ["tag", "v1"],
                 ["commit", "-q", "--allow-empty", "-m", "feat: add [/c] [bold]kiln :smile: view"]):  # fmt: skip
        subprocess.run([*git, *args], check=True)
    done = run_tavolan("notes", "draft", "--since", "v1", "--repository", repository, "--dry-run", cwd=hostile)
    assert done.code == 0 and "[/c] [bold]kiln :smile: view" in done.out, done.err
    (tmp_path / "s [bold].csv").write_text('Keyword,[/col],"[bold]note"\n"[/w] kiln",1,x\n')
    done = run_tavolan(
        "import", "--as", "phrases", tmp_path / "s [bold].csv", "--locale", "en-US", "--dry-run", cwd=hostile
    )
    assert done.code == 0 and "[/col], [bold]note" in done.out, done.err
    write_screen(tmp_path / "[bold]home.png", 1290, 2796)
    done = run_tavolan("shots", "take", tmp_path / "[bold]home.png", "--name", "home", "--dry-run", cwd=hostile)
    assert done.code == 0 and "[bold]home.png → screens" in done.out
    done = run_tavolan("check", "--project", tmp_path / "none [/x] :smile:", cwd=hostile)
    assert done.code == 3 and "none [/x] :smile:" in done.err


def described(command, path=()):
    for name, below in getattr(command, "commands", {}).items():
        yield from described(below, (*path, name))
    yield path, command


def test_every_help_text_keeps_its_brackets():
    import typer

    for path, command in described(typer.main.get_command(build())):
        texts = [command.help or "", *(getattr(param, "help", None) or "" for param in command.params)]
        words = [word for text in texts for word in text.split() if word.startswith("[") and "]" in word]
        if words:
            shown = run_tavolan(*path, "--help", COLUMNS="200").out
            assert [word for word in words if word not in shown] == [], path
