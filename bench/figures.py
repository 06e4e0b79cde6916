"""Speed of figures and reports: ratios against plain library use on the same data in the same run, and seconds against a limit.

python bench/figures.py [rows]
"""

import sys
import time
from collections.abc import Callable

import numpy as np
import pyarrow as pa
from scipy import stats
from statsmodels.nonparametric.smoothers_lowess import lowess

from yavik.core.answers.wording import say
from yavik.core.figures import Figure, draw_figure
from yavik.core.figures.images import svg
from yavik.core.report import Embed, assemble
from yavik.core.report.describe import Node
from yavik.core.report.markdown import write_markdown
from yavik.core.report.pdf import write_pdf
from yavik.core.report.web import write_html
from yavik.core.report.word import write_docx
from yavik.core.stats.density import bandwidth, density
from yavik.core.stats.local import local_line
from yavik.core.table import Column, Kind, Level, Table
from yavik.core.table.table import make_table

ROWS = int(sys.argv[1]) if len(sys.argv) > 1 else 1_000_000
RNG = np.random.default_rng(1)


def timed(work: Callable[[], object], runs: int = 3) -> float:
    best = np.inf
    for _ in range(runs):
        start = time.perf_counter()
        work()
        best = min(best, time.perf_counter() - start)
    return float(best)


def ratio(name: str, plain: Callable[[], object], ours: Callable[[], object]) -> None:
    a, b = timed(plain, 1), timed(ours)
    print(f"| {name} | {1000 * a:,.0f} ms | {1000 * b:,.1f} ms | {a / b:.1f} × |", flush=True)


def table() -> Table:
    """Fresh each time: nothing is remembered of its columns."""
    levels = tuple(Level(value=c) for c in "abcde")
    codes = pa.DictionaryArray.from_arrays(pa.array(G), pa.array(list("abcde"), pa.large_string()))
    columns = [Column(name=n, kind=Kind.measure, decimals=3) for n in ("x", "y")]
    return make_table(
        [*columns, Column(name="g", kind=Kind.category, levels=levels)], [pa.array(X), pa.array(Y), codes]
    )


X = RNG.normal(size=ROWS)
Y = X + RNG.normal(size=ROWS)
G = RNG.integers(0, 5, ROWS).astype(np.int32)

FIGURES = {
    "points with a line": {"kind": "relation", "response": "y", "x": "x", "show": ["points", "line"]},
    "points by five colours": {
        "kind": "relation",
        "response": "y",
        "x": "x",
        "colour": "g",
        "show": ["points", "line"],
    },
    "boxes and points": {"response": "y", "groups": "g"},
    "violins": {"response": "y", "groups": "g", "show": ["violin", "box"]},
    "histogram and density": {"kind": "spread", "response": "y", "show": ["histogram", "density"]},
    "a course": {"kind": "course", "response": "y", "x": "x", "show": ["line"]},
    "five panels": {"response": "y", "groups": "g", "panel": "g", "show": ["box"]},
}


def libraries() -> None:
    part = np.sort(X[: min(ROWS, 200_000)])
    at = np.linspace(part[0], part[-1], 128)
    width = bandwidth(part)
    print("| | plain | ours | ratio |\n|---|---:|---:|---:|")
    ratio(f"density of {len(part):,} values", lambda: stats.gaussian_kde(part)(at), lambda: density(part, width))
    x, y = X[:20_000], Y[:20_000]
    places = np.linspace(x.min(), x.max(), 60)
    ratio(
        "local regression, 20,000 points",
        lambda: lowess(y, x, frac=0.75, it=0, xvals=places),
        lambda: local_line(x, y, places, 0.75),
    )


def figures() -> None:
    svg(draw_figure(Figure.model_validate(FIGURES["boxes and points"]), table()).vega)
    print(f"\n| figure of {ROWS:,} rows, drawn and as SVG | seconds | limit |\n|---|---:|---:|")
    for name, figure in FIGURES.items():
        made = table()
        start = time.perf_counter()
        svg(draw_figure(Figure.model_validate(figure), made).vega)
        print(f"| {name} | {time.perf_counter() - start:.2f} | 1 |", flush=True)


def reports() -> None:
    """Thirty pages with twenty figures, no two alike."""
    small = table().take(np.arange(400))
    drawn = [
        draw_figure(Figure(response="y", groups="g", type_pt=7 + i / 10, width_mm=120), small) for i in range(20)
    ]
    words = {
        "type": "paragraph",
        "content": [{"type": "text", "text": "In spring we timed one visit of each visitor. " * 45}],
    }
    content = [
        n for i in range(20) for n in (words, {"type": "figure", "attrs": {"uid": f"f{i}", "figure": str(i)}}, words)
    ]

    def lookup(_kind: str, ref: str) -> Embed:
        d = drawn[int(ref)]
        return Embed("Figure", vega=d.vega, caption=say(*d.caption), alt=d.alt, width_mm=120)

    document = assemble(Node.model_validate({"type": "doc", "content": content}), lookup)
    print("\n| report of 20 figures | seconds | limit |\n|---|---:|---:|")
    for name, write in (("DOCX", write_docx), ("PDF", write_pdf), ("HTML", write_html), ("Markdown", write_markdown)):
        start = time.perf_counter()
        write(document)
        print(f"| {name} | {time.perf_counter() - start:.2f} | 5 |", flush=True)


if __name__ == "__main__":
    libraries()
    figures()
    reports()
