"""The shape of the code: what imports what, how long modules are, what the docs mention."""

import ast
import os
import re
import shutil
import subprocess
import sys
import tomllib
from importlib.machinery import SourceFileLoader
from importlib.metadata import packages_distributions
from importlib.util import module_from_spec, spec_from_loader
from pathlib import Path

import tavolan
from conftest import run_tavolan
from tavolan.cli.main import commands as build

ROOT = Path(__file__).parent.parent
MODULES = sorted((ROOT / "src").rglob("*.py"))
HEAVY = ("skia", "pyvips", "numpy", "scipy", "pandas", "matplotlib", "jinja2", "langcodes")


def loaded_by(*args):
    code = (
        f"import sys; sys.argv = ['tavolan', *{list(args)!r}]\n"
        "from tavolan.cli.main import program\n"
        "try: program(sys.argv[1])()\nexcept SystemExit: pass\n"
        "print('\\n' + ' '.join(sys.modules))"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, check=True)
    loaded = set(done.stdout.rsplit("\n", 2)[-2].split())
    assert "typer" in loaded
    return loaded


def test_help_and_check_load_nothing_heavy(shared_project):
    assert not loaded_by("--help") & {*HEAVY, "pydantic"}
    assert not loaded_by("check", "--project", str(shared_project)) & set(HEAVY)


def test_nothing_that_paints_is_loaded_when_nothing_changed(shared_project, tmp_path):
    root = tmp_path / "potto"
    shutil.copytree(shared_project, root)
    command = ("shots", "render", "--locale", "en-US", "--project", str(root))
    assert "skia" in loaded_by(*command)
    assert not loaded_by(*command) & set(HEAVY)


def test_only_the_command_asked_for_is_built():
    whole, one = build(), build("shots")
    assert len(whole.registered_groups) > 5 and not one.registered_commands
    assert [group.name for group in one.registered_groups] == ["shots"]
    assert "Did you mean 'shots'" in run_tavolan("shott").err
    help_of_all = run_tavolan("--help").out
    assert all(group.name in help_of_all for group in whole.registered_groups)


CONTRACTS = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["tool"]["importlinter"]["contracts"]
# For each contract: a module, and an import that it mustn't have.
BREACHES = {
    "layers": ("languages/tags.py", "import tavolan.words.split"),
    "picture-layers": ("pictures/raster/png.py", "import tavolan.pictures.text.fonts"),
    "no-circles": ("errors.py", "import tavolan.support.files"),
    "interface": ("project/model.py", "import rich.table"),
    "commands": ("reports/tables.py", "import typer"),
    "drawing-libraries": ("pictures/design/layout.py", "import tavolan.pictures.raster.backends"),
    "one-door-to-drawing": ("pictures/text/typeset.py", "import skia"),
    "solvers": ("words/plan.py", "import scipy"),
    "tables": ("words/value.py", "import pandas"),
    "makers": ("results/moved.py", "import tavolan.video.render"),
    "judges": ("standins/console/back_office.py", "import tavolan.checking.findings"),
    "network": ("notes/gitlog.py", "import httpx"),
    "media": ("reports/page.py", "import av"),
    "plotting": ("reports/page.py", "import matplotlib"),
    "formats": ("project/datafile.py", "import openpyxl"),
    "servers": ("consoles/push.py", "import fastapi"),
}


def lint_imports(folder, src):
    environment = {**os.environ, "PYTHONPATH": str(src), "COLUMNS": "200"}
    code = "from importlinter.cli import lint_imports_command; lint_imports_command(['--no-cache'])"
    program = [sys.executable, "-c", code]
    return subprocess.run(program, check=False, cwd=folder, env=environment, capture_output=True, text=True)


def test_every_contract_on_imports_is_kept_and_can_be_broken(tmp_path):
    assert {contract["id"] for contract in CONTRACTS} == set(BREACHES)
    shutil.copy(ROOT / "pyproject.toml", tmp_path)
    shutil.copytree(ROOT / "src", tmp_path / "src", ignore=shutil.ignore_patterns("__pycache__"))
    done = lint_imports(tmp_path, tmp_path / "src")
    assert done.returncode == 0, done.stdout
    for name, line in BREACHES.values():
        with (tmp_path / "src/tavolan" / name).open("a", encoding="utf-8") as module:
            module.write(f"\n{line}\n")
    broken = lint_imports(tmp_path, tmp_path / "src")
    assert broken.returncode != 0
    for contract in CONTRACTS:
        assert f"{contract['name']} BROKEN" in broken.stdout, (contract["id"], broken.stdout[-3000:])


def test_the_core_prints_nothing():
    for path in MODULES:
        if path.relative_to(ROOT / "src/tavolan").parts[0] not in ("cli", "reports", "standins"):
            assert not re.search(r"(?<![.\w])print\(", path.read_text("utf-8")), path


# What opens connections, and which modules may: the library for services asks Python for the machine's proxies.
CONNECTING = {"urllib.request", "http.client", "socket", "socketserver", "ftplib", "smtplib", "xmlrpc.client"}
MAY_CONNECT = {"support/http_client.py", "standins/console/server.py", "pictures/making/cluster.py"}


def test_nothing_but_the_client_for_services_opens_connections():
    for path in MODULES:
        nodes = list(ast.walk(ast.parse(path.read_text("utf-8"))))
        names = {alias.name for node in nodes if isinstance(node, ast.Import) for alias in node.names}
        for node in nodes:
            if isinstance(node, ast.ImportFrom) and node.module:
                names |= {node.module, *(f"{node.module}.{alias.name}" for alias in node.names)}
        file = path.relative_to(ROOT / "src/tavolan").as_posix()
        assert not names & CONNECTING or file in MAY_CONNECT, file


def test_the_formatter_is_in_charge_of_all_code():
    assert [str(path) for path in MODULES if re.search(r"#\s*fmt:", path.read_text("utf-8"))] == []


def test_every_library_that_is_imported_is_declared():
    project = tomllib.loads((ROOT / "pyproject.toml").read_text("utf-8"))["project"]
    asked_for = [
        *project["dependencies"],
        *(name for extra in project["optional-dependencies"].values() for name in extra),
    ]
    declared = {_plain(re.split(r"[^\w.-]", name)[0]) for name in asked_for}
    imported = set()
    for path in MODULES:
        for node in ast.walk(ast.parse(path.read_text("utf-8"))):
            if isinstance(node, ast.Import):
                imported |= {alias.name.split(".")[0] for alias in node.names}
            elif isinstance(node, ast.ImportFrom) and node.module and not node.level:
                imported.add(node.module.split(".")[0])
    known = packages_distributions()
    libraries = imported - sys.stdlib_module_names - {"tavolan"}
    assert len(libraries) > 30
    assert [name for name in sorted(libraries) if not {*map(_plain, known.get(name, ()))} & declared] == []


def _plain(name: str) -> str:
    return re.sub(r"[-_.]+", "-", name).lower()


def test_modules_stay_short():
    assert [str(path) for path in MODULES if len(path.read_text("utf-8").splitlines()) > 400] == []


def test_functions_need_no_scrolling():
    for path in MODULES:
        nodes = ast.walk(ast.parse(path.read_text("utf-8")))
        functions = [node for node in nodes if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef)]
        assert [one.name for one in functions if one.end_lineno - one.lineno >= 50] == [], path


def test_the_public_names_are_listed_and_sorted():
    assert tavolan.__all__ == sorted(tavolan.__all__)
    assert all(hasattr(tavolan, name) for name in tavolan.__all__)


def commands():
    app = build()
    found = [command.name or command.callback.__name__ for command in app.registered_commands]
    for group in app.registered_groups:
        for command in group.typer_instance.registered_commands:
            found.append(f"{group.name} {command.name or command.callback.__name__}")
    return found


def test_every_command_is_in_the_readme():
    readme = (ROOT / "README.md").read_text("utf-8")
    assert [name for name in commands() if f"tavolan {name}" not in readme] == []


def test_every_screenshot_is_linked_from_the_readme():
    readme = (ROOT / "README.md").read_text("utf-8")
    shots = sorted((ROOT / "docs/screenshots").glob("*.png"))
    assert 0 < len(shots) < 20
    assert [shot.name for shot in shots if f"docs/screenshots/{shot.name}" not in readme] == []


def test_the_page_of_checks_is_current():
    loader = SourceFileLoader("checks_page", str(ROOT / "scripts/checks-page"))
    module = module_from_spec(spec_from_loader("checks_page", loader))
    loader.exec_module(module)
    assert (ROOT / "docs/checks.md").read_text("utf-8") == module.page(), "run scripts/checks-page"


# Ways to a file that follow links wherever they lead. What's below a project goes through `containment` and `files`.
OPENING = {
    "open", "read_text", "read_bytes", "write_text", "write_bytes", "unlink", "mkdir", "rename", "rmdir", "touch",
    "symlink_to", "hardlink_to", "chmod", "readlink", "new_from_file", "write_to_file", "ZipFile", "makedirs",
    "removedirs", "copytree", "copyfile", "copy2", "rmtree", "mkdtemp", "TemporaryDirectory", "NamedTemporaryFile",
    "os.remove", "os.replace", "shutil.copy", "shutil.move", "filecmp.cmp", "sqlite3.connect",
}  # fmt: skip
# Functions of ours that are called like that, from the modules that hold them.
OURS = {"read_text", "read_bytes", "write_text", "write_bytes"}
# What may open files by other ways, and what it opens.
ELSEWHERE = {
    "support/containment.py": "the one place",
    "support/files.py": "the other half of it",
    "support/shipped.py": "files of the package",
    "support/transaction.py": "a new project's empty folder",
    "cli/demo.py": "copies of the sample in the system's temporary folder",
    "reports/figures/script_fonts.py": "fonts in the system's temporary folder",
    "consoles/trial.py": "made-up pictures in the system's temporary folder",
    "standins/console/files.py": "uploads in the system's temporary folder",
    "standins/console/state.py": "the stand-in's own database",
}
# Calls with a path that was opened, or is about to be written, by `containment` and `files`, or with bytes in memory.
HELD = {
    "database_path(", "readable", "str(draft)", "str(path), 'w'", "io.BytesIO(", "sqlite3.connect(':memory:'",
    "sqlite3.connect(address", "zipfile.ZipFile(file, 'w'", "zipfile.ZipFile(out, 'w'", "archive.open(", "av.open(clip",
}  # fmt: skip


def other_ways(source: str) -> list[str]:
    """The calls in a module that open, write or delete files by other ways."""
    found = []
    for node in ast.walk(ast.parse(source)):
        if not isinstance(node, ast.Call):
            continue
        name = node.func.attr if isinstance(node.func, ast.Attribute) else getattr(node.func, "id", "")
        plain = isinstance(node.func, ast.Name) and name in OURS
        if (
            {name, ast.unparse(node.func)} & OPENING
            and not plain
            and not any(held in ast.unparse(node) for held in HELD)
        ):
            found.append(ast.unparse(node))
    return found


def test_files_of_a_project_are_opened_in_one_place():
    package = ROOT / "src/tavolan"
    found = {
        path.relative_to(package).as_posix(): calls
        for path in MODULES
        if path.relative_to(package).as_posix() not in ELSEWHERE and (calls := other_ways(path.read_text("utf-8")))
    }
    assert found == {}
    for breach in ("(root / name).read_bytes()", "open(path)", "path.unlink()", "sqlite3.connect(root / 'x')",
                   "av.open(str(path))", "shutil.rmtree(root)"):  # fmt: skip
        assert other_ways(breach) == [breach]
