"""Print every figure; end with 1 if a ratio or a count misses its target."""

import subprocess
import sys
from importlib import import_module

BENCHMARKS = (
    "bouncing",
    "parts",
    "sheets",
    "importing",
    "stacking",
    "hearing",
    "hits",
    "cutting",
    "playing",
    "checking",
    "memory",
)


def main(names: list[str]) -> int:
    """Each in a process of its own: they need data folders of their own, and none warms another up."""
    if len(names) != 1:
        runs = [subprocess.run([sys.executable, "-m", "benchmarks", name], check=False) for name in names or BENCHMARKS]
        return int(any(run.returncode for run in runs))
    missed = 0
    for row in import_module(f"benchmarks.{names[0]}").rows():
        mark = "ok" if row.is_met else "MISSED"
        ratio = f"{row.ratio:6.2f} x" if row.ratio is not None else " " * 8
        print(f"{mark:6} {row.name:42} {ratio}  ({row.target})  {row.figure}", flush=True)
        missed += not row.is_met
    return int(missed > 0)


sys.exit(main(sys.argv[1:]))
