"""Do the counts of a category's levels differ from what was expected of them?"""

from typing import Any

import numpy as np
from pydantic import Field

from yavik.core.answers import Answer, Check, Marks, RowsUsed, Span, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import begun, counted, number, plain, say
from yavik.core.ask import amount, placed, slot
from yavik.core.figures.caption import lower
from yavik.core.figures.pictures import bars
from yavik.core.figures.plots import block
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shares import LEVELS, levels_of
from yavik.core.stats.groups import Floats
from yavik.core.stats.spread import Chi2Test
from yavik.core.stats.tables_of_counts import goodness
from yavik.core.table import Codes, DataProblem, Table
from yavik.core.table.column import CODED


class GoodnessSpec(Spec):
    column: str | None = Field(None, title="Category", json_schema_extra=slot(LEVELS, "a category"))
    expected: dict[str, float] | None = Field(
        None,
        json_schema_extra=placed(
            "shares",
            "Expected shares",
            "All levels alike unless typed; any numbers in the right proportion will do.",
            of="column",
        ),
    )
    fitted: int = Field(
        0,
        ge=0,
        le=50,
        json_schema_extra=amount(
            "Parameters fitted to these counts", "Each takes a degree of freedom away.", min=0, max=50, step=1
        ),
    )


def compute(table: Table, spec: GoodnessSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for shares or levels that cannot be expected."""
    assert spec.column
    coded = levels_of(table, spec.column)
    levels, counts = _counts(table, spec, coded)
    shares = _shares(spec, levels, counts)
    keep = shares > 0
    names, counts, shares = [n for n, k in zip(levels, keep, strict=True) if k], counts[keep], shares[keep]
    if len(names) < 2:
        raise DataProblem(f"{spec.column} has one level to expect; a comparison needs two.", column=spec.column)
    t, n = goodness(counts, shares, spec.fitted), counts.sum()
    if t.df < 1:
        raise DataProblem(
            f"{len(names)} levels with {counted(spec.fitted, 'fitted parameter')} leave no degree of freedom for a"
            " test.",
            column=spec.column,
        )
    title = table.column(spec.column).title
    against = "all levels alike" if not spec.expected else "the shares expected"
    mark = q.p_said(t.p)
    gone = int((coded.codes < 0).sum())
    drawn = bars(table.column(spec.column), tuple(names)[:30], counts[None, :30], ("",))
    w = float(np.sqrt(t.chi2 / n))
    return compose(
        _headline(f"counts of {lower(title)} differ from {against}", t, spec.alpha, names, counts, n * shares),
        short=f"{'differ' if t.p < spec.alpha else 'no evidence of a difference'}, {plain(mark)}",
        blocks=[block("figure", title, drawn), _levels(title, names, counts, shares), _test(t, w)],
        checks=[_large_enough(float((n * shares).min()))],
        rows=RowsUsed(
            total=table.n_rows, used=int(n), left_out=[LeftOut(why=f"{title} is empty", n=gone)] if gone else []
        ),
        facts={"p": t.p, "n": n, "chi2": t.chi2, "df": t.df, "estimate": w},
        settings=["Pearson's χ²", f"against {against}"],
        marks=Marks(p=mark),
    )


def _headline(claim: str, t: Chi2Test, alpha: float, names: list[str], counts: Floats, e: Floats) -> list[Span]:
    most = int(np.argmax(np.abs(counts - e)))
    held = counted(int(counts[most]), "row")
    tail = f"{begun(names[most])} has {held} where {number(float(e[most]), 1)} were expected."
    test = q.tested("χ²", t.chi2, (t.df,), t.p, n=int(counts.sum()))
    return say(f"{claimed(claim, t.p < alpha)}, ", *test, f". {tail}")


def _levels(title: str, names: list[str], counts: Floats, shares: Floats) -> TableBlock:
    rows, n = [], counts.sum()
    for name, c, s in zip(names, counts, shares, strict=True):
        e = n * s
        rows.append(
            q.row(
                level=q.name(name, "Level"), n=q.count(c), share=q.part(float(c / n), "Share"),
                expected_share=q.part(float(s), "Expected share"), expected=q.num(float(e), 1, "Expected"),
                residual=q.num(float((c - e) / np.sqrt(e * (1 - s))), 1, "Adjusted residual"),
            )
        )  # fmt: skip
    note = "Adjusted residuals beyond ±2 stand for clearly more or fewer than expected."
    return q.table("frequencies", title, rows, note=note)


def _test(t: Chi2Test, w: float) -> TableBlock:
    row = q.row(term=q.name("Pearson's χ²"), **q.chi2_cells(t), estimate=q.num(w, 2, "Cohen's w"))
    return q.table("test", "Test of the expected shares", [row])


def _large_enough(low: float) -> Check:
    return Check(
        id="expected",
        title="Large enough counts",
        verdict=Verdict.holds if low >= 5 else Verdict.doubtful if low >= 1 else Verdict.fails,
        text=f"The smallest expected count is {number(low, 1)}."
        + ("" if low >= 5 else " Below 5 χ² is a rough guide; join levels that belong together."),
        facts={"expected_min": low},
    )


def _counts(table: Table, spec: GoodnessSpec, coded: Codes) -> tuple[tuple[str, ...], Floats]:
    """Levels that could occur, with their rows.

    Those of the dictionary and those in ``expected`` count with zero rows; those that the question's own filter
    takes out do not.
    """
    assert spec.column
    counts = np.bincount(coded.codes[coded.codes >= 0], minlength=len(coded.levels)).astype(float)
    gone = set(table.about.filtered_out.get(spec.column, ())) - set(spec.expected or ())
    kept = [i for i, level in enumerate(coded.levels) if counts[i] > 0 or level not in gone]
    levels, counts = [coded.levels[i] for i in kept], counts[kept]
    if table.column(spec.column).kind not in CODED:  # of numbers and texts only values that occur are known
        more = [level for level in spec.expected or () if level not in levels]
        levels, counts = levels + more, np.concatenate([counts, np.zeros(len(more))])
    return tuple(levels), counts


def _shares(spec: GoodnessSpec, levels: tuple[str, ...], counts: Floats) -> Floats:
    """Expected shares that sum to one. Raises DataProblem for unknown levels, negative shares, or rows where none is
    expected."""
    if not spec.expected:
        return np.full(len(levels), 1 / len(levels))
    unknown = next((x for x in spec.expected if x not in levels), None)
    if unknown is not None:
        raise DataProblem(f"{spec.column} has no level '{unknown}'.", column=spec.column)
    lacking = [x for i, x in enumerate(levels) if x not in spec.expected and counts[i] > 0]
    if lacking:
        raise DataProblem(
            f"No share is expected of {lacking[0]}, which has {int(counts[levels.index(lacking[0])])} rows.",
            column=spec.column,
        )
    shares = np.array([spec.expected.get(x, 0.0) for x in levels])
    if np.any(shares < 0) or not np.isfinite(shares).all() or shares.sum() <= 0:
        raise DataProblem("Expected shares must be zero or more, and not all zero.", column=spec.column)
    wrong = [x for x, s, c in zip(levels, shares, counts, strict=True) if s == 0 and c > 0]
    if wrong:
        raise DataProblem(f"{wrong[0]} is expected never, but has rows.", column=spec.column)
    return np.asarray(shares / shares.sum())


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    return -8, ""


METHOD = Method(
    id="goodness_of_fit",
    aim=Aim.counts,
    title="Counts against expected shares: χ² goodness of fit",
    layouts=(
        Layout(
            "column", "one column", "Do the levels of {column} occur as often as expected?", ("column",), ("column",)
        ),
    ),
    Spec=GoodnessSpec,
    compute=compute,
    page=read_page(__file__),
    order=4,
    fit=_fit,
    name=lambda spec: f"{spec.column} as expected",
    keywords=("goodness of fit", "chi square", "expected frequencies", "uniform"),
)
