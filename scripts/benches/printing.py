"""Print."""
import random
import re
import shutil
import statistics
import subprocess
import time

from measure import measured, report, seconds, tell


HEAD = '+++\ntitle = "Print"\n[export]\nto = ["pdf"]\nnumbered = true\n+++\n\n'


def long_document(folder):
    """Writes a document of about 300 pages: prose, code, tables, figures."""
    chance = random.Random(7)
    words = "the soil probe sends a short frame each half hour and the gateway reads moisture count battery from every plot at Hollin Ridge where growers water by night when drying is slow".split()
    sentence = lambda count: " ".join(chance.choice(words) for _ in range(count)).capitalize() + "."
    text = [HEAD]
    for figure in range(20):
        points = " ".join(f"{x * 3},{80 - chance.random() * 70:.1f}" for x in range(100))
        (folder / f"figure-{figure}.svg").write_text(
            f'<svg xmlns="http://www.w3.org/2000/svg" width="120mm" height="40mm" viewBox="0 0 300 100">'
            f'<polyline points="{points}" fill="none" stroke="#355e8d"/><text x="5" y="95" font-size="8">days</text></svg>'
        )
    for chapter in range(37):
        text.append(f"# Chapter {chapter + 1}\n")
        for section in range(4):
            text.append(f"## {sentence(4)}\n")
            text.extend(sentence(110) + "\n" for _ in range(5))
            lines = "\n".join(f"def read_{n}(frame):\n    return frame[{n}] / {chapter + 1}.0  # count {n}" for n in range(12))
            text.append(f"```python lines=on\n{lines}\n```\n")
            cell = lambda: f"{chance.random() * 40:.{chance.randint(1, 2)}f}"
            rows = "\n".join(f"| {day} June | {cell()} | {cell()} | {cell()} |" for day in range(1, 13))
            text.append(f"| day | north | east | low |\n|---|--:|--:|--:|\n{rows}\n")
            text.append(f"![Moisture](figure-{(chapter * 4 + section) % 20}.svg)\n")
    (folder / "long.vine.md").write_text("\n".join(text))


def printing(vineloom, folder):
    """A page of PDF from stored results, and a document of about 300 pages: prose, code, tables, figures."""
    block = "Some words on the *Marl* probe.\n\n```python @a\nprint(12)\n```\n\nIt sent @[a] frames. Change {n}.\n"
    state = [0]

    def change():
        state[0] += 1
        (folder / "page.vine.md").write_text(HEAD + block.format(n=state[0]))

    change()
    subprocess.run([vineloom, "weave", "-q", "page.vine.md"], cwd=folder, check=True)
    report("a page of PDF from stored results", seconds([vineloom, "weave", "-q", "page.vine.md"], folder, change) * 1e3, 25)

    times = {}
    for lines in (2_000, 20_000):
        (folder / "lines.vine.md").write_text(HEAD + f"```sh @o\nseq {lines}\n```\n")
        start = time.perf_counter()
        subprocess.run([vineloom, "weave", "-q", "lines.vine.md"], cwd=folder, check=True)
        times[lines] = time.perf_counter() - start
    report("ten times the lines of output in print take", times[20_000] / times[2_000], 11, "x")

    long_document(folder)
    runs = []
    for _ in range(3):
        shutil.rmtree(folder / ".vineloom", ignore_errors=True)
        runs.append(measured([vineloom, "weave", "-q", "long.vine.md"], folder))
    again = subprocess.run([vineloom, "weave", "long.vine.md"], cwd=folder, check=True, capture_output=True, text=True)
    pages = int(re.search(r"(\d+) pages", again.stdout).group(1))
    took, memory = statistics.median(took for took, _ in runs), max(memory for _, memory in runs)
    tell("a long document, set in", took * 1e3)
    tell("its pages", pages, "")
    report("a page of the long document", took / pages * 1e3, 1000 / 60)
    report("memory for the long document", memory, 300, "MB")

    shutil.copy(folder / "long.vine.md", folder / "other.vine.md")
    shutil.rmtree(folder / ".vineloom")
    both, _ = measured([vineloom, "weave", "-q", "long.vine.md", "other.vine.md"], folder)
    report("two long documents at once / one", both / took, 1.7, "x")
