"""How the benchmarks measure and report."""
import os
import shutil
import statistics
import subprocess
import sys
import time

RUNS = 7
missed = []


def seconds(command, folder, before=lambda: None):
    """The median time of several runs, in seconds. `before` puts things in order for each."""
    times = []
    for _ in range(RUNS):
        before()
        start = time.perf_counter()
        subprocess.run(command, cwd=folder, check=True, stdout=subprocess.DEVNULL)
        times.append(time.perf_counter() - start)
    return statistics.median(times)


# What a process is said to have taken begins with what the one that started it takes: so a small one starts it.
STARTER = """
import os, sys, time
quiet = [(os.POSIX_SPAWN_OPEN, 1, os.devnull, os.O_WRONLY, 0)]
start = time.perf_counter()
process = os.posix_spawnp(sys.argv[1], sys.argv[1:], os.environ, file_actions=quiet)
_, status, used = os.wait4(process, 0)
print(time.perf_counter() - start, used.ru_maxrss / 1024, status)
"""


def measured(command, folder, may_fail=False):
    """Seconds and the largest memory in MB of one run."""
    said = subprocess.DEVNULL if may_fail else None
    starter = [sys.executable, "-c", STARTER, *map(str, command)]
    ended = subprocess.run(starter, cwd=folder, check=True, stdout=subprocess.PIPE, stderr=said, text=True)
    took, memory, status = ended.stdout.split()
    if status != "0" and not may_fail:
        sys.exit(f"{command} failed")
    return float(took), float(memory)


def without_store(folder):
    """A function that takes the stored results away."""
    return lambda: shutil.rmtree(folder / ".vineloom", ignore_errors=True)


def report(what, value, target, unit="ms"):
    """Prints a figure beside its target, and takes note of one that is missed."""
    verdict = "ok" if value <= target else "MISSED"
    if value > target:
        missed.append(what)
    print(f"{what:58} {value:9.1f} {unit:3} target {target:7.1f} {unit:3} {verdict}", flush=True)


def tell(what, value, unit="ms"):
    """Prints a figure that has no target."""
    print(f"{what:58} {value:9.1f} {unit}", flush=True)
