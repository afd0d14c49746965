"""Kill pushes of the whole sample, and cut their connections, again and again: both sides must be equal afterwards.

usage: console_kills.py [KILLS [CUTS]]
"""

from __future__ import annotations

import os
import random
import shutil
import signal
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import tavolan
from tavolan.consoles.client import Client
from tavolan.consoles.comparison import comparison_of
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.store_console import ConsoleAddress
from tavolan.pictures.making.planner import Selection
from tavolan.project.load import load_project
from tavolan.sample.write import write_screens, write_texts
from tavolan.standins.console.back_office import Manners
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer

PROGRAM = str(Path(sys.executable).parent / "tavolan")
STORES = ("ios", "android")
PUSH = ("console", "push", "--yes", "--despite", "caption-missing", "--despite", "screen-missing", "--reason", "trial")
CONSOLE = '\n[console.{0}]\nurl = "{1}"\napp = "trial-{0}"\n'


def sample(root: Path, address: str) -> None:
    """Write the sample with pictures of two locales, and without its planted error in what's pushed."""
    write_texts(root)
    write_screens(root, lambda *_: None)
    text = (root / "copy/de-DE.toml").read_text("utf-8")
    lines = [
        line if not line.startswith("subtitle") else 'subtitle = "Brennpläne für Töpfer"' for line in text.split("\n")
    ]
    (root / "copy/de-DE.toml").write_text("\n".join(lines), "utf-8")
    with (root / "tavolan.toml").open("a", encoding="utf-8") as config:
        config.write("".join(CONSOLE.format(store, address) for store in STORES))
    tavolan.render(tavolan.open_project(root), Selection(locales=("en-US", "ja")))


def equal(root: Path, server: ConsoleServer) -> bool:
    """Whether both sides and the base are the same."""
    project = load_project(root)
    for store in STORES:
        client = Client(
            ConsoleAddress(store, server.address, f"trial-{store}", Credentials(server.client_id, server.secret))
        )
        sides = {cell.side for cell in comparison_of(project, store, client).cells}
        client.close()
        if sides != {"same"}:
            return False
    return True


def trial(whole: Path, server: ConsoleServer, kill_after: float | None, cuts: int) -> tuple[int, bool]:
    """Push to fresh app records, disturbed, then undisturbed; return its exit code, and whether all fits."""
    with tempfile.TemporaryDirectory() as folder:
        root = Path(folder) / "kilnary"
        shutil.copytree(whole, root)
        server.state.clear()
        for store in STORES:
            add_app(server.state, f"trial-{store}", store, "en-US")
        server.manners.drop = cuts
        run = subprocess.Popen([PROGRAM, *PUSH, "--project", str(root)], env={**os.environ, **server.variables},
                               stdout=subprocess.DEVNULL,
                               stderr=subprocess.DEVNULL)  # fmt: skip
        if kill_after is not None:
            time.sleep(kill_after)
            run.send_signal(signal.SIGKILL)
        run.wait()
        server.manners.drop = 0
        again = subprocess.run(
            [PROGRAM, *PUSH, "--project", str(root)],
            env={**os.environ, **server.variables},
            capture_output=True,
            check=False,
        )
        if again.returncode:
            print((again.stdout + again.stderr).decode("utf-8", "replace")[-1500:], flush=True)
            return again.returncode, False
        journal = (root / "journal.csv").read_text("utf-8").count("\n")
        return 0, equal(root, server) and journal > 100


def main() -> None:
    """Run the trials and print what came of them."""
    kills, cuts = (int(text) for text in (*sys.argv[1:], "150", "150")[:2])
    rng = random.Random(1)
    server = ConsoleServer(manners=Manners())
    server.start()
    with tempfile.TemporaryDirectory() as folder:
        whole = Path(folder) / "kilnary"
        sample(whole, server.address)
        begin = time.perf_counter()
        trial(whole, server, None, 0)
        usual = time.perf_counter() - begin
        print(f"an undisturbed push and a second one: {usual:.1f} s")
        for title, count in (("killed", kills), ("cut off", cuts)):
            bad = 0
            for _ in range(count):
                after = rng.uniform(0.3, usual * 0.7) if title == "killed" else None
                code, fits = trial(whole, server, after, 0 if title == "killed" else rng.randrange(1, 12))
                bad += bool(code) or not fits
            print(f"{count} pushes {title}: {bad} after which the next push left a difference", flush=True)
    server.close()


if __name__ == "__main__":
    main()
