"""Inputs that are large in one way: each at n and at 10n, which may take little more than ten times as long."""
import time

from measure import measured, report

FRONT = '+++\ntitle = "Large"\n{more}[export]\nto = ["{to}"]\n{tables}+++\n\n'


def front(to="html", more="", tables=""):
    return FRONT.format(to=to, more=more, tables=tables)


def listing(n):
    return front() + "```python\n" + "".join(f"reading_{line} = probe({line}) + 'north'\n" for line in range(n)) + "```\n"


def citations(n):
    text = "".join(f"As [p. {line}](@w{line % 300}) says.\n\n" for line in range(n))
    return front(more='references = ["works.bib"]\n') + text + "::: references\n:::\n"


def works(n):
    text = "".join(f"As [](@w{line}) says.\n\n" for line in range(n))
    return front(more='references = ["many.bib"]\n') + text + "::: references\n:::\n"


def table_in_print(n):
    return front("pdf") + "| plot | depth |\n|---|--:|\n" + "".join(f"| North {line} | {line} |\n" for line in range(n))


def attributes(n):
    return front() + "<div " + " ".join(f"data-a{at}=\"{at}\"" for at in range(n)) + ">words</div>\n"


def values(n):
    return front() + "```sh @a\necho 7\n```\n\n" + "".join(f"Plot {at} has @[a].\n\n" for at in range(n))


def headings(n):
    return front() + "".join(f"## Examples\n\nOf plot {at}.\n\n" for at in range(n))


def named_lines(n):
    lines = "".join(f"reading_{at} = probe({at})  # @:line{at}\n" for at in range(n))
    return front() + f"```python id=all lines=1\n{lines}```\n\n" + "".join(f"See [](@all:line{at}).\n\n" for at in range(n))


def live_blocks(n):
    return front() + "".join(f"```sh @of{n}at{at}\necho {at}\n```\n\n" for at in range(n))


def unknown_tables(n):
    return front(tables="".join(f"[unknown{at}]\nx = {at}\n" for at in range(n))) + "Words.\n"


# What is made large, the smaller size, and whether the document is only checked: it has findings.
INPUTS = [
    ("lines of a listing", listing, 10_000, "weave"),
    ("citations of 300 works", citations, 500, "weave"),
    ("works cited", works, 500, "weave"),
    ("rows of a table in print", table_in_print, 2_000, "weave"),
    ("attributes of one tag", attributes, 5_000, "weave"),
    ("values in sentences", values, 3_000, "weave"),
    ("headings of the same words", headings, 2_000, "weave"),
    ("lines with names, each referred to", named_lines, 2_000, "weave"),
    ("live blocks on one strand, run", live_blocks, 500, "weave"),
    ("unknown tables in the front matter", unknown_tables, 500, "check"),
]


def slow(vineloom, folder):
    """Ten times as much takes at most twelve times as long."""
    work = "@book{{w{0}, title = {{On plot {0}}}, author = {{Wren, Tomas}}, year = {{20{1:02}}}}}\n"
    for name, count in (("works.bib", 300), ("many.bib", 5000)):
        (folder / name).write_text("".join(work.format(n, n % 30) for n in range(count)))
    for what, text, size, command in INPUTS:
        times = []
        for factor in (1, 10):
            (folder / "large.vine.md").write_text(text(size * factor))
            start = time.perf_counter()
            quietly = [vineloom, command, "-q", "large.vine.md"] if command == "weave" else [vineloom, command, "large.vine.md"]
            _, memory = measured(quietly, folder, may_fail=command == "check")
            times.append(time.perf_counter() - start)
        report(f"{10 * size:,} {what}", times[1] * 1e3, 10_000)
        report("  beside a tenth of them", times[1] / max(times[0], 0.02), 12, "x")
        report("  memory", memory, 1000, "MB")
