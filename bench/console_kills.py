"""Kill pushes of the whole sample, and cut their connections, again and again: both sides must be equal afterwards.

Pulls and submits are killed too: each is simply run again.

usage: console_kills.py [KILLS [CUTS [PULLS_AND_SUBMITS]]]
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
from tavolan.consoles.protocol import SetOrder
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


def interrupted(root: Path, server: ConsoleServer, command: tuple[str, ...], after: float) -> str:
    """Kill a command after some seconds, run it again, and return what the second run said; empty where it worked."""
    around = {**os.environ, **server.variables}
    line = [PROGRAM, "console", *command, "--project", str(root)]
    run = subprocess.Popen(line, env=around, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    time.sleep(after)
    run.send_signal(signal.SIGKILL)
    run.wait()
    again = subprocess.run(line, env=around, capture_output=True, check=False)
    return (again.stdout + again.stderr).decode("utf-8", "replace")[-1500:] if again.returncode else ""


def client_of(server: ConsoleServer, store: str) -> Client:
    """Return a client of a store's app record."""
    sign_in = Credentials(server.client_id, server.secret)
    return Client(ConsoleAddress(store, server.address, f"trial-{store}", sign_in))


def pull_trial(root: Path, server: ConsoleServer, number: int, after: float) -> str:
    """Let a colleague change texts and an order of pictures, kill a pull of that, and return what the next one left."""
    for store in STORES:
        client = client_of(server, store)
        for seen in list(client.listings()):
            name = "promo" if store == "ios" else "short"
            client.change_listing(seen.value.locale, {name: f"{number}: {store} {seen.value.locale}"}, seen.etag)
        for seen in list(client.picture_sets()):
            if len(seen.value.pictures) > 1 and seen.value.kind == "shots":
                digests = [picture.sha256 for picture in seen.value.pictures]
                order = SetOrder(kind="shots", pictures=[*digests[1:], digests[0]])
                client.order_pictures(seen.value.locale, seen.value.place, order, seen.etag)
        client.close()
    said = interrupted(root, server, ("pull",), after)
    return said or ("" if equal(root, server) else "a difference is left")


def submit_trial(root: Path, server: ConsoleServer, number: int, after: float) -> str:
    """Kill the hand-over of a build to review, and return what's wrong after the next one."""
    app = "trial-android"
    for kind in ("version", "build"):
        for kept in server.state.all(kind, app):
            server.state.delete(kind, app, kept.key)
    build = root / "build.bin"
    build.write_bytes(random.Random(number).randbytes(3_000_000))
    command = ("submit", "--store", "android", "--yes", "--build", str(build), "--number", str(number))
    said = interrupted(root, server, command, after)
    client = client_of(server, "android")
    states = [(version.state, version.build) for version in client.versions()]
    builds = [each.number for each in client.builds()]
    client.close()
    right = states == [("waiting", str(number))] and builds == [str(number)]
    return said or ("" if right else f"versions {states}, builds {builds}")


def further_trials(whole: Path, server: ConsoleServer, kills: int, rng: random.Random) -> None:
    """Kill pulls and submits, and print what came of them."""
    server.state.clear()
    server.manners.review = 3600.0
    server.manners.build = 0.2
    for store in STORES:
        add_app(server.state, f"trial-{store}", store, "en-US")
    around = {**os.environ, **server.variables}
    for command in (("shots", "render", "--icons"), PUSH):
        subprocess.run([PROGRAM, *command, "--project", str(whole)], env=around, check=True, capture_output=True)
    for title, one, longest in (("pulls", pull_trial, 2.5), ("submits", submit_trial, 2.0)):
        bad = 0
        for number in range(1, kills + 1):
            wrong = one(whole, server, number, rng.uniform(0.2, longest))
            bad += bool(wrong)
            if wrong:
                print(wrong, flush=True)
        print(f"{kills} {title} killed: {bad} that couldn't simply be run again", flush=True)


def main() -> None:
    """Run the trials and print what came of them."""
    kills, cuts, others = (int(text) for text in (*sys.argv[1:], "150", "150", "50")[:3])
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
        further_trials(whole, server, others, rng)
    server.close()


if __name__ == "__main__":
    main()
