#!/usr/bin/python3
# What brace batch takes as the universe grows, and what ranks lose against threads, as ratios within one run:
#   bench/universe.py build/release growth 100 1000 10000 100000    seconds a series and peak memory
#   bench/universe.py build/release ranks 4                         threads on two cores against so many ranks
import pathlib
import resource
import subprocess
import sys
import tempfile
import time

build = pathlib.Path(sys.argv[1]).resolve()
tool, ranked = build / "apps/brace/brace", build / "apps/brace-mpi/brace-mpi"
make = build / "data/generator/make_demo_data"
folder = tempfile.TemporaryDirectory()


def universe(series, rows):
    path = f"{folder.name}/{series}-{rows}.csv"
    with open(path, "w") as out:
        subprocess.run([make, "universe", "--series", str(series), "--rows", str(rows), "--sound"], stdout=out,
                       check=True)
    return path


def run(launcher, path, *more):
    for old in pathlib.Path(folder.name).glob("*.sqlite*"):
        old.unlink()
    begin = time.time()
    subprocess.run([*launcher, "batch", path, "--each", "symbol", "--value", "price", "--returns", "log", "--model",
                    "const / garch / student", "--store", f"{folder.name}/r.sqlite", "--quiet", *more],
                   stdout=subprocess.DEVNULL, check=True)
    return time.time() - begin


if sys.argv[2] == "growth":
    unit = None
    for series in map(int, sys.argv[3:]):
        seconds = run([tool], universe(series, 300), "--do", "fit")
        peak = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
        unit = unit or seconds / series
        print(f"{series:>8} series of 300 rows: {seconds:8.1f} s, {seconds / series / unit:5.2f} of the first a series, "
              f"peak {peak:.0f} MB", flush=True)
else:
    path = universe(120, 2500)
    launcher = ["mpirun", "--oversubscribe", "-n", sys.argv[3], ranked]
    best = {}
    for _ in range(5):  # in turn, the fastest kept: a neighbour's load passes
        for name, how in ("threads", [tool]), ("ranks", launcher):
            best[name] = min(best.get(name, 1e9), run(how, path))
    print(f"threads {best['threads']:.1f} s, {sys.argv[3]} ranks {best['ranks']:.1f} s: "
          f"{best['ranks'] / best['threads']:.2f}")
