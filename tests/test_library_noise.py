"""Lines that a library prints below Python: those that are known are left out, all others come."""

import os
import subprocess
import sys

import pytest

from tavolan.support.library_noise import without_lines


def test_known_lines_are_left_out_and_others_come(capfd):
    with without_lines("Noise"):
        os.write(1, b"Noise one\nA warning\n")
        print("and ours")
    print("after")
    assert sorted(capfd.readouterr().out.split("\n")) == ["", "A warning", "after", "and ours"]


def test_lines_come_also_when_it_fails(capfd):
    with pytest.raises(ValueError, match="broken"), without_lines("Noise"):
        os.write(1, b"A reason\n")
        raise ValueError("broken")
    assert capfd.readouterr().out == "A reason\n"


def test_without_standard_output_nothing_happens():
    code = "import os; os.close(1)\nfrom tavolan.support.library_noise import without_lines\nwith without_lines('x'): done = 1\nos._exit(done)"
    assert subprocess.run([sys.executable, "-c", code], check=False).returncode == 1
