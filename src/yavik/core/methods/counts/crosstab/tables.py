"""Tables, checks and facts of a table of counts."""

from typing import Any

import numpy as np

from yavik.core.answers import Cell, Check, Remedy, TableBlock, Verdict
from yavik.core.answers.make import EMPTY, ci_cells, ci_head, grid, share_cell, share_ci
from yavik.core.answers.wording import (
    counted,
    df_cell,
    listing,
    missing,
    num,
    number,
    p_cell,
    p_words,
    percent,
    stat,
    whole,
    word,
)
from yavik.core.methods.counts.crosstab.compute import CrosstabResults
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.spread import Chi2Test
from yavik.core.stats.tables_of_counts import fisher_interval, independence, two_by_two

NO_RATIO = "a cell is empty"


def all_tables(r: CrosstabResults) -> list[TableBlock | None]:
    return [counts(r), tests(r), effects(r), percents(r), expected(r), *layers(r)]


def counts(r: CrosstabResults) -> TableBlock:
    """Counts with each row's shares; totals at the margins."""
    totals = r.counts.sum(axis=1)
    rows = []
    for i, name in enumerate(r.rows):
        row = {"level": word(name), "n": whole(int(totals[i]))}
        for j in range(len(r.columns)):
            n = int(r.counts[i, j])
            row[f"c{j}"] = Cell(v=n, s=f"{n} ({percent(n / totals[i])})")
        rows.append(row)
    last = {"level": word("Total"), "n": whole(int(r.counts.sum()))}
    last |= {
        f"c{j}": Cell(v=int(x), s=f"{int(x)} ({percent(float(x / r.counts.sum()))})")
        for j, x in enumerate(r.counts.sum(axis=0))
    }
    rows.append(last)
    columns = [("level", f"{r.row_title}<"), *((f"c{j}", name) for j, name in enumerate(r.columns)), ("n", "Total")]
    return grid(
        "crosstab", f"{r.column_title} within {r.row_title}", columns, rows, note="In brackets the share of the row."
    )


def tests(r: CrosstabResults) -> TableBlock:
    rows = [_line("Pearson's χ²", r.test.pearson), _line("Likelihood ratio χ²", r.test.likelihood)]
    if r.test.yates:
        rows.append(_line("χ² with Yates's correction", r.test.yates))
    note = None
    if r.fisher:
        rows.append(
            {
                "term": word("Fisher's exact test"),
                "chi2": missing("has none"),
                "df": missing("has none"),
                "p": p_cell(r.fisher.p),
            }
        )
        if r.alternative != "two_sided":
            note = "Fisher's p is one-sided; χ² looks either way."
        if not r.fisher.exact:
            note = f"Fisher's p from {r.fisher.draws} tables drawn with the same totals."
    if r.trend:
        z, p = r.trend
        why = "one level has every event or none"
        rows.append(
            {
                "term": word(f"Trend of {r.columns[r.event]} over {r.row_title} (Cochran–Armitage), z"),
                "chi2": stat(z, why),
                "df": missing("has none"),
                "p": p_cell(p, why),
            }
        )
    return grid(
        "tests",
        "Tests of independence",
        [("term", "Test<"), ("chi2", "χ²"), ("df", "df"), ("p", "p")],
        rows,
        note=note,
    )


def _line(name: str, t: Chi2Test) -> dict[str, Cell]:
    return {"term": word(name), "chi2": stat(t.chi2), "df": df_cell(t.df), "p": p_cell(t.p)}


def odds_interval(r: CrosstabResults) -> tuple[float, float]:
    """The odds ratio's interval that goes with the test that speaks: Fisher's own, or Woolf's."""
    assert r.two
    if r.by_fisher:
        return fisher_interval(r.counts[:, [r.event, 1 - r.event]], r.alpha, r.alternative)
    o = r.two.odds_ratio
    if r.alternative == "two_sided":
        return o.ci_low, o.ci_high
    o = two_by_two(r.counts[:, [r.event, 1 - r.event]], 2 * r.alpha).odds_ratio
    return (o.ci_low, np.inf) if r.alternative == "greater" else (-np.inf, o.ci_high)


def effects(r: CrosstabResults) -> TableBlock:
    rows = [{"term": word("Cramér's V"), "estimate": share_cell(r.v.estimate), **share_ci(r.v.ci_low, r.v.ci_high)}]
    if r.two:
        a, b = f"{r.column_title} = {r.columns[r.event]}", f"{r.rows[0]} against {r.rows[1]}"
        rows.append(
            {
                "term": word("φ"),
                "estimate": share_cell(r.phi),
                "ci_low": missing("given for V"),
                "ci_high": missing("given for V"),
            }
        )
        low, high = odds_interval(r)
        rows.append(_ratio(f"Odds ratio of {a}, {b}", Size(r.two.odds_ratio.estimate, low, high)))
        rows.append(_ratio(f"Relative risk of {a}, {b}", r.two.relative_risk))
        d = r.two.risk_difference
        rows.append(
            {
                "term": word(f"Difference of shares of {a}, {b}"),
                "estimate": share_cell(d.estimate),
                **share_ci(d.ci_low, d.ci_high),
            }
        )
    if r.ordinal:
        for name, size in (("γ (Goodman–Kruskal)", r.ordinal.gamma), ("Kendall's τ-b", r.ordinal.tau_b)):
            why = "no pair differs in both"
            if abs(size.estimate) == 1:
                why = "all pairs agree" if size.estimate > 0 else "no pair agrees: one rises where the other falls"
            rows.append(
                {
                    "term": word(name),
                    "estimate": share_cell(size.estimate, why),
                    **share_ci(size.ci_low, size.ci_high, why),
                }
            )
    note = "γ and τ-b take levels in their order." if r.ordinal else None
    return grid(
        "effects",
        "How strongly?",
        [("term", "Measure<"), ("estimate", "Estimate"), ci_head(r.alpha)],
        rows,
        note=note,
    )


def _ratio(name: str, size: Size) -> dict[str, Cell]:
    return {
        "term": word(name),
        "estimate": num(size.estimate, 2, NO_RATIO),
        **ci_cells(size.ci_low, size.ci_high, 2, NO_RATIO),
    }


def percents(r: CrosstabResults) -> TableBlock:
    """Shares of the column and of the whole."""
    down, total = r.counts.sum(axis=0), float(r.counts.sum())
    rows = []
    for i, name in enumerate(r.rows):
        for kind, below in (("of column", down), ("of all", np.full(len(down), total))):
            row = {"level": word(name), "kind": word(kind)}
            row |= {
                f"c{j}": Cell(v=float(r.counts[i, j] / below[j]), s=percent(float(r.counts[i, j] / below[j])))
                for j in range(len(down))
            }
            rows.append(row)
    columns = [
        ("level", f"{r.row_title}<"),
        ("kind", "Share<"),
        *((f"c{j}", name) for j, name in enumerate(r.columns)),
    ]
    return grid("shares", "Shares of columns and of all", columns, rows, folded=True)


def expected(r: CrosstabResults) -> TableBlock:
    """Expected counts with adjusted residuals; those beyond ±2 stand out."""
    rows = []
    for i, name in enumerate(r.rows):
        row = {"level": word(name)}
        for j in range(len(r.columns)):
            z = float(r.test.adjusted_residuals[i, j])
            text = f"{number(float(r.test.expected[i, j]), 1)}"
            row[f"c{j}"] = Cell(
                v=float(r.test.expected[i, j]), s=f"{text} ({number(z, 1)})" if np.isfinite(z) else text
            )
            row[f"r{j}"] = num(z, 1)
        rows.append(row)
    columns = [("level", f"{r.row_title}<"), *((f"c{j}", name) for j, name in enumerate(r.columns))]
    note = "Expected counts; in brackets adjusted residuals, beyond ±2 more or fewer than independence has."
    return grid("expected", "Expected counts and residuals", columns, rows, note=note, folded=True)


def layers(r: CrosstabResults) -> list[TableBlock]:
    if r.layer_counts is None:
        return []
    rows = []
    for name, counts_ in zip(r.layer_names, r.layer_counts, strict=True):
        kept = counts_[counts_.sum(axis=1) > 0][:, counts_.sum(axis=0) > 0]
        row = {"level": word(name), "n": whole(int(counts_.sum()))}
        if min(kept.shape) < 2:
            why = "one row or column is all that is left in this layer"
            row |= {"chi2": missing(why), "df": missing(why), "p": missing(why)}
        else:
            t = independence(kept).pearson
            row |= {"chi2": stat(t.chi2), "df": df_cell(t.df), "p": p_cell(t.p)}
        if r.two:
            (a, b), (c, d) = counts_[:, [r.event, 1 - r.event]]
            row["odds_ratio"] = num(float(a * d / (b * c)), 2) if b * c and a * d else missing(NO_RATIO)
        rows.append(row)
    columns = [("level", f"{r.layer_title}<"), ("n", "n"), ("chi2", "χ²"), ("df", "df"), ("p", "p")]
    columns += [("odds_ratio", "Odds ratio")] if r.two else []
    made = [grid("layers", f"Within each {r.layer_title}", columns, rows)]
    if r.stratified and not r.layers:
        t = r.stratified
        line = {
            "term": word("Association within layers"),
            "chi2": stat(t.chi2),
            "df": df_cell(t.df),
            "p": p_cell(t.p),
        }
        made.append(
            grid(
                "common",
                "All layers together",
                [("term", "<"), ("chi2", "χ²"), ("df", "df"), ("p", "p")],
                [line],
                note="Generalised Mantel–Haenszel test of any association, without continuity correction.",
            )
        )
    if r.layers:
        m = r.layers
        lines = [
            {
                "term": word("Common odds ratio, Mantel–Haenszel"),
                "estimate": num(m.odds_ratio.estimate, 2),
                **ci_cells(m.odds_ratio.ci_low, m.odds_ratio.ci_high, 2),
                "chi2": stat(m.test.chi2),
                "df": df_cell(m.test.df),
                "p": p_cell(m.test.p),
            }
        ]
        if m.homogeneity:
            lines.append(
                {
                    "term": word("Same odds ratio in all layers, Breslow–Day"),
                    "estimate": EMPTY,
                    "ci_low": EMPTY,
                    "ci_high": EMPTY,
                    "chi2": stat(m.homogeneity.chi2),
                    "df": df_cell(m.homogeneity.df),
                    "p": p_cell(m.homogeneity.p),
                }
            )
        heads = [("term", "<"), ("estimate", "Estimate"), ci_head(r.alpha), ("chi2", "χ²"), ("df", "df"), ("p", "p")]
        made.append(
            grid(
                "common",
                "All layers together",
                heads,
                lines,
                note="χ² with continuity correction; Breslow–Day with Tarone's correction.",
            )
        )
    return made


def checks(r: CrosstabResults) -> list[Check]:
    e = r.test.expected
    low = int((e < 5).sum())
    text = (
        f"{counted(low, 'of ' + str(e.size) + ' expected count lies', 'of ' + str(e.size) + ' expected counts lie')}"
        f" below 5, the smallest is {number(float(e.min()), 1)}."
    )
    facts = {"expected_min": float(e.min()), "expected_below_5": float(low)}
    if not r.small:
        found = [Check(id="expected", title="Large enough counts", verdict=Verdict.holds, text=text, facts=facts)]
    elif r.fisher:
        found = [
            Check(
                id="expected",
                title="Large enough counts",
                verdict=Verdict.doubtful,
                text=f"{text} χ² is not to be relied on here; Fisher's exact test stands in.",
                facts=facts,
            )
        ]
    else:
        remedies = [Remedy(label="Use Fisher's exact test", spec={"exact": "auto"})]
        found = [
            Check(
                id="expected",
                title="Large enough counts",
                verdict=Verdict.fails,
                text=f"{text} χ² is not to be relied on.",
                facts=facts,
                remedies=remedies,
            )
        ]
    if r.reversed and r.layers and r.two:
        text = (
            f"Within layers the odds ratio is {number(r.layers.odds_ratio.estimate, 2)}, without them"
            f" {number(r.two.odds_ratio.estimate, 2)}: levels of {r.row_title} are spread unevenly over"
            f" {r.layer_title}, and that alone turns it round."
        )
        found.append(
            Check(id="reversal", title="Same direction without the layers", verdict=Verdict.fails, text=text)
        )
    if r.dropped:
        found.append(
            Check(
                id="dropped",
                title="Levels without rows",
                verdict=Verdict.doubtful,
                text=f"Left out because no row has them: {listing(r.dropped)}.",
            )
        )
    if r.layers and r.layers.homogeneity:
        h = r.layers.homogeneity
        same = h.p >= 0.05
        text = f"Breslow–Day p {p_words(h.p)}: " + (
            "one odds ratio can speak for all layers."
            if same
            else "layers differ, and one odds ratio does not speak for all of them."
        )
        found.append(
            Check(
                id="homogeneity",
                title="Same odds ratio in every layer",
                verdict=Verdict.holds if same else Verdict.fails,
                text=text,
                facts={"breslow_day.p": h.p},
            )
        )
    return found


def facts(r: CrosstabResults) -> dict[str, Any]:
    out: dict[str, Any] = {
        "p": r.p,
        "n": int(r.counts.sum()),
        "chi2": r.test.pearson.chi2,
        "chi2.df": r.test.pearson.df,
        "chi2.p": r.test.pearson.p,
        "event": r.columns[r.event],
        "likelihood.chi2": r.test.likelihood.chi2,
        "likelihood.p": r.test.likelihood.p,
        "cramer_v": r.v.estimate,
        "estimate": r.v.estimate,
    }
    if r.test.yates:
        out |= {"yates.chi2": r.test.yates.chi2, "yates.p": r.test.yates.p}
    if r.fisher:
        out["fisher.p"] = r.fisher.p
    if r.two:
        out |= {
            "odds_ratio": r.two.odds_ratio.estimate,
            "odds_ratio.ci_low": odds_interval(r)[0],
            "odds_ratio.ci_high": odds_interval(r)[1],
            "relative_risk": r.two.relative_risk.estimate,
            "relative_risk.ci_low": r.two.relative_risk.ci_low,
            "relative_risk.ci_high": r.two.relative_risk.ci_high,
            "phi": r.phi,
        }
    if r.ordinal:
        out |= {"gamma": r.ordinal.gamma.estimate, "tau_b": r.ordinal.tau_b.estimate}
    if r.trend:
        out |= {"trend.z": r.trend[0], "trend.p": r.trend[1]}
    if r.stratified and not r.layers:
        out |= {"common.chi2": r.stratified.chi2, "common.df": r.stratified.df, "common.p": r.stratified.p}
    if r.layers:
        out |= {
            "common.odds_ratio": r.layers.odds_ratio.estimate,
            "common.ci_low": r.layers.odds_ratio.ci_low,
            "common.ci_high": r.layers.odds_ratio.ci_high,
            "common.chi2": r.layers.test.chi2,
            "common.p": r.layers.test.p,
        }
        if r.layers.homogeneity:
            out |= {"breslow_day.chi2": r.layers.homogeneity.chi2, "breslow_day.p": r.layers.homogeneity.p}
    return out
