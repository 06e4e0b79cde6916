"""Do shares of the same rows differ between occasions? McNemar and Cochran's Q."""

from typing import Any

import numpy as np
from pydantic import Field
from scipy import special

from yavik.core.answers import Answer, Check, Marks, RowsUsed, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.answer import LeftOut
from yavik.core.answers.make import compose
from yavik.core.answers.wording import counted, grouped, level_words, listing, percent, plain, say
from yavik.core.ask import placed, slot
from yavik.core.methods.base import Aim, Layout, Method, Run, Spec
from yavik.core.methods.fit import n_levels
from yavik.core.methods.kit.claims import claimed
from yavik.core.methods.kit.events import event_in
from yavik.core.methods.kit.page import read_page
from yavik.core.methods.kit.shares import ends_of, levels_of, percent_ci, points
from yavik.core.stats.adjusting import adjust
from yavik.core.stats.shares import wilson
from yavik.core.stats.spread import Chi2Test
from yavik.core.stats.tables_of_counts import cochran_q, mcnemar
from yavik.core.table import DataProblem, Table


class PairedSpec(Spec):
    columns: list[str] = Field(
        [],
        title="Occasions",
        json_schema_extra=slot(["yes_no", "category", "ordered", "count"], "two or more yes/no columns", many=True),
    )
    event: str | None = Field(
        None,
        json_schema_extra=placed(
            "level", "Counted is", "The same in all columns: yes, 1 or true, else the last level.", of="columns"
        ),
    )


def compute(table: Table, spec: PairedSpec, run: Run) -> Answer:
    """The answer. Raises DataProblem for columns that do not speak of the same two things."""
    if len(spec.columns) < 2:
        raise DataProblem(
            "A comparison needs two occasions; choose another column.",
            column=spec.columns[0] if spec.columns else None,
        )
    use = np.ones(table.n_rows, bool)
    event = _event(table, spec)
    y: list[Any] = []
    for name in spec.columns:
        coded = levels_of(table, name)
        use &= coded.codes >= 0
        y.append(coded.codes == (coded.levels.index(event) if event in coded.levels else -2))
    x = np.column_stack(y)[use].astype(float)
    if len(x) < 2:
        raise DataProblem(
            f"{len(x)} rows have {listing(spec.columns)} all filled; two are needed.", column=spec.columns[0]
        )
    titles = [table.column(c).title for c in spec.columns]
    gone = int((~use).sum())
    rows = RowsUsed(
        total=table.n_rows, used=len(x), left_out=[LeftOut(why="an occasion is empty", n=gone)] if gone else []
    )
    lines = []
    for title, column in zip(titles, x.T, strict=True):
        share, ends = float(column.mean()), wilson(float(column.sum()), len(x), spec.alpha)
        lines.append(
            q.row(
                column=q.name(title), event=q.name(event, "Counted"), n=q.count(len(x)),
                hits=q.count(column.sum(), "Counted rows"),
                share=q.part(share, "Share"), **percent_ci(*ends, spec.alpha, what="CI (Wilson)"),
            )
        )  # fmt: skip
    groups = q.table("groups", "Shares", lines)
    if x.shape[1] == 2:
        return _two(spec, titles, event, x, groups, rows)
    if spec.alternative != "two_sided":
        raise DataProblem(f"Only two occasions have a direction; there are {x.shape[1]}.", column=spec.columns[2])
    return _several(spec, titles, event, x, groups, rows)


def _event(table: Table, spec: PairedSpec) -> str:
    """What is counted in every column. Raises DataProblem where the columns do not speak of the same two things."""
    many = next((c for c in spec.columns if len(levels_of(table, c).levels) > 2), None)
    if many:
        raise DataProblem(
            f"{many} has {len(table.codes(many).levels)} levels; this question compares columns of the same two.",
            column=many,
        )
    known = list(dict.fromkeys(level for c in spec.columns for level in levels_of(table, c).levels))
    if len(known) > 2:
        raise DataProblem(
            f"{listing(spec.columns)} hold {len(known)} different values together ({listing(known, 6)}); "
            "this question compares columns of the same two.",
            column=spec.columns[0],
        )
    if spec.event is not None and spec.event not in known:
        raise DataProblem(f"No column has '{spec.event}'; they have {listing(known, 6)}.", column=spec.columns[0])
    return spec.event or event_in(table, spec.columns)


def _two(spec: PairedSpec, titles: list[str], event: str, x: Any, groups: Any, rows: RowsUsed) -> Answer:
    a, b = x[:, 0] > 0, x[:, 1] > 0
    only_first, only_second = int((a & ~b).sum()), int((~a & b).sum())
    t, exact = mcnemar(only_first, only_second, spec.alternative)
    n, moved = len(x), only_first + only_second
    if not moved:
        raise DataProblem(
            f"Every row says the same for {titles[0]} and {titles[1]}: nothing changed.", column=spec.columns[1]
        )
    d = (only_first - only_second) / n
    low, high = _interval(only_first, only_second, n, spec)
    mark = q.p_said(exact)
    claim = {
        "two_sided": f"the share of {event} differs between {titles[0]} and {titles[1]}",
        "less": f"the share of {event} is lower for {titles[0]} than for {titles[1]}",
        "greater": f"the share of {event} is higher for {titles[0]} than for {titles[1]}",
    }[spec.alternative]
    ends = ends_of(low, high, points, spec.alternative)
    has = "has" if only_first == 1 else "have"
    each = f"{grouped(only_first)} {has} {event} only for {titles[0]}, {grouped(only_second)} only for {titles[1]}"
    tail = (
        f" (exact). {grouped(moved)} of {grouped(n)} rows changed: {each}; the difference of the shares is {points(d)}"
        f" percentage points ({level_words(spec.alpha)} CI {ends})."
    )
    own = {"event": event, "p": exact, "n": n, "chi2": t.chi2, "chi2.p": t.p}
    return compose(
        say(f"{claimed(claim, exact < spec.alpha)}, ", *mark, tail),
        short=f"{'shares differ' if exact < spec.alpha else 'no evidence of a difference'}, {plain(mark)}",
        blocks=[groups, _crossed(a, b, titles, event), _tests(exact, t, spec)],
        checks=[_changed(moved)],
        rows=rows,
        facts={**own, "estimate": d, "ci_low": low, "ci_high": high},
        settings=["exact test of the rows that changed", f"counted is {event}"],
        marks=Marks(p=mark),
    )


def _interval(only_first: int, only_second: int, n: int, spec: PairedSpec) -> tuple[float, float]:
    """Of the difference of the shares; half a row is added to either kind of change (Bonett & Price, 2012)."""
    p1, p2 = (only_first + 1) / (n + 2), (only_second + 1) / (n + 2)
    quantile = -float(special.ndtri(spec.alpha / (2 if spec.alternative == "two_sided" else 1)))
    reach = quantile * float(np.sqrt((p1 + p2 - (p1 - p2) ** 2) / (n + 2)))
    low = -1.0 if spec.alternative == "less" else max(-1.0, p1 - p2 - reach)
    return low, 1.0 if spec.alternative == "greater" else min(1.0, p1 - p2 + reach)


def _crossed(a: Any, b: Any, titles: list[str], event: str) -> TableBlock:
    def line(name: str, mine: Any) -> q.Row:
        """One answer on the first occasion by those on the second."""
        return q.row(
            level=q.name(name), c0=q.count((mine & b).sum(), f"{titles[1]}: {event}"),
            c1=q.count((mine & ~b).sum(), f"{titles[1]}: not {event}"),
        )  # fmt: skip

    rows = [line(f"{titles[0]}: {event}", a), line(f"{titles[0]}: not {event}", ~a)]
    return q.table("crosstab", "Both occasions", rows)


def _tests(exact: float, t: Chi2Test, spec: PairedSpec) -> TableBlock:
    side = "" if spec.alternative == "two_sided" else ", one-sided"
    by_chi2 = q.chi2_cells(t, "no row changed") | q.row(df=q.df(1))
    rows = [
        q.row(
            term=q.name(f"Exact binomial of the changes{side}", "Test"), **q.chi2_cells(q.NONE) | q.row(p=q.p(exact))
        ),
        q.row(term=q.name("McNemar's χ², without correction, two-sided", "Test"), **by_chi2),
    ]
    return q.table("tests", "Tests of equal shares", rows)


def _changed(moved: int) -> Check:
    return Check(
        id="changes",
        title="Enough rows that changed",
        verdict=Verdict.doubtful if moved < 10 else Verdict.holds,
        text=f"{counted(moved, 'row')} changed."
        + (" With fewer than 25 the exact p is the one to report." if moved < 25 else ""),
        facts={"changed": float(moved)},
    )


def _several(spec: PairedSpec, titles: list[str], event: str, x: Any, groups: Any, rows: RowsUsed) -> Answer:
    t = cochran_q(x)
    if not np.isfinite(t.p):
        raise DataProblem("Every row says the same on all occasions: nothing changed.", column=spec.columns[0])
    mark = q.p_said(t.p)
    share = x.mean(axis=0)
    low, high = int(share.argmin()), int(share.argmax())
    claim = f"shares of {event} differ between the {len(titles)} occasions"
    start = f"{claimed(claim, t.p < spec.alpha)}, "
    tail = (
        f". They run from {percent(float(share[low]))} for {titles[low]} to {percent(float(share[high]))} for"
        f" {titles[high]}."
    )
    i, j = np.triu_indices(len(titles), 1)
    exact = np.array(
        [
            mcnemar(float(((x[:, a] > 0) & (x[:, b] == 0)).sum()), float(((x[:, a] == 0) & (x[:, b] > 0)).sum()))[1]
            for a, b in zip(i, j, strict=True)
        ]
    )
    same = np.isnan(exact)  # two occasions without a change between them: nothing to test
    adjusted = np.full(len(exact), np.nan)
    adjusted[~same] = adjust(exact[~same], "holm")
    none = "no row changed between the two"
    pairs = [
        q.row(
            pair=q.name(f"{titles[a]} – {titles[b]}", "Pair"), group_a=q.name(titles[a], None),
            group_b=q.name(titles[b], None),
            difference=q.texted(
                    float(share[a] - share[b]), percent(float(share[a] - share[b])).replace("-", "−"), "Difference"
                ),
            p=q.p(float(exact[m]), "exact p", none), p_adjusted=q.p(float(adjusted[m]), "adjusted p", none),
        )
        for m, (a, b) in enumerate(zip(i, j, strict=True))
    ]  # fmt: skip
    moved = int((np.ptp(x, axis=1) > 0).sum())
    check = Check(
        id="changes",
        title="Enough rows that changed",
        verdict=Verdict.holds if moved * len(titles) >= 24 else Verdict.doubtful,
        text=f"{moved} of {len(x)} rows differ between occasions."
        + ("" if moved * len(titles) >= 24 else " With so few χ² is a rough guide."),
        facts={"changed": float(moved)},
    )
    test = q.row(term=q.name("Cochran's Q"), **q.chi2_cells(t, letter="Q"))
    marked = [m for m in range(len(pairs)) if adjusted[m] < spec.alpha]
    return compose(
        say(start, *q.tested("Q", t.chi2, (t.df,), t.p), tail),
        short=f"{'shares differ' if t.p < spec.alpha else 'no evidence of a difference'}, {plain(mark)}",
        blocks=[
            groups,
            q.table("test", "Test of equal shares", [test]),
            q.table(
                "pairs",
                "Every occasion with every other",
                pairs,
                note="Exact McNemar tests, p by Holm.",
                marked=marked,
                by="exact McNemar tests, Holm",
            ),
        ],
        checks=[check],
        rows=rows,
        facts={"event": event, "p": t.p, "n": len(x), "q": t.chi2, "df": t.df, "estimate": float(np.ptp(share))},
        settings=["Cochran's Q", f"counted is {event}"],
        marks=Marks(p=mark),
    )


def _fit(table: Table, spec: dict[str, Any]) -> tuple[float, str] | None:
    """Columns of two levels each."""
    columns = spec.get("columns", [])
    if len(columns) < 2 or any(n_levels(table, c) != 2 for c in columns):
        return None
    return 5, "yes or no on several occasions"


METHOD = Method(
    id="paired_proportions",
    aim=Aim.counts,
    title="Shares of the same rows: McNemar, Cochran's Q",
    layouts=(
        Layout(
            "columns",
            "a yes/no column for each occasion",
            "Do the shares of {columns} differ within rows?",
            ("columns",),
            ("columns",),
        ),
    ),
    Spec=PairedSpec,
    compute=compute,
    page=read_page(__file__),
    order=3,
    fit=_fit,
    name=lambda spec: f"Shares of {listing(spec.columns, 3)}",
    uses=("alternative",),
    keywords=("mcnemar", "cochran q", "paired proportions", "matched", "before and after"),
)
