"""Time a full push of a project against curl sending the very same requests to the same stand-in.

usage: console_network.py [ROUNDS]

The project is the sample in 50 locales and three stores, with two pictures per set on phones, about 300 in all. A copy
of it is pushed to a stand-in of its own.
"""

from __future__ import annotations

import multiprocessing
import os
import re
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import httpx
from scale import locales

from tavolan.checking import run_checks
from tavolan.consoles.client import Client
from tavolan.consoles.comparison import comparison_of
from tavolan.consoles.credentials import Credentials
from tavolan.consoles.push import plan_push, push
from tavolan.consoles.store_console import ConsoleAddress
from tavolan.project.load import load_project
from tavolan.sample.write import write_screens
from tavolan.standins.console.seeds import add_app
from tavolan.standins.console.server import ConsoleServer

PROGRAM = str(Path(sys.executable).parent / "tavolan")


def large_project(folder: Path) -> Path:
    """Make the sample in 50 locales and three stores, with two shots, rendered for phones."""
    root = locales(folder, 50)
    write_screens(root, locales=["en-US"])
    config = re.sub(r"classes = .*", "", (root / "tavolan.toml").read_text("utf-8"))
    for store, size_class in (("ios", "phone-6.9"), ("android", "phone"), ("maker", "phone")):
        config = config.replace(f"[store.{store}]", f'[store.{store}]\nclasses = ["{size_class}"]', 1)
        config += f'\n[console.{store}]\nurl = "http://127.0.0.1:1"\napp = "kilnary-{store}"\n'
    (root / "tavolan.toml").write_text(config, "utf-8")
    for file in sorted((root / "copy").glob("*.toml")):
        # No two locales share a caption, so that no two share a picture; and no title is too long.
        text = re.sub(r'(?m)^((?:firing|schedules) = ")', rf"\g<1>{file.stem} ", file.read_text("utf-8"))
        text = re.sub(r'(?m)^subtitle = ".*"', f'subtitle = "Kilns in {file.stem}"', text)
        file.write_text(text, "utf-8")
    shots = (root / "shots.toml").read_text("utf-8").split("\n[[shot]]")
    (root / "shots.toml").write_text("\n[[shot]]".join(shots[:3]), "utf-8")
    subprocess.run([PROGRAM, "shots", "render", "--project", str(root)], check=True)
    return root


def serve(apps: dict[str, str], pipe: Any) -> None:
    """Serve a fresh stand-in with the app records, and say where."""
    server = ConsoleServer()
    for app, store in apps.items():
        add_app(server.state, app, store, "en-US")
    pipe.send(server.variables)
    server.serve()


class Fresh:
    """A copy of the project beside a stand-in in a process of its own, both as before the first hand-over."""

    def __init__(self, project: Path) -> None:
        self.folder = tempfile.TemporaryDirectory()
        self.root = Path(self.folder.name) / "project"
        shutil.copytree(project, self.root)
        shutil.rmtree(self.root / "consoles", ignore_errors=True)
        (self.root / "journal.csv").unlink(missing_ok=True)
        addresses = load_project(self.root).consoles
        self.apps = {address.app: store for store, address in addresses.items()}
        ours, theirs = multiprocessing.Pipe()
        self.process = multiprocessing.Process(target=serve, args=(self.apps, theirs), daemon=True)
        self.process.start()
        variables = ours.recv()
        self.address = variables["TAVOLAN_CONSOLE_URL"]
        self.credentials = Credentials(variables["TAVOLAN_CONSOLE_ID"], variables["TAVOLAN_CONSOLE_SECRET"])
        file = self.root / "tavolan.toml"
        text = re.sub(r'url = "http://127[^"]*"', f'url = "{self.address}"', file.read_text("utf-8"))
        file.write_text(text, "utf-8")
        self.env = {**os.environ, **variables}

    def close(self) -> None:
        """Stop the stand-in and take the copy away."""
        self.process.terminate()
        self.process.join()
        self.folder.cleanup()


def recorded(project: Path) -> list[httpx.Request]:
    """Push once, and return all requests that change something."""
    fresh, requests = Fresh(project), []
    loaded = load_project(fresh.root)
    for app, store in fresh.apps.items():
        http = httpx.Client(base_url=fresh.address, timeout=60, event_hooks={"request": [requests.append]})
        client = Client(ConsoleAddress(store, fresh.address, app, fresh.credentials), http=http)
        found = comparison_of(loaded, store, client)
        push(found, plan_push(found))
        client.close()
    fresh.close()
    return [one for one in requests if one.method != "GET" and one.url.path != "/token"]


def phases(requests: list[httpx.Request]) -> list[list[httpx.Request]]:
    """Return the requests in the order in which they have to come; those of one phase may go side by side."""
    kinds = ("/versions", "/uploads", "/parts/", "/completion", "")
    found: list[list[httpx.Request]] = [[] for _ in kinds]
    for one in requests:
        path = one.url.path
        at = next(n for n, kind in enumerate(kinds) if (kind in path if kind == "/parts/" else path.endswith(kind)))
        found[at].append(one)
    return found


def write_configs(folder: Path, fresh: Fresh, requests: list[httpx.Request]) -> list[Path]:
    """Write what curl is to send, a file for each phase, and the bodies beside it."""
    form = {"grant_type": "client_credentials"}
    address, sign_in = fresh.address, (fresh.credentials.client_id, fresh.credentials.secret)
    token = httpx.post(f"{address}/token", data=form, auth=sign_in).json()["access_token"]
    configs = []
    for number, phase in enumerate(phases(requests)):
        parts = []
        for n, one in enumerate(phase):
            body = folder / f"{number}-{n}"
            body.write_bytes(one.read())
            headers = {"Authorization": f"Bearer {token}", "Content-Type": one.headers.get("Content-Type", ""),
                       "Expect": ""}  # fmt: skip
            headers |= {
                key.title(): one.headers[key]
                for key in ("content-digest", "repr-digest", "idempotency-key")
                if key in one.headers
            }
            if one.method in ("PATCH", "PUT") and "/parts/" not in one.url.path:
                headers["If-Match" if "If-Match" in one.headers else "If-None-Match"] = "*"
            lines = [f'url = "{address}{one.url.raw_path.decode()}"', f'request = "{one.method}"',
                     f'data-binary = "@{body}"', 'output = "/dev/null"', 'write-out = "%{http_code}\\n"']  # fmt: skip
            lines += [f'header = "{key}: {value}"'.replace(': "', ':"') for key, value in headers.items()]
            parts.append("\n".join(lines))
        config = folder / f"{number}.curl"
        config.write_text("\nnext\n".join(parts), "utf-8")
        configs += [config] if parts else []
    return configs


def by_curl(project: Path, requests: list[httpx.Request]) -> tuple[float, list[str]]:
    """Send the requests by curl to a fresh stand-in; return the seconds, and answers other than success."""
    fresh = Fresh(project)
    with tempfile.TemporaryDirectory() as folder:
        configs = write_configs(Path(folder), fresh, requests)
        begin, codes = time.perf_counter(), []
        for config in configs:
            run = subprocess.run(["curl", "-s", "-Z", "--parallel-max", str(Client.parallel), "-K", str(config)],
                                 capture_output=True, text=True, check=False)  # fmt: skip
            codes += run.stdout.split()
        seconds = time.perf_counter() - begin
    fresh.close()
    if len(codes) != len(requests):
        raise SystemExit(f"curl had {len(codes)} answers to {len(requests)} requests")
    return seconds, [code for code in codes if not code.startswith("2")]


def by_tavolan(project: Path) -> float:
    """Push by the program; return the seconds."""
    fresh = Fresh(project)
    # All is sent, whatever would be held back: the sample's locales are copies of few languages.
    errors = sorted({"other-language", *(f.rule for f in run_checks(load_project(fresh.root)) if f.level == "error")})
    despite = [word for rule in errors for word in ("--despite", rule)]
    begin = time.perf_counter()
    push = [
        PROGRAM,
        "console",
        "push",
        "--yes",
        "--drafts",
        "--project",
        str(fresh.root),
        *despite,
        "--reason",
        "trial",
    ]
    done = subprocess.run(push, env=fresh.env, capture_output=True, text=True, check=False)
    seconds = time.perf_counter() - begin
    if done.returncode:
        raise SystemExit(done.stdout[-2000:] + done.stderr[-2000:])
    fresh.close()
    return seconds


def main() -> None:
    """Make the project, and compare."""
    with tempfile.TemporaryDirectory() as folder:
        compare_times(large_project(Path(folder)), int((*sys.argv[1:], "3")[0]))


def compare_times(project: Path, rounds: int) -> None:
    """Push by curl and by the program in turns, and print both times and the ratio."""
    requests = recorded(project)
    size = sum(len(one.read()) for one in requests) / 1e6
    print(f"{len(requests)} requests, {size:.0f} MB", flush=True)
    ours, theirs = [], []
    for _ in range(rounds):
        seconds, refused = by_curl(project, requests)
        theirs.append(seconds)
        ours.append(by_tavolan(project))
        print(
            f"curl {seconds:.1f} s ({len(refused)} refused: {sorted(set(refused))}), push {ours[-1]:.1f} s", flush=True
        )
    print(f"median ratio {statistics.median(a / b for a, b in zip(ours, theirs, strict=True)):.2f}")


if __name__ == "__main__":
    main()
