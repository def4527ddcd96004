"""Reading and planning."""
import shutil

from measure import measured, report, seconds, tell


def reading(vineloom, folder):
    """Ten times the prose takes at most eleven times as long; 10,000 blocks are read and planned at once."""
    paragraph = "The Marl probe sends a *short* frame every half hour, and the gateway `decodes` it [at once](#part-1).\n\n"
    for name, size in (("small", 500_000), ("large", 5_000_000)):
        count = size // len(paragraph)
        text = "".join(f"## Part {n}\n\n" + paragraph * 20 for n in range(count // 20))
        (folder / f"{name}.vine.md").write_text(text)
    small = seconds([vineloom, "check", "small.vine.md"], folder)
    large = seconds([vineloom, "check", "large.vine.md"], folder)
    tell("0.5 MB of prose read and checked", small * 1e3)
    tell("5 MB of prose read and checked", large * 1e3)
    report("ten times the prose takes", large / small, 11, "x")
    size = (folder / "large.vine.md").stat().st_size / 1e6
    runs = []
    for _ in range(3):
        shutil.rmtree(folder / ".vineloom", ignore_errors=True)
        runs.append(measured([vineloom, "weave", "-q", "--to", "html", "large.vine.md"], folder))
    report("5 MB of prose to a page: time for each MB (20 MB/s)", min(took for took, _ in runs) / size * 1e3, 50)
    report("5 MB of prose to a page: memory / the file", max(memory for _, memory in runs) * 1.048576 / size, 12, "x")
    many = "".join(f"```python @b{n}\nprint({n})\n```\n\n" for n in range(10_000))
    (folder / "many.vine.md").write_text(many)
    report("10,000 blocks read and planned", seconds([vineloom, "check", "many.vine.md"], folder) * 1e3, 1000)
