"""Tables, checks and facts of a table of counts."""

from collections.abc import Iterable
from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import counted, grouped, listing, number, p_words, percent
from yavik.core.methods.counts.crosstab.compute import CrosstabResults
from yavik.core.methods.kit.analysis import effect
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.groups import Floats

NO_RATIO = "a cell is empty"


def all_tables(r: CrosstabResults) -> list[TableBlock | None]:
    """The tables in the order in which they matter."""
    return [counts(r), tests(r), effects(r), percents(r), expected(r), *layers(r)]


def _over_columns(r: CrosstabResults, cells: Iterable[q.Quantity]) -> q.Row:
    return {f"c{j}": cell.under(name) for j, (name, cell) in enumerate(zip(r.columns, cells, strict=True))}


def counts(r: CrosstabResults) -> TableBlock:
    """Counts with each row's shares; totals at the margins."""

    def line(name: str, counts: Floats) -> q.Row:
        """Counts of one row with their shares of it."""
        whole = counts.sum()
        cells = (q.texted(int(n), f"{grouped(int(n))} ({percent(float(n / whole))})", role="count") for n in counts)
        return q.row(level=q.name(name, r.row_title), **_over_columns(r, cells), n=q.count(whole, "Total"))

    rows = [line(name, r.counts[i]) for i, name in enumerate(r.rows)] + [line("Total", r.counts.sum(axis=0))]
    title = f"{r.column_title} within {r.row_title}"
    return q.table("crosstab", title, rows, note="In brackets the share of the row.")


def tests(r: CrosstabResults) -> TableBlock:
    """χ² in its forms, Fisher's exact test, a trend."""

    def line(name: str, cells: q.Row) -> q.Row:
        """One test under its name."""
        return q.row(term=q.name(name, "Test"), **cells)

    rows = [
        line("Pearson's χ²", q.chi2_cells(r.test.pearson)),
        line("Likelihood ratio χ²", q.chi2_cells(r.test.likelihood)),
    ]
    rows += [line("χ² with Yates's correction", q.chi2_cells(r.test.yates))] if r.test.yates else []
    none, note = q.chi2_cells(q.NONE), None
    if r.fisher:
        rows.append(line("Fisher's exact test", none | q.row(p=q.p(r.fisher.p))))
        if r.alternative != "two_sided":
            note = "Fisher's p is one-sided; χ² looks either way."
        if not r.fisher.exact:
            note = f"Fisher's p from {r.fisher.draws} tables drawn with the same totals."
    if r.trend:
        (z, p), why = r.trend, "one level has every event or none"
        name = f"Trend of {r.columns[r.event]} over {r.row_title} (Cochran–Armitage), z"
        rows.append(line(name, none | q.row(chi2=q.stat(z, "χ²", why), p=q.p(p, why=why))))
    return q.table("tests", "Tests of independence", rows, note=note)


def effects(r: CrosstabResults) -> TableBlock:
    """How strongly rows and columns go together."""

    def line(name: str, size: Size, ratio: bool = False, why: str | None = None) -> q.Row:
        """One measure with its interval."""
        why = NO_RATIO if ratio else why or q.HERE
        return effect(name, size, r.alpha, decimals=2 if ratio else None, why=why, head="Measure")

    rows, nan = [line("Cramér's V", r.v)], float("nan")
    if r.two:
        who = f"{r.column_title} = {r.columns[r.event]}, {r.rows[0]} against {r.rows[1]}"
        rows += [
            line("φ", Size(r.phi, nan, nan), why="given for V"),
            line(f"Odds ratio of {who}", Size(r.two.odds_ratio.estimate, *r.odds_interval), ratio=True),
            line(f"Relative risk of {who}", r.two.relative_risk, ratio=True),
            line(f"Difference of shares of {who}", r.two.risk_difference),
        ]
    for name, size in (
        (("γ (Goodman–Kruskal)", r.ordinal.gamma), ("Kendall's τ-b", r.ordinal.tau_b)) if r.ordinal else ()
    ):
        why = "no pair differs in both"
        if abs(size.estimate) == 1:
            why = "all pairs agree" if size.estimate > 0 else "no pair agrees: one rises where the other falls"
        rows.append(line(name, size, why=why))
    note = "γ and τ-b take levels in their order." if r.ordinal else None
    return q.table("effects", "How strongly?", rows, note=note)


def percents(r: CrosstabResults) -> TableBlock:
    """Shares of the column and of the whole."""
    down, total = r.counts.sum(axis=0), float(r.counts.sum())
    rows = [
        q.row(
            level=q.name(name, r.row_title), kind=q.name(kind, "Share"),
            **_over_columns(r, (q.part(float(x)) for x in r.counts[i] / below)),
        )
        for i, name in enumerate(r.rows)
        for kind, below in (("of column", down), ("of all", np.full(len(down), total)))
    ]  # fmt: skip
    return q.table("shares", "Shares of columns and of all", rows, folded=True)


def expected(r: CrosstabResults) -> TableBlock:
    """Expected counts with adjusted residuals; those beyond ±2 stand out."""

    def cell(e: float, z: float) -> q.Quantity:
        """An expected count with its residual in brackets."""
        return q.texted(e, f"{number(e, 1)} ({number(z, 1)})" if np.isfinite(z) else number(e, 1))

    rows = []
    for i, name in enumerate(r.rows):
        e, z = r.test.expected[i], r.test.adjusted_residuals[i]
        cells = _over_columns(r, (cell(float(a), float(b)) for a, b in zip(e, z, strict=True)))
        rows.append(
            q.row(
                level=q.name(name, r.row_title),
                **cells,
                **{f"r{j}": q.num(float(v), 1, None) for j, v in enumerate(z)},
            )
        )
    note = "Expected counts; in brackets adjusted residuals, beyond ±2 more or fewer than independence has."
    return q.table("expected", "Expected counts and residuals", rows, note=note, folded=True)


def layers(r: CrosstabResults) -> list[TableBlock]:
    """Each layer by itself, and all together."""
    if r.layer_counts is None:
        return []
    rows = []
    why = "one row or column is all that is left in this layer"
    for name, own, tested in zip(r.layer_names, r.layer_counts, r.layer_tests, strict=True):
        test = q.chi2_cells(tested or why)
        row = q.row(level=q.name(name, r.layer_title), n=q.count(own.sum()), **test)
        if r.two:
            (a, b), (c, d) = own[:, [r.event, 1 - r.event]]
            ratio = float(a * d / (b * c)) if b * c and a * d else float("nan")
            row["odds_ratio"] = q.num(ratio, 2, "Odds ratio", why=NO_RATIO)
        rows.append(row)
    made = [q.table("layers", f"Within each {r.layer_title}", rows)]
    title = "All layers together"
    if r.layers:
        o, lines = r.layers.odds_ratio, []
        lines.append(
            q.row(
                term=q.name("Common odds ratio, Mantel–Haenszel"), estimate=q.num(o.estimate, 2, "Estimate"),
                **q.ci(o.ci_low, o.ci_high, 2, r.alpha), **q.chi2_cells(r.layers.test),
            )
        )  # fmt: skip
        if r.layers.homogeneity:
            term = q.name("Same odds ratio in all layers, Breslow–Day")
            empty = q.row(estimate=q.blank(), ci_low=q.blank(), ci_high=q.blank(None))
            lines.append(q.row(term=term, **empty, **q.chi2_cells(r.layers.homogeneity)))
        note = "χ² with continuity correction; Breslow–Day with Tarone's correction."
        made.append(q.table("common", title, lines, note=note))
    elif r.stratified:
        line = q.row(term=q.name("Association within layers"), **q.chi2_cells(r.stratified))
        note = "Generalised Mantel–Haenszel test of any association, without continuity correction."
        made.append(q.table("common", title, [line], note=note))
    return made


def checks(r: CrosstabResults) -> list[Check]:
    """Counts large enough, levels without rows, and whether layers agree."""
    e = r.test.expected
    low = int((e < 5).sum())
    text = (
        f"{counted(low, f'of {e.size} expected count lies', f'of {e.size} expected counts lie')}"
        f" below 5, the smallest is {number(float(e.min()), 1)}."
    )
    verdict, remedies = Verdict.holds, []
    if r.small and r.fisher:
        verdict, text = Verdict.doubtful, f"{text} χ² is not to be relied on here; Fisher's exact test stands in."
    elif r.small:
        verdict, text = Verdict.fails, f"{text} χ² is not to be relied on."
        remedies = [Remedy(label="Use Fisher's exact test", spec={"exact": "auto"})]
    facts = {"expected_min": float(e.min()), "expected_below_5": float(low)}
    found = [
        Check(id="expected", title="Large enough counts", verdict=verdict, text=text, facts=facts, remedies=remedies)
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
        text = f"Left out because no row has them: {listing(r.dropped)}."
        found.append(Check(id="dropped", title="Levels without rows", verdict=Verdict.doubtful, text=text))
    if r.layers and r.layers.homogeneity:
        p = r.layers.homogeneity.p
        verdict, says = Verdict.holds, "one odds ratio can speak for all layers."
        if p < 0.05:
            verdict, says = Verdict.fails, "layers differ, and one odds ratio does not speak for all of them."
        title, text = "Same odds ratio in every layer", f"Breslow–Day p {p_words(p)}: {says}"
        found.append(Check(id="homogeneity", title=title, verdict=verdict, text=text, facts={"breslow_day.p": p}))
    return found


def facts(r: CrosstabResults) -> dict[str, Any]:
    """Numbers by name."""
    pearson, likelihood = r.test.pearson, r.test.likelihood
    out: dict[str, Any] = {
        "p": r.p, "n": int(r.counts.sum()), "chi2": pearson.chi2, "chi2.df": pearson.df, "chi2.p": pearson.p,
        "event": r.columns[r.event], "likelihood.chi2": likelihood.chi2, "likelihood.p": likelihood.p,
        "cramer_v": r.v.estimate, "estimate": r.v.estimate,
    }  # fmt: skip
    if r.test.yates:
        out |= {"yates.chi2": r.test.yates.chi2, "yates.p": r.test.yates.p}
    if r.fisher:
        out["fisher.p"] = r.fisher.p
    if r.two:
        (low, high), risk = r.odds_interval, r.two.relative_risk
        out |= {
            "odds_ratio": r.two.odds_ratio.estimate,
            "odds_ratio.ci_low": low,
            "odds_ratio.ci_high": high,
            "phi": r.phi,
        }
        out |= {
            "relative_risk": risk.estimate,
            "relative_risk.ci_low": risk.ci_low,
            "relative_risk.ci_high": risk.ci_high,
        }
    if r.ordinal:
        out |= {"gamma": r.ordinal.gamma.estimate, "tau_b": r.ordinal.tau_b.estimate}
    if r.trend:
        out |= {"trend.z": r.trend[0], "trend.p": r.trend[1]}
    if r.stratified and not r.layers:
        out |= {"common.chi2": r.stratified.chi2, "common.df": r.stratified.df, "common.p": r.stratified.p}
    if r.layers:
        o, t, h = r.layers.odds_ratio, r.layers.test, r.layers.homogeneity
        out |= {"common.odds_ratio": o.estimate, "common.ci_low": o.ci_low, "common.ci_high": o.ci_high}
        out |= {"common.chi2": t.chi2, "common.p": t.p}
        out |= {"breslow_day.chi2": h.chi2, "breslow_day.p": h.p} if h else {}
    return out
