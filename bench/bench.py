"""Measure speed as ratios within one run: start-up, checking, and rendering against encoding alone."""

from __future__ import annotations

import contextlib
import json
import os
import random
import re
import resource
import shutil
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

PROGRAM = str(Path(sys.executable).parent / "tavolan")
REFERENCE = """
import sys, time, pyvips
pyvips.cache_set_max(0)
images = [pyvips.Image.new_from_file(path).copy_memory() for path in sys.argv[1:]]
begin = time.perf_counter()
size = sum(len(image.pngsave_buffer(compression=6, filter="none")) for image in images)
print(time.perf_counter() - begin, size)
"""


def run(*command: str, **env: str) -> tuple[float, float]:
    """Return wall and CPU seconds of one command."""
    before, begin = children_cpu(), time.perf_counter()
    done = subprocess.run(command, env={**os.environ, **env}, stdout=subprocess.DEVNULL, check=False)
    wall = time.perf_counter() - begin
    cpu = children_cpu() - before
    if done.returncode not in (0, 1):
        sys.exit(f"{' '.join(command)} ended with {done.returncode}")
    return wall, cpu


def children_cpu() -> float:
    """Return the CPU seconds of all processes started here that have ended."""
    used = resource.getrusage(resource.RUSAGE_CHILDREN)
    return used.ru_utime + used.ru_stime


def median(*command: str, times: int = 7) -> float:
    run(*command)
    return statistics.median(run(*command)[0] for _ in range(times))


def bench_startup(project: Path) -> None:
    bare = median(sys.executable, "-c", "pass")
    print(f"an empty Python            {bare:6.3f} s")
    for title, command in (
        ("tavolan --help", [PROGRAM, "--help"]),
        ("tavolan check, 14 locales", [PROGRAM, "check", "--project", str(project)]),
        ("tavolan terms cover", [PROGRAM, "terms", "cover", "--project", str(project)]),
    ):
        took = median(*command)
        print(f"{title:26} {took:6.3f} s   {took / bare:5.1f} x an empty Python")


def write_many_locales(root: Path, count: int) -> None:
    """Write a project of many locales in three stores, from the sample's texts."""
    from babel.localedata import locale_identifiers

    from tavolan.sample.write import sample_files

    files = sample_files()
    texts = [data.decode() for name, data in files.items() if name.startswith("copy/") and name.endswith(".toml")]
    terms = [data for name, data in files.items() if name.startswith("terms/")]
    tags = [name.replace("_", "-") for name in locale_identifiers() if name.count("_") < 2 and name != "root"]
    tags = ["en-US", *[tag for tag in tags if tag != "en-US" and "POSIX" not in tag and len(tag) < 7]][:count]
    for folder in ("copy", "terms", "rules"):
        (root / folder).mkdir(parents=True)
    for number, tag in enumerate(tags):
        text = texts[number % len(texts)].replace('like = "en-US"\n', "")
        (root / "copy" / f"{tag}.toml").write_text(text.split("[captions]")[0].split("[items")[0], "utf-8")
        (root / "terms" / f"{tag}.csv").write_bytes(terms[number % len(terms)])
    codes = " ".join(tags)
    for store in ("ios", "android", "maker"):
        (root / "rules" / f"{store}.toml").write_text(f'[locales]\ncodes = "{codes}"\nmap = {{}}\n')
    listed = ", ".join(f'"{tag}"' for tag in tags)
    head = f'[app]\nname = "Kilnary"\nsource = "en-US"\nlocales = [{listed}]\n'
    (root / "tavolan.toml").write_text(head + "[store.ios]\n[store.android]\n[store.maker]\n", "utf-8")


def bench_many_locales(folder: Path) -> None:
    first = 0.0
    for count in (50, 100, 200):
        root = folder / f"many-{count}"
        write_many_locales(root, count)
        took = median(PROGRAM, "check", "--json", "--project", str(root), times=5)
        first = first or took
        print(f"tavolan check --json, {count:3} locales x 3 stores  {took:6.3f} s   {took / first:4.2f} x that of 50")


def made_up_words(count: int) -> list[str]:
    chance = random.Random(5)
    found: set[str] = set()
    while len(found) < count:
        found.add(
            "".join(chance.choice("bcdfghklmnprstvz") + chance.choice("aeiou") for _ in range(chance.randint(2, 5)))
        )
    return sorted(found)


def write_words(root: Path, tags: list[str], words: list[str], phrases: dict[str, int], storefronts: str) -> None:
    """Write a project of made-up words: a terms file per locale, alternates for title and subtitle."""
    chance = random.Random(7)
    odds = [1 / (place + 1) ** 0.7 for place in range(len(words))]
    for folder in ("copy", "terms"):
        (root / folder).mkdir(parents=True)
    for tag in tags:
        texts = [" ".join(chance.choices(words, odds, k=2)) for _ in range(6)]
        (root / "copy" / f"{tag}.toml").write_text(
            f'title = "{texts[0]}"\nsubtitle = "{texts[1]}"\nkeywords = {json.dumps(chance.sample(words, 10))}\n'
            f"[alternates]\ntitle = {json.dumps(texts[2:4])}\nsubtitle = {json.dumps(texts[4:])}\n"
        )
        found: set[str] = set()
        while len(found) < phrases.get(tag, 0):
            found.add(" ".join(dict.fromkeys(chance.choices(words, odds, k=chance.choice([1, 2, 2, 2, 3, 3])))))
        rows = [
            f"{p},{chance.randint(20, 100)},{chance.randint(1, 100)},{chance.randint(5, 80)}" for p in sorted(found)
        ]
        (root / "terms" / f"{tag}.csv").write_text("\n".join(["phrase,relevance,volume,difficulty", *rows]) + "\n")
    head = f'[app]\nname = "A"\nsource = "en-US"\nlocales = {json.dumps(tags)}\n[store.ios]\n{storefronts}'
    (root / "tavolan.toml").write_text(head)


def bench_words(folder: Path) -> None:
    from tavolan.rulebooks.load import shipped_rulebook

    codes = shipped_rulebook("ios").locales
    tags = [*codes.codes, *codes.low_confidence_codes][:50]
    tags.remove("en-US")
    tags.insert(0, "en-US")
    root = folder / "cover"
    write_words(root, tags, made_up_words(1500), dict.fromkeys(tags, 200), "")
    took = median(PROGRAM, "terms", "cover", "--json", "--project", str(root), times=3)
    print(f"tavolan terms cover --json, 10,000 phrases x 50 locales x 56 storefronts  {took:6.3f} s")
    for phrases, locales in ((300, ["en-US"]), (200, ["en-US", "es-MX"])):
        root = folder / f"plan-{len(locales)}"
        write_words(root, locales, made_up_words(200), {"en-US": phrases}, 'storefronts = ["US"]\n')
        chosen = [part for tag in locales for part in ("--locale", tag)]
        command = [PROGRAM, "terms", "plan", *chosen, "--seconds", "25", "--json", "--project", str(root)]
        begin = time.perf_counter()
        made = json.loads(subprocess.run(command, capture_output=True, check=True).stdout)
        took = time.perf_counter() - begin
        proof = "proven optimal" if made["proven"] else f"gap {made['gap']:.2%}"
        print(f"tavolan terms plan, {phrases} phrases x 200 words x {len(locales)} locale(s)  {took:6.1f} s  {proof}")


def encode_only(files: list[str], processes: int) -> tuple[float, int]:
    """Return seconds and bytes of encoding the same pixels alone, spread over processes."""
    parts = [files[i::processes] for i in range(processes)]
    running = [
        subprocess.Popen([sys.executable, "-c", REFERENCE, *part], stdout=subprocess.PIPE, text=True) for part in parts
    ]
    outs = [process.communicate()[0].split() for process in running]
    return max(float(out[0]) for out in outs), sum(int(out[1]) for out in outs)


def bench_rendering(project: Path, title: str, rounds: int) -> None:
    print(title)
    command = [PROGRAM, "shots", "render", "--project", str(project), "--device", "phone-6.9"]
    measured: dict[str, list[float]] = {}
    for _ in range(rounds):
        for workers in (1, 2):
            shutil.rmtree(project / "out", ignore_errors=True)
            wall, cpu = run(*command, TAVOLAN_WORKERS=str(workers), VIPS_CONCURRENCY="1")
            measured.setdefault(f"ours {workers}", []).append(wall)
            measured.setdefault(f"cpu {workers}", []).append(cpu)
        files = sorted(str(path) for path in (project / "out" / "shots").rglob("*.png"))
        for processes in (1, 2):
            seconds, reference_bytes = encode_only(files, processes)
            measured.setdefault(f"reference {processes}", []).append(seconds)
    size = sum(Path(file).stat().st_size for file in files)
    for workers, processes in ((2, 1), (1, 1), (2, 2)):
        pairs = zip(measured[f"ours {workers}"], measured[f"reference {processes}"], strict=True)
        ratio = statistics.median(ours / reference for ours, reference in pairs)
        ours = statistics.median(measured[f"ours {workers}"]) / len(files)
        cpu = statistics.median(measured[f"cpu {workers}"]) / len(files)
        reference = statistics.median(measured[f"reference {processes}"]) / len(files)
        print(
            f"{workers} at a time: {ours:.3f} s a picture, start-up included ({cpu:.3f} CPU s); "
            f"only encoding, {processes} process{'es' if processes > 1 else '  '}: {reference:.3f} s; ratio {ratio:.2f}"
        )
    print(f"file sizes: {size / reference_bytes:.2f} x the reference's")


def write_texts_to_send(root: Path, count: int) -> None:
    """Write a project of a source locale with 60 texts, and others without any."""
    from tavolan.rulebooks.load import shipped_rulebook

    (root / "copy").mkdir(parents=True)
    listed = shipped_rulebook("ios").locales
    tags = ["en-US", *[code for code in (*listed.codes, *listed.low_confidence_codes) if code != "en-US"]][: count + 1]
    shots = [f"shot-{number}" for number in range(57)]
    head = f'[app]\nname = "Kilnary"\nsource = "en-US"\nlocales = {json.dumps(tags)}\n[store.ios]\n'
    (root / "tavolan.toml").write_text(head)
    (root / "shots.toml").write_text("".join(f'[[shot]]\nname = "{shot}"\nscreen = "home"\n' for shot in shots))
    (root / "screens/en-US/phone-6.9").mkdir(parents=True)
    (root / "screens/en-US/phone-6.9/home.png").write_bytes(b"")
    captions = "".join(f'{shot} = "Caption of *{shot}*"\n' for shot in shots)
    texts = 'title = "Kilnary"\nsubtitle = "Kiln notes"\ndescription = "All about kilns."\n'
    (root / "copy/en-US.toml").write_text(f"{texts}[captions]\n{captions}")
    for tag in tags[1:]:
        (root / "copy" / f"{tag}.toml").write_text("[captions]\n")


def exchange_once(root: Path, address: str) -> dict[str, tuple[float, float]]:
    """Return wall and CPU seconds of each step: send, draft with the stand-in, receive what a translator changed."""
    took: dict[str, tuple[float, float]] = {}

    def step(name: str, *arguments: str) -> str:
        before, begin = children_cpu(), time.perf_counter()
        command = [PROGRAM, "locale", *arguments, "--project", str(root)]
        done = subprocess.run(command, capture_output=True, text=True, check=True)
        took[name] = time.perf_counter() - begin, children_cpu() - before
        return done.stdout.splitlines()[-1]

    step("send", "send", "--all")
    step("draft", "draft", "--url", address)
    step("send again", "send", "--all")
    files = sorted(str(path) for path in (root / "out/send").glob("*.xlf"))
    for path in files:
        Path(path).write_text(Path(path).read_text("utf-8").replace("</target>", "!</target>"), "utf-8")
    told = step("receive", "receive", *files)
    if not told.startswith(f"{len(files) * 60} texts written"):
        sys.exit(f"tavolan locale receive says: {told}")
    return took


def bench_exchange(folder: Path, rounds: int = 3) -> None:
    """50 locales x 60 texts: send, draft with the stand-in, receive."""
    from tavolan.standins.translator import Server

    server = Server()
    server.start()
    try:
        runs = []
        for number in range(rounds):
            root = folder / f"exchange-{number}"
            write_texts_to_send(root, 50)
            runs.append(exchange_once(root, server.address))
    finally:
        server.close()
    count = len(list((root / "copy").glob("*.toml"))) - 1
    for name in runs[0]:
        wall, cpu = (statistics.median(run[name][part] for run in runs) for part in (0, 1))
        print(f"tavolan locale {name:10}  {count} locales x 60 texts  {wall:6.2f} s ({cpu:.2f} CPU s)")


def memory_of(process: int) -> int:
    """Return the memory in MB of a process or of one that it started, whichever has more. Raises OSError at its end."""
    started = [
        int(number) for path in Path(f"/proc/{process}/task").glob("*/children") for number in path.read_text().split()
    ]
    status = Path(f"/proc/{process}/status").read_text()
    return max([int(status.split("VmRSS:")[1].split()[0]) // 1024, *map(memory_of, started)])


def peak_of(command: list[str]) -> tuple[float, list[int]]:
    """Run a command; return seconds, and the memory of its largest process in MB at every tenth (the peak last)."""
    begin = time.perf_counter()
    process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
    seen = []
    while process.poll() is None:
        # A process may end while it's looked at.
        with contextlib.suppress(OSError, IndexError):
            seen.append(memory_of(process.pid))
        time.sleep(0.2)
    process.wait()
    took = time.perf_counter() - begin
    if process.returncode:
        sys.exit(f"{' '.join(command)} ended with {process.returncode}")
    tenths = [seen[min(len(seen) - 1, len(seen) * part // 10)] for part in range(1, 11)]
    return took, [*tenths, max(seen)]


def bench_changes(project: Path) -> None:
    render = [PROGRAM, "shots", "render", "--project", str(project)]
    shutil.rmtree(project / "out", ignore_errors=True)
    took, memory = peak_of(render)
    count = len(list((project / "out").rglob("*.png")))
    print(f"all {count} pictures of the sample  {took:6.1f} s; memory at each tenth and peak, MB: {memory}")
    print(f"nothing changed                  {median(*render, times=5):6.2f} s, whole process")
    path = project / "copy" / "de-DE.toml"
    path.write_text(path.read_text("utf-8").replace("*aufs Gramm*", "*genau*"), "utf-8")
    begin = time.perf_counter()
    made = json.loads(subprocess.run([*render, "--json"], capture_output=True, check=True).stdout)["made"]
    print(f"one caption changed              {time.perf_counter() - begin:6.2f} s, {len(made)} pictures made")


def bench_many_pictures(folder: Path) -> None:
    """40 locales x 10 shots x 5 size classes."""
    from tavolan.rulebooks.load import shipped_rulebook
    from tavolan.sample.app_screens import SCREENS
    from tavolan.sample.write import write_screens, write_texts

    sample, root = folder / "sample", folder / "many-pictures"
    write_texts(sample)
    write_screens(sample, locales=["en-US"])
    listed = shipped_rulebook("ios").locales
    codes = [code for code in (*listed.codes, *listed.low_confidence_codes) if code != "en-US"][:39]
    tags = ["en-US", *codes]
    classes = ["phone-6.9", "phone-6.5", "phone-6.1", "phone-5.5", "tablet-13"]
    head = f'[app]\nname = "Kilnary"\nsource = "en-US"\nlocales = {json.dumps(tags)}\n'
    root.mkdir()
    (root / "tavolan.toml").write_text(head + f"[store.ios]\nclasses = {json.dumps(classes)}\n")
    shots = [(f"{screen}-{turn}", screen) for turn in "ab" for screen in SCREENS]
    (root / "shots.toml").write_text("".join(f'[[shot]]\nname = "{n}"\nscreen = "{s}"\n' for n, s in shots))
    (root / "copy").mkdir()
    for number, tag in enumerate(tags):
        captions = "".join(f'{name} = "Caption {number} of *{name}*"\n' for name, _ in shots)
        (root / "copy" / f"{tag}.toml").write_text(f'title = "Kilnary"\n[captions]\n{captions}')
    shutil.copytree(sample / "screens", root / "screens")
    took, memory = peak_of([PROGRAM, "shots", "render", "--project", str(root)])
    count = len(list((root / "out").rglob("*.png")))
    print(f"{count} pictures  {took:.0f} s, {took / count:.3f} s each; memory at each tenth and peak, MB: {memory}")


def main() -> None:
    from tavolan.sample.write import write_screens, write_texts

    with tempfile.TemporaryDirectory() as folder:
        if sys.argv[1:] == ["many"]:
            bench_many_pictures(Path(folder))
            return
        project = Path(folder) / "kilnary"
        write_texts(project)
        write_screens(project)
        print("-- start-up and checking, whole processes, medians of 7")
        bench_startup(project)
        bench_many_locales(Path(folder))
        print("-- words")
        bench_words(Path(folder))
        print("-- languages")
        bench_exchange(Path(folder))
        print("-- rendering 70 pictures of 1290x2796; reference: PNG-encoding the same pixels (level 6, no filter)")
        bench_rendering(project, "as the sample has them, one in five tilted, one with an enlarged part:", 3)
        told = project / "shots.toml"
        sample = told.read_text("utf-8")
        told.write_text(re.sub(r'^look = "(lean|loupe)"\n', "", sample, flags=re.MULTILINE), "utf-8")
        bench_rendering(project, "all in one look, rise:", 5)
        told.write_text(sample, "utf-8")
        print("-- only what changed")
        bench_changes(project)


if __name__ == "__main__":
    main()
