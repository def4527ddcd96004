"""Blocks: what one costs over its interpreter, and what a weave costs in which nothing changed."""
import hashlib
import shutil
import subprocess
import time

from measure import report, seconds, tell


def blocks(vineloom, folder):
    """200 python blocks, beside python3 running the same statements."""
    count = 200
    document = "".join(f"```python @b{n}\nprint({n})\n```\n\n" for n in range(count))
    (folder / "blocks.vine.md").write_text(document)
    (folder / "same.py").write_text("".join(f"print({n})\n" for n in range(count)))
    store = folder / ".vineloom"
    floor = seconds(["python3", "same.py"], folder)
    first = seconds([vineloom, "weave", "-q", "blocks.vine.md"], folder, lambda: shutil.rmtree(store, ignore_errors=True))
    second = seconds([vineloom, "weave", "-q", "blocks.vine.md"], folder)
    tell("python3 running the same statements (floor)", floor * 1e3)
    report("200 python blocks, over the floor", (first - floor) * 1e3, 30 + 2 * count)
    report("the same woven again", second * 1e3, 100)
    tell("first weave / floor", first / floor, "x")


# Each language: its command, a statement, and the time a block of it may cost over the bare interpreter.
DRIVERS = {
    "sh": (["sh"], "echo {n}", 1),
    "python": (["python3"], "print({n})", 1),
    "ruby": (["ruby"], "puts {n}", 1),
    "javascript": (["node"], "console.log({n})", 1),
    "r": (["Rscript", "--vanilla"], "cat({n}, '\\n')", 3),
    "octave": (["octave-cli", "--norc", "--no-history", "--quiet"], "disp({n})", 3),
}


def drivers(vineloom, folder):
    """What a block costs over the bare interpreter running the same statements: the difference between 220 blocks
    and 20, so that starting counts for neither side."""
    store = folder / ".vineloom"
    for language, (command, statement, target) in DRIVERS.items():
        times = {}
        for count in (20, 220):
            blocks = "".join(f"```{language} @b{n}\n{statement.format(n=n)}\n```\n\n" for n in range(count))
            (folder / "driver.vine.md").write_text(blocks)
            (folder / "bare").write_text("".join(statement.format(n=n) + "\n" for n in range(count)))
            bare = seconds(command + ["bare"], folder)
            ours = seconds([vineloom, "run", "driver.vine.md"], folder, lambda: shutil.rmtree(store, ignore_errors=True))
            times[count] = ours - bare
        report(f"a block of {language}, over the bare interpreter", (times[220] - times[20]) / 200 * 1e3, target)


def observing(vineloom, folder):
    """What watching files costs where a block opens many: an import of pandas and matplotlib."""
    (folder / "import.vine.md").write_text("```python @a\nimport pandas, matplotlib.pyplot\n```\n")
    (folder / "import.py").write_text("import pandas, matplotlib.pyplot\n")
    (folder / "none.vine.md").write_text("```python @a\npass\n```\n")
    bare = seconds(["python3", "import.py"], folder) - seconds(["python3", "-c", "pass"], folder)
    again = lambda name: seconds([vineloom, "run", "--again", name], folder)
    report("importing pandas and matplotlib, watched / bare", (again("import.vine.md") - again("none.vine.md")) / bare, 1.15, "x")


def nothing_changed(vineloom, folder):
    """Ten documents with a hundred blocks each, each block reading a file of its own: woven again, and with one block
    changed. The floor is hashing the same files."""
    home = folder / "many"
    home.mkdir()
    names = []
    for document in range(10):
        blocks = "".join(
            f"```sh @b{n} strand=fresh\ncat data-{document}-{n}.txt\n```\n\n" for n in range(100)
        )
        for n in range(100):
            (home / f"data-{document}-{n}.txt").write_text(f"{document} {n}\n" * 20)
        names.append(f"d{document}.vine.md")
        (home / names[-1]).write_text(blocks)
    subprocess.run([vineloom, "weave", "-q", *names], cwd=home, check=True)
    subprocess.run([vineloom, "weave", "-q", *names], cwd=home, check=True)
    start = time.perf_counter()
    for path in sorted(home.glob("data-*.txt")):
        hashlib.blake2b(path.read_bytes()).hexdigest()
    floor = time.perf_counter() - start
    again = seconds([vineloom, "weave", "-q", *names], home)
    tell("hashing the 1,000 files that the blocks read (floor)", floor * 1e3)
    report("nothing changed: 10 documents, 1,000 blocks", again * 1e3, 40)
    report("the same over the floor", again / floor, 2, "x")
    state = [0]

    def change():
        state[0] += 1
        text = (home / names[3]).read_text()
        (home / names[3]).write_text(text.replace("cat data-3-50", f": {state[0]}; cat data-3-50", 1))

    one = seconds([vineloom, "weave", "-q", *names], home, change)
    report("one block of 1,000 changed, beside nothing changed", (one - again) * 1e3, 40)


def large_input(vineloom, folder):
    """A block that read 400 MB, woven again; the floor is hashing the file once."""
    home = folder / "large"
    home.mkdir()
    (home / "large.bin").write_bytes(b"0123456789abcdef" * (400 << 16))
    (home / "large.vine.md").write_text("```sh @a\nwc -c < large.bin\n```\n")
    command = [vineloom, "weave", "-q", "large.vine.md"]
    # A file has to be at rest for two seconds until it is known not to have changed.
    time.sleep(2.1)
    for _ in range(2):
        subprocess.run(command, cwd=home, check=True)
    start = time.perf_counter()
    hashlib.blake2b((home / "large.bin").read_bytes()).hexdigest()
    tell("hashing a file of 400 MB (floor)", (time.perf_counter() - start) * 1e3)
    report("nothing changed: a block that read it", seconds(command, home) * 1e3, 15)


def side_by_side(vineloom, folder):
    """Two documents that compute, woven at once and one after the other."""
    home = folder / "two"
    home.mkdir()
    names = ["north.vine.md", "south.vine.md"]
    for name in names:
        (home / name).write_text("```python @a\nprint(sum(n * n % 7 for n in range(12_000_000)))\n```\n")
    weave = lambda *more: seconds([vineloom, "weave", "-q", "--again", *more, *names], home)
    report("two documents at once / one after the other", weave() / weave("--jobs", "1"), 0.6, "x")


def strands(vineloom, folder):
    """Two strands of one document that compute from a file that changed, at once and one after the other."""
    home = folder / "strands"
    home.mkdir()
    # Not the same code: what the first one gave would stand for the second.
    code = "count = int(open('count.txt').read())\nprint(sum(n * n % {} for n in range(count)))"
    blocks = [f"```python @{name} strand={name}\n{code.format(by)}\n```\n\n" for name, by in (("north", 7), ("south", 11))]
    (home / "strands.vine.md").write_text("".join(blocks))
    counts = iter(range(12_000_000, 13_000_000))

    def change():
        (home / "count.txt").write_text(str(next(counts)))

    def weave(*more):
        return seconds([vineloom, "weave", "-q", "--to", "markdown", *more, "strands.vine.md"], home, change)

    weave()
    report("two strands at once / one after the other", weave() / weave("--jobs", "1"), 0.6, "x")


# Each language: a second or more of work whose result stays in its state, and a look at it.
STATES = {
    "sh": ("i=0; while [ $i -lt 700000 ]; do i=$((i+1)); done", "echo $i # {n}"),
    "python": ("total = sum(n * n % 7 for n in range(15_000_000))", "print(total) # {n}"),
    "r": ("total <- 0; for (n in 1:4000000) total <- total + sqrt(n) %% 7", "print(total) # {n}"),
    "octave": ("total = 0; for n = 1:1500000, total = total + mod (n, 7); end", "disp (total) # {n}"),
}


def states(vineloom, folder):
    """A block that changed behind one that took a second: from the stored state, beside running both again."""
    home = folder / "states"
    home.mkdir()
    document = home / "state.vine.md"
    for language, (makes, shows) in STATES.items():
        number = [0]

        def change():
            number[0] += 1
            document.write_text(f"```{language} @a\n{makes}\n```\n\n```{language} @b\n{shows.format(n=number[0])}\n```\n")

        command = [vineloom, "weave", "-q", "state.vine.md"]
        change()
        subprocess.run(command, cwd=home, check=True)
        taken_up = seconds(command, home, change)
        replayed = seconds(["env", "VINELOOM_STATES=none", *command], home, change)
        tell(f"a changed block of {language}, the one before it run again", replayed * 1e3)
        report(f"the same from the stored state of {language} / run again", taken_up / replayed, 0.5, "x")


def starting(vineloom, folder):
    """What a start of the program costs: it is felt in every command, and in each one of a build's hundreds."""
    report("a start of the program, over that of `true`", (seconds([vineloom, "--version"], folder) - seconds(["true"], folder)) * 1e3, 2)


def size(vineloom, folder):
    """The program without the names of its parts."""
    stripped = folder / "stripped"
    subprocess.run(["strip", "-o", stripped, vineloom], check=True)
    report("the program, stripped", stripped.stat().st_size / 1e6, 50, "MB")
