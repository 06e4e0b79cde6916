"""Tables, facts and pictures of a difference in differences."""

from typing import Any

import numpy as np

from yavik.core.answers import FigureBlock, TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import decimals_of, level_words, number, p_words
from yavik.core.figures.caption import lower
from yavik.core.figures.changes import Around, Course, around_start, courses
from yavik.core.figures.plots import block
from yavik.core.methods.change.difference_in_differences.compute import Did, Effect, Mean
from yavik.core.methods.change.difference_in_differences.courses import courses_of

CLOSE = 1e-6


def decimals(d: Did) -> int:
    """Of means and differences."""
    return min(decimals_of(d.effect.se, d.effect.estimate), d.study.data.decimals + 2)


def four_means(d: Did) -> TableBlock | None:
    """Before and after of both groups, with the subtraction worked out in the margins."""
    if d.four is None:
        return None
    m, k = d.four, decimals(d)
    rows = []
    for g, name in ((1, d.study.treated_words), (0, "the others")):
        a, b = m[g, 0], m[g, 1]
        rows.append(
            q.row(
                level=q.name(name, "Group"), n_before=q.count(a.n, "n before"), before=_mean(a, k, "Before"),
                n_after=q.count(b.n, "n after"), after=_mean(b, k, "After"),
                difference=q.est(b.mean - a.mean, k, "After − before", d.study.data.response.unit),
            )
        )  # fmt: skip
    rows.append(
        q.row(
            level=q.name("Treated − others", "Group"), n_before=q.blank("n before", "count"),
            before=q.num(m[1, 0].mean - m[0, 0].mean, k, "Before"), n_after=q.blank("n after", "count"),
            after=q.num(m[1, 1].mean - m[0, 1].mean, k, "After"),
            difference=q.est(d.by_hand, k, "After − before", d.study.data.response.unit),
        )
    )  # fmt: skip
    s = d.study
    before = s.periods[: s.starts[0]]
    after = s.periods[s.starts[0] :]
    note = "" if s.simple else f"Before: {_span(before)}; after: {_span(after)}. "
    note += f"Below each mean its standard error, as of independent rows. {same_words(d)}"
    return q.table(
        "means",
        "Four means and the difference of their differences",
        rows,
        note=note,
        strong=["difference"],
        marked=[2],
    )


def _span(names: list[str]) -> str:
    return names[0] if len(names) == 1 else f"{names[0]} to {names[-1]}"


def _mean(m: Mean, k: int, title: str) -> q.Quantity:
    below = f"SE {number(m.se, k)}" if np.isfinite(m.se) else "one row"
    return q.Quantity(m.mean, number(m.mean, k), title, "value", below=below)


def same_words(d: Did) -> str:
    """Whether the regression gives the number that the four means give."""
    if abs(d.by_hand - d.effect.estimate) <= CLOSE * max(abs(d.effect.estimate), d.effect.se):
        return "The regression gives the same number."
    if d.spec.covariates:
        return "The regression, which allows for the covariates, gives another number; that one is told above."
    return "The regression gives another number, as not every unit has a row in every period; that one is told above."


def estimate(d: Did) -> TableBlock:
    """The change by regression."""
    e, k, unit = d.effect, decimals(d), d.study.data.response.unit
    rows = [_row("Change because of the treatment", e, k, d, unit)]
    if (p := d.placebo) is not None:
        rows.append(
            _row(f"Placebo: as if at {lower(d.study.period_title)} {d.study.periods[p.place]}", p, k, d, unit)
        )
    own = (
        "units and periods have levels of their own"
        if d.levels == "units"
        else "groups and periods have levels of their own"
    )
    note = f"Least squares; {own}"
    note += (
        f", with {', '.join(lower(d.study.data.title(n)) for n in d.study.data.names)}" if d.study.data.names else ""
    )
    note += f". Standard errors {ERRORS[d.se]}"
    note += f", factor {d.fit.words}" if d.fit.words != "none" else ""
    note += "." if d.se != "wild" else "; p by the wild bootstrap, the interval from the cluster errors."
    return q.table("estimate", "The change by regression", rows, note=note, marked=[0] if e.p < d.spec.alpha else [])


NO_SE = "its scatter is not known: one unit alone, or values that do not scatter"
ERRORS = {
    "classical": "classical", "hc0": "robust (HC0)", "hc1": "robust (HC1)", "hc2": "robust (HC2)",
    "hc3": "robust (HC3)", "cluster": "by cluster", "wild": "by cluster",
}  # fmt: skip


def _row(name: str, e: Effect, k: int, d: Did, unit: str | None) -> q.Row:
    return q.row(
        term=q.name(name, ""), estimate=q.est(e.estimate, k, "Estimate", unit), se=q.num(e.se, k, "SE", why=NO_SE),
        **q.ci(e.low, e.high, k, d.spec.alpha, why=NO_SE), t=q.stat(e.estimate / e.se, "t", why=NO_SE), df=q.df(e.df),
        p=q.p(e.p, why=NO_SE),
    )  # fmt: skip


def events(d: Did) -> TableBlock | None:
    """An estimate for each period from the start."""
    if d.events is None:
        return None
    told, joint = d.events
    k, unit = decimals(d), d.study.data.response.unit
    rows = [q.row(since=_since(e.place), **_without_term(_row("", e, k, d, unit))) for e in told]
    note = "Each beside the period right before the start, which is 0."
    note += " Groups by start beside those not started yet, as many weights as units." if d.averages else ""
    if joint:
        f, df1, p = joint
        note += f" Those before together: F({df1}, {number(before_df(d, df1), 0)}) = {number(f, 2)}, p {p_words(p)}."
    marked = [i for i, e in enumerate(told) if e.p < d.spec.alpha]
    return q.table("events", "Period by period", rows, note=note, marked=marked, folded=len(rows) > 12)


def before_df(d: Did, df1: int) -> float:
    """The denominator's df of the joint test of the periods before."""
    df = d.events[0][0].df if d.events else np.nan
    return df - df1 + 1 if d.averages else df


def _since(k: int) -> q.Quantity:
    words = f"{-k} before" if k < 0 else "first treated" if k == 0 else f"{k} after"
    return q.Quantity(k, words, "Periods from the start", "name")


def by_start(d: Did) -> list[TableBlock]:
    """Averages over groups by start, and every cell."""
    if not d.averages:
        return []
    k, unit = decimals(d), d.study.data.response.unit
    whole = [_row(f"Average, {name}", e, k, d, unit) for name, e in d.overall]
    cells = [
        q.row(
            start=q.name(d.study.periods[c.start], "Starts"), level=q.name(d.study.periods[c.period], "Period"),
            n=q.count(c.n, "Units"), others=q.count(c.others, "Not started"), **_without_term(_row("", e, k, d, unit)),
        )
        for c, e in d.told_cells
    ]  # fmt: skip
    note = "Each group by start beside units that have not started yet, as changes since the period before its start;"
    note += " never"
    note += " beside units that are treated already. Groups’ sizes are taken as known."
    note += " Without the covariates." if d.study.data.names else ""
    return [
        q.table("averages", "Starts at different times: each beside those not started yet", whole, note=note),
        q.table("cells", "Every group by start in every period", cells, folded=True),
    ]


def _without_term(row: q.Row) -> q.Row:
    return {key: cell for key, cell in row.items() if key != "term"}


def picture(d: Did) -> FigureBlock:
    """Both courses, and dashed what the treated would have done."""
    s = d.study
    named = {"treated": s.treated_words, "others": "the others"}
    lines = [Course(named.get(c.name, c.name), c.y, c.low, c.high, c.expected) for c in courses_of(d)]
    at = s.starts[0] - 0.5 if len(s.starts) == 1 else None
    drawn = courses(lines, s.periods, s.period_title, s.data.response.axis_title, at)
    return block("figure", f"{s.data.response.title} before and after", drawn)


def event_picture(d: Did) -> FigureBlock | None:
    """Estimates before and after with the zero line."""
    if d.events is None:
        return None
    points = [Around(e.place, e.estimate, e.low, e.high) for e in d.events[0]]
    title = "Effect by time since the start" + (", beside those not started yet" if d.averages else "")
    points = sorted([*points, Around(-1, 0.0, 0.0, 0.0)], key=lambda p: p.at)
    unit = f" ({d.study.data.response.unit})" if d.study.data.response.unit else ""
    drawn = around_start(points, "Periods from the start", f"Effect on {lower(d.study.data.response.title)}{unit}")
    return block("event_study", title, drawn)


def facts(d: Did) -> dict[str, Any]:
    """Numbers by name."""
    e = d.effect
    out: dict[str, Any] = {
        "n": d.study.data.n, "estimate": e.estimate, "se": e.se, "df": e.df, "p": e.p, "ci_low": e.low,
        "ci_high": e.high,
        "t": e.estimate / e.se if e.se > 0 else np.nan, "factor": d.fit.factor,
    }  # fmt: skip
    if d.four is not None:
        out["by_hand"] = d.by_hand
        for g, who in ((1, "treated"), (0, "others")):
            for t, when in ((0, "before"), (1, "after")):
                m = d.four[g, t]
                out |= {f"{who}.{when}.mean": m.mean, f"{who}.{when}.n": m.n, f"{who}.{when}.se": m.se}
    if d.events is not None:
        out |= {f"event.{x.place}.estimate": x.estimate for x in d.events[0]}
        out |= {f"event.{x.place}.se": x.se for x in d.events[0]}
        if d.events[1]:
            out |= {"before.f": d.events[1][0], "before.df1": d.events[1][1], "before.p": d.events[1][2]}
    if d.placebo is not None:
        out |= {"placebo.estimate": d.placebo.estimate, "placebo.se": d.placebo.se, "placebo.p": d.placebo.p}
    for (_, a), name in zip(d.overall, ("by_start", "by_cell"), strict=False):
        out |= {f"{name}.estimate": a.estimate, f"{name}.se": a.se}
    return out


def interval_words(d: Did) -> str:
    """'95% CI 82 to 130'."""
    k = decimals(d)
    return f"{level_words(d.spec.alpha)} CI {number(d.effect.low, k)} to {number(d.effect.high, k)}"
