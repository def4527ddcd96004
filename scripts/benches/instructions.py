"""What the main paths cost in instructions, which no other work on the machine changes.

`instructions.txt` holds what each cost when somebody last looked. A figure that is more than 5 % above it is a step
back; `scripts/bench --hold instructions` writes those of now, once it is known why they are others.
"""
import pathlib
import re
import shutil
import subprocess

from measure import missed

HELD = pathlib.Path(__file__).with_suffix(".txt")
MOST = 1.05

WORK = "@book{{w{0}, title = {{On the soil of plot {0}}}, author = {{Wren, Tomas}}, year = {{2019}}}}\n"
PARAGRAPH = "The Marl probe sends a *short* frame every half hour, and the gateway `decodes` it [at once](#part-1).\n\n"
TABLE = "| day | north | east |\n|---|--:|--:|\n" + "".join(f"| {day} June | {day}.5 | {day}.25 |\n" for day in range(1, 13)) + "\n"
CODE = "```python\n" + "".join(f"def read_{n}(frame):\n    return frame[{n}] / 2.0  # count {n}\n" for n in range(12)) + "```\n\n"


def front(to, more=""):
    return f'+++\ntitle = "Held"\n{more}[export]\nto = ["{to}"]\n+++\n\n'


def prose(count):
    return "".join(f"## Part {n}\n\n{PARAGRAPH * 5}" for n in range(count))


# What is measured: the document, what makes it ready, and the command.
CASES = {
    "check 100 blocks": ("".join(f"```sh @b{n}\necho {n}\n```\n\n" for n in range(100)), [], ["check"]),
    "weave 100 blocks in which nothing changed": (
        front("html") + "".join(f"```sh @b{n}\necho {n}\n```\n\n" for n in range(100)), ["weave", "weave"], ["weave", "-q"]),
    "200 KB of prose to a page": (front("html") + prose(380), [], ["weave", "-q"]),
    # Beside the one before: what grows with the square of the length is seen here.
    "1 MB of prose to a page": (front("html") + prose(1900), [], ["weave", "-q"]),
    "200 KB of prose to text": (front("text") + prose(380), [], ["weave", "-q"]),
    "200 KB of prose to docx": (front("docx") + prose(380), [], ["weave", "-q"]),
    "code to a page": (front("html") + CODE * 4, [], ["weave", "-q"]),
    # Most of it is what every document needs, whatever stands in it.
    "a page of print": (front("pdf") + prose(2), [], ["weave", "-q"]),
    "8 pages of print": (front("pdf") + (prose(6) + TABLE + CODE) * 2, [], ["weave", "-q"]),
    "print in which nothing changed": (front("pdf") + (prose(6) + TABLE + CODE) * 2, ["weave"], ["weave", "-q"]),
    "20 citations": (
        front("html", 'references = ["works.bib"]\n') + "".join(f"As [](@w{n}) says.\n\n" for n in range(20)), [], ["weave", "-q"]),
    # So many works are put in order by us.
    "100 citations": (
        front("html", 'references = ["works.bib"]\n') + "".join(f"As [](@w{n}) says.\n\n" for n in range(100)), [], ["weave", "-q"]),
    "20 citations in which nothing changed": (
        front("html", 'references = ["works.bib"]\n') + "".join(f"As [](@w{n}) says.\n\n" for n in range(20)), ["weave"], ["weave", "-q"]),
}


def counted(command, folder):
    """How many instructions a command takes, in millions, itself alone."""
    valgrind = ["valgrind", "--tool=callgrind", "--callgrind-out-file=/dev/null", *command]
    said = subprocess.run(valgrind, cwd=folder, capture_output=True, text=True, check=True)
    return int(re.search(r"Collected : (\d+)", said.stderr).group(1)) / 1e6


def instructions(vineloom, folder, hold=False):
    """Each main path beside what it took when it was held."""
    if not shutil.which("valgrind"):
        print("instructions are not counted: valgrind is not installed")
        return
    lines = HELD.read_text().splitlines() if HELD.is_file() else []
    held = {what: float(count) for what, count in (line.rsplit("\t", 1) for line in lines)}
    now = {}
    for what, (text, before, command) in CASES.items():
        home = folder / str(len(now))
        home.mkdir()
        (home / "works.bib").write_text("".join(WORK.format(n) for n in range(100)))
        (home / "held.vine.md").write_text(text)
        for word in before:
            subprocess.run([vineloom, word, "-q", "held.vine.md"], cwd=home, check=True)
        now[what] = counted([vineloom, *command, "held.vine.md"], home)
        ratio = now[what] / held.get(what, now[what])
        verdict = "ok" if ratio <= MOST or hold else "MISSED"
        if verdict != "ok":
            missed.append(what)
        print(f"{what:58} {now[what]:9.1f} M   of held {ratio:10.3f} x   {verdict}", flush=True)
    if hold:
        HELD.write_text("".join(f"{what}\t{count:.1f}\n" for what, count in now.items()))
