"""Tables and facts of a comparison of two groups."""

from typing import Any

import numpy as np

from yavik.core.answers import Cell, Check, NoteBlock, Remedy, TableBlock, Verdict
from yavik.core.answers.make import ci_cells, ci_head, grid, share_cell, share_ci
from yavik.core.answers.wording import (
    df_cell,
    finer,
    level_words,
    missing,
    num,
    number,
    p_cell,
    p_words,
    stat,
    whole,
    word,
)
from yavik.core.methods.compare.two.compute import TwoResults
from yavik.core.methods.compare.two.spec import TEST_WORDS
from yavik.core.stats.direction import t_interval
from yavik.core.stats.oneway import FTest
from yavik.core.stats.spread import RatioTest, f_ratio
from yavik.core.stats.two import TTest

ONE = "one value has no spread"


def groups(r: TwoResults, means: tuple[float, float]) -> TableBlock:
    k, rows = r.known, []
    fine = max(finer(k.decimals, max(map(abs, means))), r.printed)
    for i, (name, s) in enumerate(zip(k.names, (k.a, k.b), strict=True)):
        sd = float(np.sqrt(s.variance))
        low, high = (
            t_interval(means[i], sd / np.sqrt(s.n), s.n - 1, r.alpha, "two_sided") if s.n > 1 else (np.nan, np.nan)
        )
        row = {
            "group": word(name),
            "n": whole(int(s.n)),
            "mean": num(means[i], fine),
            "sd": num(sd, fine, ONE),
            **ci_cells(low, high, fine, ONE),
        }
        if r.data is not None:
            row["median"] = num(float(r.data.groups.quartiles[i, 1]), k.decimals)
        if r.ranks:
            row["rank_sum"] = num((r.ranks.rank_sum_a, r.ranks.rank_sum_b)[i], 1)
        rows.append(row)
    columns = [("group", f"{k.group}<"), ("n", "n"), ("mean", "Mean"), ("sd", "SD"), ci_head(r.alpha)]
    if r.test == "mann_whitney":
        columns += [("median", "Median"), ("rank_sum", "Rank sum")]
    title = r.data.value_axis if r.data and r.data.value != "Value" else "The samples"
    return grid("groups", title, columns, rows)


def all_tables(r: TwoResults, by_median: FTest | None, by_mean: FTest | None) -> list[Any]:
    return [test(r), effects(r), conclusions(r), variances(r, by_median, by_mean), same_thing(r)]


def _t_cells(t: TTest, d: int) -> dict[str, Cell]:
    return {
        "difference": num(t.difference, d),
        "se": num(t.se, d + 1),
        **ci_cells(t.ci_low, t.ci_high, d),
        "t": stat(t.t),
        "df": df_cell(t.df),
        "p": p_cell(t.p),
    }


def test(r: TwoResults) -> TableBlock:
    k = r.known
    d = r.printed
    between = f"{k.names[0]} − {k.names[1]}"
    unit = f" ({k.unit})" if k.unit else ""
    if r.test == "mann_whitney" and r.ranks and r.shift:
        row = {
            "pair": word(between),
            "difference": num(r.shift[0], d),
            **ci_cells(r.shift[1], r.shift[2], d, "too few values"),
            "u": num(min(r.ranks.u, r.ranks.u_other), 1),
            "z": stat(r.ranks.z, "no spread of ranks"),
            "p": p_cell(r.ranks.p),
        }
        columns = [
            ("pair", "<"),
            ("difference", f"Shift{unit}"),
            ci_head(r.alpha),
            ("u", "U"),
            ("z", "z"),
            ("p", "p"),
        ]
        how = (
            "p counts every division of the ranks."
            if r.ranks.exact
            else f"p from the normal distribution{', corrected for ties' if r.ranks.ties else ''}."
        )
        return grid("test", "Test of equal ranks", columns, [row], note=f"Shift: median of all differences. {how}")
    row = {"pair": word(between), **_t_cells(r.main, d)}
    columns = [
        ("pair", "<"),
        ("difference", f"Difference{unit}"),
        ("se", "SE"),
        ci_head(r.alpha),
        ("t", "t"),
        ("df", "df"),
        ("p", "p"),
    ]
    note = None if not r.null else f"t and p are for a difference of {number(r.null, d)}."
    if r.test == "permutation" and r.permuted:
        row["p"] = p_cell(r.permuted.p)
        columns = [c for c in columns if c[0] not in ("t", "df")]
        row |= ci_cells(*r.ends, d, "too few values")
        by = "Student" if isinstance(r.welch, str) else "Welch"
        how = f"all {r.permuted.draws}" if r.permuted.exact else f"{r.permuted.draws} random"
        note = f"p from {how} divisions of the values; "
        note += f"interval by the same divisions, SE by {by}." if r.permuted.ends else f"SE and interval by {by}."
    return grid("test", "Test of equal means", columns, [row], note=note)


def effects(r: TwoResults) -> TableBlock:
    rows = [
        {
            "term": word("Cohen's d, difference in pooled SDs"),
            "estimate": num(r.d.estimate, 2, "no pooled spread"),
            **ci_cells(r.d.ci_low, r.d.ci_high, 2, "no pooled spread"),
        },
        {
            "term": word("Hedges' g, the same without its small-sample bias"),
            "estimate": num(r.g.estimate, 2, "no pooled spread"),
            **ci_cells(r.g.ci_low, r.g.ci_high, 2, "no pooled spread"),
        },
    ]
    if r.superiority:
        s = r.superiority
        why = "the groups do not overlap"
        rows += [
            {
                "term": word(f"Chance that a value of {r.known.names[0]} is the larger"),
                "estimate": share_cell(s.estimate),
                **share_ci(s.ci_low, s.ci_high, why),
            },
            {
                "term": word("Rank-biserial correlation"),
                "estimate": share_cell(2 * s.estimate - 1),
                **share_ci(2 * s.ci_low - 1, 2 * s.ci_high - 1, why),
            },
        ]
    if r.test == "mann_whitney":  # what ranks are about comes first
        rows = [*rows[2:][::-1], *rows[:2]]
    columns = [("term", "Effect size<"), ("estimate", "Estimate"), ci_head(r.alpha)]
    return grid("effects", "How large is it?", columns, rows, note="Ties count half in the chance of a larger value.")


def conclusions(r: TwoResults) -> TableBlock:
    rows = []
    for name, t in (("Student", r.student), ("Welch", r.welch)):
        if isinstance(t, str):
            rows.append(
                {"term": word(name), "statistic": missing(t), "df": missing(t), "p": missing(t), "said": missing(t)}
            )
        else:
            rows.append(
                {
                    "term": word(f"{name}'s t"),
                    "statistic": stat(t.t),
                    "df": df_cell(t.df),
                    "p": p_cell(t.p),
                    "said": _said(t.p, r),
                }
            )
    if r.ranks:
        rows.append(
            {
                "term": word("Rank sums, z"),
                "statistic": stat(r.ranks.z, "exact"),
                "df": missing("has none"),
                "p": p_cell(r.ranks.p),
                "said": _said(r.ranks.p, r),
            }
        )
    if r.permuted:
        rows.append(
            {
                "term": word("Permutation"),
                "statistic": missing("has none"),
                "df": missing("has none"),
                "p": p_cell(r.permuted.p),
                "said": _said(r.permuted.p, r),
            }
        )
    columns = [("term", "Test<"), ("statistic", "t or z"), ("df", "df"), ("p", "p"), ("said", "At this α")]
    return grid("tests", "The same question by other tests", columns, rows, folded=True)


def _said(p: float, r: TwoResults) -> Cell:
    return word("differ" if p < r.alpha else "no evidence")


def ratio(r: TwoResults) -> RatioTest | None:
    k = r.known
    if min(k.a.n, k.b.n) < 2 or min(k.a.variance, k.b.variance) <= 0:
        return None
    return f_ratio(k.a.variance, k.b.variance, k.a.n, k.b.n, 1.0, r.alpha, "two_sided")


def variances(r: TwoResults, by_median: FTest | None, by_mean: FTest | None) -> TableBlock:
    f = ratio(r)
    none = "a group has no spread"
    rows = []
    if f:
        rows.append(
            {
                "term": word("F ratio of variances"),
                "f": stat(f.f),
                "df1": df_cell(f.df1),
                "df2": df_cell(f.df2),
                "p": p_cell(f.p),
            }
        )
    for name, t in (("Levene, about means", by_mean), ("Levene, about medians", by_median)):
        if t:
            rows.append(
                {
                    "term": word(name),
                    "f": stat(t.f, none),
                    "df1": df_cell(t.df1),
                    "df2": df_cell(t.df2),
                    "p": p_cell(t.p, none),
                }
            )
    note = "Variances can be compared only where both groups have spread."
    if f:
        note = (
            f"Ratio of the SDs {number(f.sd_ratio, 2)} ({level_words(r.alpha)} CI {number(f.ci_low, 2)} to"
            f" {number(f.ci_high, 2)}, for normal values)."
        )
    columns = [("term", "Test of equal spread<"), ("f", "F"), ("df1", "df"), ("df2", "df of error"), ("p", "p")]
    return grid("variances", "Spread of the two groups", columns, rows, note=note, folded=True)


def spread_check(r: TwoResults) -> Check:
    """Equal spread from summaries alone, by the F ratio."""
    f = ratio(r)
    base: dict[str, Any] = {"id": "equal_spread", "title": "Equal spread"}
    if f is None:
        return Check(
            **base, verdict=Verdict.unknown, text="A sample without spread cannot be compared with the other."
        )
    verdict = Verdict.holds if f.p >= 0.05 else Verdict.fails if f.p < 0.01 else Verdict.doubtful
    text = (
        f"The F ratio of variances gives p {p_words(f.p)}; the SDs stand as"
        f" {number(max(f.sd_ratio, 1 / f.sd_ratio), 1)} to 1."
    )
    remedies = []
    if r.test == "student" and verdict is not Verdict.holds:
        text += " Student's t assumes equal spread."
        remedies = [Remedy(label="Use Welch's test", spec={"test": "welch"})]
    return Check(**base, verdict=verdict, text=text, facts={"f_ratio.p": f.p}, remedies=remedies)


def same_thing(r: TwoResults) -> NoteBlock | None:
    """Student's test in its other clothes."""
    if r.test != "student" or r.null or isinstance(r.student, str):
        return None
    t = r.student
    correlation = t.t / np.sqrt(t.t**2 + t.df)
    d = r.printed
    return NoteBlock(
        id="same",
        text=(
            "This is one test under three names: the point-biserial correlation of the values with"
            f" {r.known.names[0]} against {r.known.names[1]} is {number(float(correlation), 2)}, and the slope of a"
            f" regression on 0 for {r.known.names[1]} and 1 for {r.known.names[0]} is {number(t.difference, d)}; both"
            " have the same t, df and p."
        ),
    )


def facts(r: TwoResults) -> dict[str, Any]:
    k = r.known
    out: dict[str, Any] = {
        "test": r.test,
        "test_words": TEST_WORDS[r.test],
        "p": r.p,
        "n": int(k.a.n + k.b.n),
        "n.first": int(k.a.n),
        "n.second": int(k.b.n),
    }
    for name, t in (("student", r.student), ("welch", r.welch)):
        if isinstance(t, TTest):
            out |= {
                f"{name}.t": t.t,
                f"{name}.df": t.df,
                f"{name}.p": t.p,
                f"{name}.ci_low": t.ci_low,
                f"{name}.ci_high": t.ci_high,
            }
            out["difference"], out["estimate"] = t.difference, t.difference
    if r.ranks:
        out |= {"mann_whitney.u": r.ranks.u, "mann_whitney.z": r.ranks.z, "mann_whitney.p": r.ranks.p}
    if r.shift:
        out |= {"shift": r.shift[0], "shift.ci_low": r.shift[1], "shift.ci_high": r.shift[2], "estimate": r.shift[0]}
    if r.permuted:
        low, high = r.ends
        out |= {"permutation.p": r.permuted.p, "permutation.draws": r.permuted.draws}
        out |= {"permutation.ci_low": low, "permutation.ci_high": high}
    f = ratio(r)
    if f:
        out |= {"f_ratio.f": f.f, "f_ratio.p": f.p, "sd_ratio": f.sd_ratio}
    out |= {"cohen_d": r.d.estimate, "hedges_g": r.g.estimate}
    if r.superiority:
        out["superiority"] = r.superiority.estimate
    return out
