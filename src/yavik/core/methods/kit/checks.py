"""Checks beside a comparison of groups: may the answer be relied on, and what to do if not."""

from collections.abc import Sequence
from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, grouped, listing, number, p_bare, p_words, significant, them
from yavik.core.figures.data import Grouped
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.normality import MOST_SHAPIRO, w_of
from yavik.core.stats.oneway import FTest
from yavik.core.stats.spread import bartlett
from yavik.core.table import Kind, Table, rows_in_words


def equal_spread(
    data: Grouped, by_median: FTest, by_mean: FTest, test: str, remedy: dict[str, Any] | None = None
) -> Check:
    """``test``: anova (assumes equal spread), welch (does not), or kruskal_wallis (ranks)."""
    g = data.groups
    if not (np.isfinite(by_median.p) and np.isfinite(by_mean.p)):
        text = "Levene's test cannot be computed: within each group all values lie equally far from the middle."
        return Check(id="equal_spread", title="Equal spread", verdict=Verdict.unknown, text=text)
    sd = np.sqrt(g.variances)
    known = np.flatnonzero(~np.isnan(sd))
    high, low = known[np.argmax(sd[known])], known[np.argmin(sd[known])]
    ratio = float(sd[high] / sd[low]) if sd[low] > 0 else np.inf
    p = by_median.p
    verdict = Verdict.holds if p >= 0.05 else Verdict.fails if p < 0.01 or ratio > 2 else Verdict.doubtful
    if verdict is Verdict.holds and ratio > 2:
        verdict = Verdict.doubtful  # too few values for Levene to see what the eye sees
    size = (
        f"The SD in {g.names[high]} is {number(ratio, 1)} times that in {g.names[low]}."
        if np.isfinite(ratio)
        else f"{g.names[low]} has no spread at all."
    )
    text = f"Levene's test about the medians gives p {p_words(p)}, about the means p {p_words(by_mean.p)}. {size}"
    remedies = []
    if test == "anova" and verdict is not Verdict.holds:
        text += " The chosen test assumes equal spread."
        remedies.append(Remedy(label="Use Welch's test", spec=remedy or {"test": "welch", "pairs": "auto"}))
    elif test == "welch":
        text += " Welch's test does not need equal spread."
    elif test == "kruskal_wallis" and verdict is not Verdict.holds:
        text += " With unequal spread ranks compare more than the middle of the groups."
    facts = {
        "levene_median.f": by_median.f,
        "levene_median.p": p,
        "levene_mean.f": by_mean.f,
        "levene_mean.p": by_mean.p,
    }
    if np.isfinite(ratio):
        facts["sd_ratio"] = ratio
    return Check(id="equal_spread", title="Equal spread", verdict=verdict, text=text, facts=facts, remedies=remedies)


def spread_of_known(n: Floats, variances: Floats, names: tuple[str, ...], test: str) -> Check:
    """Equal spread from n and SD alone, by Bartlett's test."""
    found = bartlett(n, variances)
    verdict = Verdict.holds if found.p >= 0.05 else Verdict.fails if found.p < 0.01 else Verdict.doubtful
    high, low = int(np.argmax(variances)), int(np.argmin(variances))
    ratio = float(np.sqrt(variances[high] / variances[low]))
    text = (
        f"Bartlett's test, for normal values, gives p {p_words(found.p)}. The SD in {names[high]} is"
        f" {number(ratio, 1)} times that in {names[low]}."
    )
    remedies = []
    if test == "anova" and verdict is not Verdict.holds:
        text += " The chosen test assumes equal spread."
        remedies = [Remedy(label="Use Welch's test", spec={"test": "welch", "pairs": "auto"})]
    facts = {"bartlett.p": found.p, "sd_ratio": ratio}
    return Check(id="equal_spread", title="Equal spread", verdict=verdict, text=text, facts=facts, remedies=remedies)


def shapiro(g: Groups) -> list[tuple[float, float] | str]:
    """Shapiro–Wilk's W and p per group, or why there is none."""
    out: list[tuple[float, float] | str] = []
    for i in range(g.k):
        part = g.part(i)
        if len(part) < 3:
            out.append("needs three values")
        elif len(part) > MOST_SHAPIRO:
            out.append("more than 5 000 values")
        elif g.ss[i] == 0:
            out.append("all values are the same")
        else:
            out.append(w_of(part))
    return out


def normal_within(
    data: Grouped, results: list[tuple[float, float] | str], test: str, remedy: dict[str, Any] | None = None
) -> Check:
    """Shapiro–Wilk within each group; groups that it cannot judge are named."""
    g = data.groups
    known = [(i, r) for i, r in enumerate(results) if not isinstance(r, str)]
    base: dict[str, Any] = {"id": "normal", "title": "Normal within groups"}
    if not known:
        why = next(r for r in results if isinstance(r, str))
        large = why.startswith("more")
        text = (
            "With more than 5 000 values in a group the test would call any trifle a departure; means of so many"
            " values are close to normal whatever the values are."
            if large
            else f"Shapiro–Wilk cannot be computed: {why}."
        )
        return Check(**base, verdict=Verdict.holds if large else Verdict.unknown, text=text)
    worst = min((r for _, r in known), key=lambda r: r[1])
    ps = np.array([r[1] for _, r in known])
    low = [g.names[i] for i, r in known if r[1] < 0.05]
    small = int(min(g.n[i] for i, r in known if r[1] < 0.05)) if low else 0
    if not low:
        verdict, text = (
            Verdict.holds,
            (
                f"Shapiro–Wilk p ≥ {p_bare(float(ps.min()))} in"
                f" {'all ' if len(known) > 1 else ''}{counted(len(known), 'group')}."
            ),
        )
        if ps.min() > 0.999:
            text = "Shapiro–Wilk finds no departure."
    else:
        strong = worst[1] < 0.001 and small < 30
        verdict = Verdict.fails if strong else Verdict.doubtful
        text = f"Shapiro–Wilk finds a departure in {listing(low)} (lowest p {p_words(worst[1])})."
        text += " With thirty or more rows a group means stand this well." if small >= 30 else ""
    unknown = [g.names[i] for i, r in enumerate(results) if isinstance(r, str)]
    if unknown:
        text += f" Not judged: {listing(unknown)}."
    remedies = (
        [Remedy(label="Compare ranks instead", spec=remedy or {"test": "kruskal_wallis", "pairs": "auto"})]
        if low and test != "kruskal_wallis"
        else []
    )
    if test == "kruskal_wallis":
        text += " The chosen test does not need it."
    facts = {"shapiro.p_lowest": float(ps.min()), "shapiro.w_lowest": worst[0]}
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def outlying(
    data: Grouped,
    p_without: float | None,
    p_now: float,
    alpha: float,
    where: str | None,
    side_by_side: bool,
    pairs_changed: Sequence[str] = (),
) -> Check:
    """``p_without``: of the very test shown; ``pairs_changed``: pairs whose conclusion is another one without
    them."""
    g = data.groups
    rows = g.rows[g.outlying]
    base: dict[str, Any] = {"id": "outlying", "title": "Outlying values"}
    if not len(rows):
        return Check(
            **base,
            verdict=Verdict.holds,
            text="No value lies more than 1.5 interquartile ranges outside its group's quartiles.",
            facts={"outlying.n": 0},
        )
    order = np.argsort(rows, kind="stable")
    values = g.y[g.outlying][order]
    group_of = np.searchsorted(g.starts, np.flatnonzero(g.outlying), "right") - 1
    in_groups = listing(
        [f"{grouped(int(np.sum(group_of == i)))} in {g.names[i]}" for i in dict.fromkeys(group_of.tolist())], 4
    )
    same = p_without is not None and (p_without < alpha) == (p_now < alpha) and not pairs_changed
    rows = rows[order]
    text = f"{counted(len(rows), 'value')} beyond 1.5 interquartile ranges: {in_groups}"
    if len(rows) <= 6:
        text += f" ({rows_in_words(rows.tolist())}: {listing([number(float(v), data.decimals) for v in values], 6)})"
    text += "."
    facts = {"outlying.n": float(len(rows))}
    if p_without is None:
        text += f" Without {them(len(rows))} the test cannot be computed."
    else:
        stays = (p_without < alpha) == (p_now < alpha)
        text += f" Without {them(len(rows))} p {p_words(p_without)}: the conclusion {'stays' if stays else 'changes'}"
        text += f", but not for {listing(list(pairs_changed), 4)}." if stays and pairs_changed else "."
        facts["outlying.p_without"] = p_without
    expected = len(g.y) > 0 and len(rows) / len(g.y) < 0.01 and len(g.y) > 300 and same
    verdict = Verdict.holds if expected else Verdict.doubtful if same else Verdict.fails
    remedies = [Remedy(label="Show the rows", rows=rows[:200].tolist())]
    if len(rows) <= 40 and not side_by_side:  # side by side, a row holds other samples' values too
        remedies += leave_out(rows.tolist(), where)
    return Check(**base, verdict=verdict, text=text, facts=facts, remedies=remedies)


def leave_out(rows: list[int], where: str | None) -> list[Remedy]:
    """Two ways to answer without some rows: beside the answer with them, or in its place."""
    leave = f"row not in ({', '.join(str(int(r)) for r in rows)}{',' if len(rows) == 1 else ''})"
    return [
        Remedy(label=f"Compare without {them(len(rows))}", spec={"without": [int(r) for r in rows]}),
        Remedy(
            label=f"Leave {them(len(rows))} out",
            spec={"where": f"({where}) and {leave}" if where else leave, "without": []},
        ),
    ]


def independent(table: Table, used: np.ndarray[Any, Any], side_by_side: bool) -> Check:
    """Whether an identifier repeats among the rows used."""
    base: dict[str, Any] = {"id": "independent", "title": "Independent rows"}
    for column in table.columns:
        if column.kind is not Kind.identifier or side_by_side:
            continue
        names = [n for n in table.array(column.name).to_pylist() if n is not None]
        extra = len(names) - len(set(names))
        if extra:
            text = (
                f"{column.title} repeats: {counted(extra, 'row')} more than there are different ones. Rows of one"
                f" {column.title} are not independent."
            )
            return Check(**base, verdict=Verdict.doubtful, text=text, facts={"repeated": float(extra)})
        return Check(
            **base, verdict=Verdict.holds, text=f"No repeated {column.title} among the {counted(len(names), 'row')}."
        )
    return Check(
        **base,
        verdict=Verdict.unknown,
        text="No identifier column tells whether rows belong together; you know how they were taken.",
    )


def group_sizes(data: Grouped, note: str | None) -> Check:
    """Whether some group is too small, or sizes are too far apart; ``note`` says what could not be computed."""
    g = data.groups
    low, high = int(g.n.min()), int(g.n.max())
    if note:
        return Check(id="group_sizes", title="Group sizes", verdict=Verdict.fails, text=note)
    smallest = g.names[int(np.argmin(g.n))]
    if low < 5:
        verdict, text = (
            Verdict.doubtful,
            f"{smallest} has only {counted(low, 'value')}: its mean and spread are poorly known.",
        )
    elif high > 4 * low:
        verdict, text = (
            Verdict.doubtful,
            (
                f"The largest group has {significant(high / low, 2)} times as many values as the smallest ({high} and"
                f" {low})."
            ),
        )
    else:
        verdict, text = (
            Verdict.holds,
            (
                f"{counted(low, 'value')} in each group."
                if low == high
                else f"{grouped(low)} to {counted(high, 'value')} a group."
            ),
        )
    if data.dropped:
        text += f" Without values and left out: {listing(data.dropped)}."
    return Check(
        id="group_sizes", title="Group sizes", verdict=verdict, text=text, facts={"n_min": low, "n_max": high}
    )
