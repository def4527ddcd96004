"""Pages in a browser."""
import os
import pathlib
import shutil
import statistics
import subprocess

from measure import report, tell
from printing import long_document

ROOT = pathlib.Path(__file__).resolve().parent.parent.parent
TOOLS = pathlib.Path(os.environ.get("VINELOOM_BROWSER_TOOLS", os.path.expanduser("~/.cache/vineloom-browser-tools")))


def browsed(script, arguments, folder):
    """What a script says that works a browser; nothing where the browser's tools are not there."""
    if not (TOOLS / "node_modules").is_dir():
        print(f"{script} is not timed: scripts/test-pages installs the browser's tools")
        return None
    for name in ("browser.mjs", script):
        shutil.copy(ROOT / "tests/browser" / name, TOOLS)
    command = ["node", str(TOOLS / script), *arguments]
    return subprocess.run(command, cwd=folder, check=True, stdout=subprocess.PIPE, text=True).stdout


def scrolling(vineloom, folder):
    """The longest task of a browser while a page of 500 blocks is scrolled, beside one of 50."""
    for name, count in (("few", 50), ("lots", 500)):
        part = "## Part {0}\n\nSome words about it.\n\n```sh @b{0}\necho {0}\n```\n\n"
        (folder / f"{name}.vine.md").write_text("".join(part.format(n) for n in range(count)))
    subprocess.run([vineloom, "weave", "-q", "few.vine.md", "lots.vine.md"], cwd=folder, check=True)
    times = []
    for _ in range(3):
        said = browsed("scroll.mjs", ["few.html", "lots.html"], folder)
        if said is None:
            return
        # A task shorter than 50 ms is not told.
        few, lots = (max(float(line), 50.0) for line in said.split())
        times.append(lots / few)
    report("the longest task in scrolling 500 blocks / 50 blocks", statistics.median(times), 8, "x")


# What each figure of the live page may be, in milliseconds.
LIVE = {
    "40 blocks, live: a word": 100,
    "40 blocks, live: the last block": 150,
    "40 blocks, live: block 20": 150,
    "a word in print, live": 400,
    "a word of a page that is looked at, live": 400,
    "a heading in print, live": 400,
}


def live(vineloom, folder):
    """From the write of a file until a browser shows it: a document whose first ten blocks take 20 s together, and one of
    about 300 pages in print."""
    long_document(folder)
    said = browsed("live-bench.mjs", [vineloom, str(folder)], folder)
    for line in (said or "").splitlines():
        what, value = line.split("\t")
        if what in LIVE:
            report(what, float(value), LIVE[what])
        else:
            tell(what, float(value), "ms" if "live" in what else "")
