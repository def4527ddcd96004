"""Decks, and files for others."""
import shutil

from measure import measured, report, seconds


def decks(vineloom, folder):
    """200 slides with code and pictures: a deck beside the page of the same, and how many slides a second print sets."""
    picture = '<svg xmlns="http://www.w3.org/2000/svg" width="400" height="300"><rect width="400" height="300" fill="#3f7550"/></svg>'
    (folder / "plot.svg").write_text(picture)
    slide = "## Part {0}\n\nSome words about it.\n\n```python\nfor row in rows:\n    print(row, {0})\n```\n\n![Plot](plot.svg)\n\n"
    (folder / "talk.vine.md").write_text("".join(slide.format(n) for n in range(200)))
    store = folder / ".vineloom"

    def made(word):
        command = [vineloom, "weave", "-q", "--to", word, "talk.vine.md"]
        return seconds(command, folder, lambda: shutil.rmtree(store, ignore_errors=True))

    page = made("html")
    report("200 slides: the deck / the page", made("deck") / page, 2, "x")
    report("200 slides: office slides / the page", made("pptx") / page, 3, "x")
    report("200 slides in print: a slide", 1000 * made("deck-pdf") / 200, 1000 / 60)


def files(vineloom, folder):
    """5 MB of prose in each format beside the page of the same; a weave to all of them beside the slowest alone."""
    part = (
        "## Part {0}\n\nThe *plot* dries from **above**, as `count` says, and [more](https://example.org/{0}) of it in a note[^n{0}].\n\n"
        "- one of them\n- another one\n\n| plot | depth |\n|---|--:|\n| North | {0} |\n\n[^n{0}]: Below ten parts of a hundred.\n\n"
    )
    text = "".join(part.format(number) for number in range(5_000_000 // len(part)))
    (folder / "prose.vine.md").write_text(text)
    store = folder / ".vineloom"

    def made(words):
        shutil.rmtree(store, ignore_errors=True)
        return measured([vineloom, "weave", "-q", "--to", words, "prose.vine.md"], folder)

    page, _ = made("html")
    targets = {"text": 1, "markdown": 1, "latex": 1.5, "notebook": 1.5, "docx": 3, "epub": 3}
    slowest = 0
    for word, target in targets.items():
        took, memory = made(word)
        slowest = max(slowest, took)
        report(f"5 MB of text: {word} / html", took / page, target, "x")
        report(f"5 MB of text: memory of {word} / the file", memory * 1e6 / len(text), 10, "x")
    report("5 MB of text: all of these / the slowest", made(",".join(targets))[0] / slowest, 1.2, "x")
