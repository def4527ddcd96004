"""An ordinary document in which nothing changed."""
import subprocess

from measure import report, seconds, tell

HEAD = '''+++
title = "Moisture of June"
references = ["works.bib"]
[export]
to = ["html", "pdf"]
numbered = true
+++

'''
WORK = "@article{{w{0}, title = {{On the soil of plot {0}}}, author = {{Wren, Tomas and Calloway, Ines}}, journal = {{Soil}}, year = {{2019}}}}\n"


def unchanged(vineloom, folder):
    """A document with citations, formulas, figures and code, woven again to a page and a PDF; beside it the same
    without citations and formulas."""
    (folder / "works.bib").write_text("".join(WORK.format(n) for n in range(40)))
    draw = "import base64\nopen('a.svg', 'w').write('<svg xmlns=\"http://www.w3.org/2000/svg\" width=\"90\" height=\"40\"><rect width=\"40\" height=\"9\"/></svg>')\n"
    block = "```python @b{0} alt=\"A bar\"\nprint({0} * 2)\n```\n\n"
    plain = "".join(f"## Part {n}\n\nThe probe of plot {n} sent @[b{n}] frames.\n\n" + block.format(n) for n in range(20))
    learned = "".join(f"As [](@w{n}) and [p. {n}](@w{(n * 7) % 40}) say, $m = \\frac{{{n}}}{{v + {n}}}$ holds.\n\n" for n in range(40))
    (folder / "plain.vine.md").write_text(HEAD.replace('references = ["works.bib"]\n', "") + plain)
    (folder / "learned.vine.md").write_text(HEAD + plain + learned + "::: references\n:::\n")
    subprocess.run(["python3", "-c", draw], cwd=folder, check=True)
    times = {}
    for name in ("plain", "learned"):
        command = [vineloom, "weave", "-q", f"{name}.vine.md"]
        subprocess.run(command, cwd=folder, check=True)
        subprocess.run(command, cwd=folder, check=True)
        times[name] = seconds(command, folder)
    tell("nothing changed: a document of 20 blocks, page and PDF", times["plain"] * 1e3)
    report("the same with 80 citations and 40 formulas", times["learned"] * 1e3, 15)
