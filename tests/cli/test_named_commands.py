"""Every command and option that the program, its pages or its documents name is there, spelled as it's taken."""

import ast
import inspect
import re
from pathlib import Path

import pytest

import tavolan
from tavolan.cli.main import program

SOURCE = Path(tavolan.__file__).parent
ROOT = SOURCE.parent.parent
NAMED = re.compile(r"(?<![\w./-])tavolan ((?:[a-z]+(?![\w=/.]))(?: [a-z]+(?![\w=/.]))?)([^\n`;&|#]*)")
OPTION = re.compile(r"(?<![\w-])--[a-z][a-z-]*")
EVERYWHERE = {"--help", "--version", "--install-completion", "--show-completion"}
# These call git; their options are its.
CALL_GIT = {"gitlog.py", "copy_history.py", "git.py"}


def filled(node):
    """The text of a literal; what's put in at run time is X."""
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    if isinstance(node, ast.JoinedStr):
        return "".join(part.value if isinstance(part, ast.Constant) else "X" for part in node.values)
    return ""


def literals(path):
    tree = ast.parse(path.read_text("utf-8"))
    inner = {id(part) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr) for part in ast.walk(node)} - {
        id(node) for node in ast.walk(tree) if isinstance(node, ast.JoinedStr)
    }
    for node in ast.walk(tree):
        if id(node) not in inner and (text := filled(node)):
            yield node.lineno, text


def texts():
    """Each text that people read, with where it stands."""
    for path in sorted(SOURCE.rglob("*.py")):
        for line, text in literals(path):
            yield f"{path.relative_to(ROOT)}:{line}", " ".join(text.split())
    pages = [*SOURCE.rglob("*.toml"), *SOURCE.rglob("*.j2"), *SOURCE.rglob("*.html"), *SOURCE.rglob("*.js")]
    # What was renamed or left is told where it's told, and in the list of changes.
    old = {"old_commands.toml", "old_options.toml", "CHANGELOG.md", "decisions.md"}
    pages += [ROOT / "README.md", *(ROOT / "docs").glob("*.md")]
    for path in sorted(path for path in pages if path.name not in old):
        number = 1
        # A sentence may go on in the next line.
        for paragraph in re.split(r"(\n\s*\n)", path.read_text("utf-8")):
            yield f"{path.relative_to(ROOT)}:{number}", " ".join(paragraph.split())
            number += paragraph.count("\n")


@pytest.fixture(scope="module")
def known():
    """The options of all commands by their words."""

    def below(command, words):
        yield " ".join(words), command
        for name, each in getattr(command, "commands", {}).items():
            yield from below(each, [*words, name])

    return dict(below(program(), []))


def options_of(command):
    return {option for parameter in command.params for option in [*parameter.opts, *parameter.secondary_opts]}


def faults_of(text, known):
    groups = {name.split()[0] for name in known if " " in name}
    for named in NAMED.finditer(text):
        words, rest = named[1].split(), named[2]
        if words[0] not in known:
            continue
        path = " ".join(words) if " ".join(words) in known else words[0]
        # A group alone is named where the sentence goes on: "tavolan copy writes them".
        if words[0] in groups and len(words) == 2 and path == words[0]:
            yield f"tavolan {' '.join(words)}"
        # The options up to the next command or the sentence's end.
        rest = re.split(r"tavolan |[.:,](?: |$)|\)", rest)[0]
        for option in OPTION.findall(rest):
            if option not in options_of(known[path]) | EVERYWHERE:
                yield f"tavolan {path} {option}"


def test_every_command_that_is_named_is_there(known):
    faults = [f"{where}: {fault}" for where, text in texts() for fault in faults_of(text, known)]
    assert not faults, "\n".join(faults)


def test_every_option_that_is_named_is_one_of_some_command(known):
    every = set().union(*map(options_of, known.values())) | EVERYWHERE
    faults = [
        f"{where}: {option}"
        for where, text in texts()
        if where.startswith("src") and not CALL_GIT & set(re.split("[/:]", where)) and ".j2:" not in where
        for option in OPTION.findall(text)
        if option not in every
    ]
    assert not faults, "\n".join(faults)


def test_a_command_names_only_options_of_its_own(known):
    own = {}
    for command in (each for name, each in known.items() if name):
        if callback := getattr(command, "callback", None):
            own.setdefault(inspect.unwrap(callback).__module__, set()).update(options_of(command))
    faults = []
    for module, options in own.items():
        path = SOURCE.parent / (module.replace(".", "/") + ".py")
        for line, text in literals(path):
            faults += [
                f"{path.name}:{line}: {option}"
                for option in OPTION.findall(NAMED.sub("", " ".join(text.split())))
                if option not in options | EVERYWHERE
            ]
    assert not faults, "\n".join(faults)


def test_the_table_of_commands_names_options_of_the_commands_in_their_line(known):
    faults = []
    for line in (ROOT / "README.md").read_text("utf-8").splitlines():
        if not line.startswith("| `tavolan "):
            continue
        named = [name for name in known if name and re.search(rf"`tavolan {name}\b", line)]
        own = set().union(*(options_of(known[name]) for name in named)) | EVERYWHERE
        faults += [f"{named}: {option}" for option in OPTION.findall(line) if option not in own]
    assert not faults, "\n".join(faults)
