"""Every benchmark runs, in a small form: what docs/benchmarks.md states can be measured again. No speed is judged."""

import os
import re
import subprocess
import sys
from pathlib import Path

import pytest

FOLDER = Path(__file__).parents[2] / "benchmarks"


@pytest.fixture
def small(benchmark, monkeypatch, capsys):
    """Run a benchmark with other numbers than its own; returns what it prints."""
    monkeypatch.syspath_prepend(str(FOLDER))

    def run(name, *arguments, **numbers):
        module = benchmark(name)
        for number, value in numbers.items():
            assert hasattr(module, number)
            monkeypatch.setattr(module, number, value)
        monkeypatch.setattr(sys, "argv", [name, *arguments])
        module.main()
        return capsys.readouterr().out

    return run


def test_association(small):
    said = small("association", MANY=6000, SOME=600, MEASURED=("plane",))
    assert "minimum zone circle, 6,000 points" in said
    assert "times as long" in said
    assert said.count("times the points") == 2


def test_alignment(small):
    said = small("alignment", "1", MILLION=20_000, POINTS=8000)
    assert "1 of 1 poses aligned" in said


def test_deviations(small):
    assert "exact deviations" in small("deviations", COUNT=20_000, ROUNDS=1)


def test_tolerances(small):
    assert "ms" in small("tolerances", COUNT=40)


def test_silhouette(small):
    said = small("silhouette", "2")
    assert "threshold and contours" in said
    assert "LW-1408, 2 puts" in said
    assert "LW-1410" in said


def test_silhouette_window(small):
    said = small("silhouette_window", "1", "3")
    assert "pictures measured" in said
    assert "3 rows in the log" in said


def test_run(small):
    said = small("run", COUNTS=(20_000,), SHOWN=20_000, CHARACTERISTICS=40, FRAMES=1)
    assert "deviation map, at rest" in said


def test_silence(small):
    said = small("silence", "--scan", "--start", POINTS=20_000, STARTS=1, RUNS=1)
    assert "longest silence" in said
    assert "start to all demo results" in said


def test_large_part(benchmark):
    found = benchmark("large_part").steps(16, 20_000)
    assert found["faces"] == 4 * (6 + 4 + 4)
    assert found["elements"] >= 16
    assert found["trusted"]


@pytest.mark.parametrize(
    ("name", "arguments", "words"),
    [("large_cloud", ["20000"], "peak memory"), ("touching", ["0.5"], "touches sent"),
     ("inspection", ["batch", "quick", "1", "20000"], "two workers")],
)  # fmt: skip
def test_whole_programs(name, arguments, words):
    done = subprocess.run(
        [sys.executable, str(FOLDER / f"{name}.py"), *arguments], capture_output=True, text=True, timeout=600,
        env={**os.environ, "QT_QPA_PLATFORM": "offscreen"},
    )  # fmt: skip
    assert words in done.stdout, done.stderr[-2000:]


def test_causes(benchmark):
    counts = benchmark("causes").trials(1)
    assert len(counts) == 10
    assert all(found[True] == 1 for found in counts.values())


def test_edits(small):
    said = small("edits", "--small")
    for words in ("one of 20 characteristics of the demo edited", "a touch more, 18 other features", "and after"):
        assert words in said
    nodes = [line.split()[-2] for line in said.splitlines() if "worked out for it" in line]
    assert len(nodes) == 2
    assert nodes[0] == nodes[1]  # however many other features have touches


def test_opened_again(small):
    assert "results the same to the last digit: yes" in small("opened_again", RUNS=1, EVERY=8)


def test_routes(small):
    said = small("routes", COLUMNS=3, ROWS=2, TOUCHES=60)
    assert "plate, 6 holes" in said
    assert said.count("0 collisions") == 2
    assert "0 not reached" in said


def test_orders():
    """In a process of its own: the solver warns when it is imported."""
    code = "import orders; orders.COUNT, orders.SEEDS, orders.OURS_S, orders.SOLVER_S = 30, (1,), 0.2, 1; orders.main()"
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True, timeout=300, cwd=FOLDER)
    assert "30 features, free: ours" in done.stdout, done.stderr[-2000:]
    assert "(0 split)" in done.stdout
    assert "demo housing, shorter" in done.stdout


def test_killed_runs(small):
    said = small("killed_runs", "1", "3", STEPS=5)
    assert "killed 1 times" in said
    assert "cut 3 times" in said
    counts = [
        line.split(" touches of features, 0 doubled")[0].split()[-1] for line in said.splitlines() if "features" in line
    ]
    assert len(counts) == 3
    assert len(set(counts)) == 1


def test_rehearsed(small):
    said = small("rehearsed", "1", STEPS=4)
    assert "steps rehearsed" in said
    assert "whole program told" in said


def test_live_line(small):
    said = small("live_line", "0.3", MOVES=12)
    assert "tip to screen" in said
    assert "points a second" in said
    assert int(re.search(r"\((\d+) % of them", said)[1]) > 50


def test_imperfections(small):
    said = small("imperfections", "60000")
    assert "another threshold" in said
    found, truth = map(int, re.search(r"(\d+) of (\d+) found", said).groups())
    assert found > 0.8 * truth  # so few points see the small pits hardly
    low = int(re.search(r"shows (\d+) to", said).group(1))
    assert 0 < low < 90  # of the depth: it dips into the dents


def test_blades(small):
    said = small("blades", "60000", "2")
    assert "2 sections" in said
    assert int(re.search(r"(\d+) % of \d+ within", said)[1]) >= 70


def test_live_scan(small):
    said = small("live_scan", "0.5", RATE=60_000, LINE=60, SPEED=3000.0)
    assert "points a second for" in said
    assert "silence at most" in said
    assert int(re.search(r"([\d,]+) in all", said)[1].replace(",", "")) > 1000
