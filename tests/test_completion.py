"""Completion in real shells: installed by the program itself, then a key is typed."""

import os
import shutil
import subprocess

import pexpect
import pytest

from conftest import PROGRAM

BEGUN = {"copy rep": "replace", "copy show de": "de-DE", "facts copyr": "copyright=", "check --expl": "--explain"}


@pytest.fixture
def environment(tmp_path):
    """Variables of somebody whose home is empty."""
    home = tmp_path / "home"
    home.mkdir()
    (home / ".zshrc").write_text("PROMPT='> '\n", encoding="utf-8")
    kept = {key: value for key, value in os.environ.items() if key not in ("ENV", "BASH_ENV", "ZDOTDIR")}
    path = f"{PROGRAM.parent}{os.pathsep}{os.environ['PATH']}"
    return {**kept, "HOME": str(home), "XDG_CONFIG_HOME": str(home / ".config"), "TERM": "dumb", "PATH": path}


def installed(name, environment):
    """Have the program install its completion, which sees by itself in which shell it runs; return the shell."""
    if not (path := shutil.which(name)):
        pytest.skip(f"{name} isn't on this machine")
    line = "tavolan --install-completion; echo done"
    done = subprocess.run([path, "-c", line], env=environment, capture_output=True, text=True, check=False)
    assert f"{name} completion installed" in done.stdout, (done.stdout, done.stderr)
    return path


@pytest.mark.parametrize(("name", "options"), [("bash", ["--noprofile", "-i"]), ("zsh", ["-i"])])
def test_a_word_that_is_begun_is_completed_by_a_key(name, options, environment, project):
    shell = installed(name, environment)
    typed = pexpect.spawn(shell, options, cwd=str(project), env=environment, encoding="utf-8", timeout=30)
    typed.setwinsize(40, 200)
    typed.sendline("echo ready-$((1 + 1))")
    typed.expect("ready-2")
    if name == "zsh":
        # The first key of a session only loads what was installed there.
        typed.send("tavolan copy rep\t\x15")
    for begun, whole in BEGUN.items():
        # The rest of the word comes, and a blank or nothing behind it; then the line is given up.
        typed.send(f"tavolan {begun}\t")
        typed.expect_exact(whole[len(begun.split()[-1]) :])
        typed.send("\x15")
    typed.close(force=True)


def test_fish_offers_what_a_word_may_become(environment, project):
    shell = installed("fish", environment)
    for begun, whole in BEGUN.items():
        line = f"complete -C 'tavolan {begun}'"
        done = subprocess.run(
            [shell, "-c", line], cwd=project, env=environment, capture_output=True, text=True, check=True
        )
        assert whole in done.stdout, done.stdout
