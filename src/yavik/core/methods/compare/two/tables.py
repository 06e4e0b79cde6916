"""Tables and facts of a comparison of two groups."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, NoteBlock, Remedy, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import finer, level_words, number, p_words
from yavik.core.methods.compare.two.compute import TwoResults
from yavik.core.methods.compare.two.spec import TEST_WORDS
from yavik.core.methods.kit.analysis import effect
from yavik.core.methods.kit.claims import at_alpha
from yavik.core.stats.effect_sizes import Size
from yavik.core.stats.oneway import FTest
from yavik.core.stats.two import TTest

ONE = "one value has no spread"


def groups(r: TwoResults, means: tuple[float, float]) -> TableBlock:
    """n, mean, SD and the mean's interval of each group."""
    k, rows, ranks = r.known, [], r.test == "mann_whitney"
    fine = max(finer(k.decimals, max(map(abs, means))), r.printed)
    for i, (name, s) in enumerate(zip(k.names, (k.a, k.b), strict=True)):
        sd, reach = float(np.sqrt(s.variance)), float(r.reach[i])
        row = q.row(
            group=q.name(name, k.group), n=q.count(s.n), mean=q.num(means[i], fine, "Mean"),
            sd=q.num(sd, fine, "SD", why=ONE), **q.ci(means[i] - reach, means[i] + reach, fine, r.alpha, why=ONE),
        )  # fmt: skip
        if r.data is not None:
            median = float(r.data.groups.quartiles[i, 1])
            row["median"] = q.num(median, k.decimals, "Median" if ranks else None)
        if r.ranks:
            row["rank_sum"] = q.num((r.ranks.rank_sum_a, r.ranks.rank_sum_b)[i], 1, "Rank sum" if ranks else None)
        rows.append(row)
    title = r.data.value_axis if r.data and r.data.value != "Value" else "The samples"
    return q.table("groups", title, rows, unit=k.unit or "")


def all_tables(r: TwoResults, by_median: FTest | None, by_mean: FTest | None) -> list[Any]:
    """What stands below the groups, in order."""
    return [test(r), effects(r), conclusions(r), variances(r, by_median, by_mean), same_thing(r)]


def test(r: TwoResults) -> TableBlock:
    """The test that was asked for, with the difference that it is about."""
    k, d = r.known, r.printed
    pair = q.name(f"{k.names[0]} − {k.names[1]}")
    if r.test == "mann_whitney" and r.ranks and r.shift:
        how = "p counts every division of the ranks."
        if not r.ranks.exact:
            how = f"p from the normal distribution{', corrected for ties' if r.ranks.ties else ''}."
        row = q.row(
            pair=pair, difference=q.est(r.shift[0], d, "Shift", k.unit),
            **q.ci(*r.shift[1:], d, r.alpha, why="too few values"),
            u=q.num(min(r.ranks.u, r.ranks.u_other), 1, "U", role="statistic"),
            z=q.stat(r.ranks.z, "z", "no spread of ranks"), p=q.p(r.ranks.p),
        )  # fmt: skip
        return q.table("test", "Test of equal ranks", [row], note=f"Shift: median of all differences. {how}")
    t, permuted = r.main, r.permuted if r.test == "permutation" else None
    row = q.row(
        pair=pair, difference=q.est(t.difference, d, "Difference", k.unit), se=q.num(t.se, d + 1, "SE"),
        **q.ci(*(r.ends if permuted else (t.ci_low, t.ci_high)), d, r.alpha, why="too few values"),
        **q.t_cells(t, lowered="W" if r.test == "welch" else ""),
    )  # fmt: skip
    note = None if not r.null else f"t and p are for a difference of {number(r.null, d)}."
    if permuted:
        row |= q.row(t=row["t"].under(None), df=row["df"].under(None), p=q.p(permuted.p))
        by = "Student" if isinstance(r.welch, str) else "Welch"
        how = f"all {permuted.draws}" if permuted.exact else f"{permuted.draws} random"
        note = f"p from {how} divisions of the values; "
        note += f"interval by the same divisions, SE by {by}." if permuted.ends else f"SE and interval by {by}."
    return q.table("test", "Test of equal means", [row], note=note)


def effects(r: TwoResults) -> TableBlock:
    """How large the difference is, in standard deviations and as a chance."""
    none, apart = "no pooled spread", "the groups do not overlap"
    rows = [
        effect("Cohen's d, difference in pooled SDs", r.d, r.alpha, why=none),
        effect("Hedges' g, the same without its small-sample bias", r.g, r.alpha, why=none),
    ]
    if r.superiority:
        s = r.superiority
        correlation = Size(2 * s.estimate - 1, 2 * s.ci_low - 1, 2 * s.ci_high - 1)
        chance = f"Chance that a value of {r.known.names[0]} is the larger"
        rows.append(effect(chance, s, r.alpha, decimals=None, why_ci=apart))
        rows.append(effect("Rank-biserial correlation", correlation, r.alpha, decimals=None, why_ci=apart))
    if r.test == "mann_whitney":  # what ranks are about comes first
        rows = [*rows[2:][::-1], *rows[:2]]
    return q.table("effects", "How large is it?", rows, note="Ties count half in the chance of a larger value.")


def conclusions(r: TwoResults) -> TableBlock:
    """The same question by every test there is, and what each says."""

    def line(name: str, statistic: float, df: float, p: float, why: str = "has none") -> q.Row:
        """One test with what it says at α."""
        return q.row(
            term=q.name(name, "Test"), statistic=q.stat(statistic, "t or z", why), df=q.df(df, why=why),
            p=q.p(p, why=why), said=at_alpha(p, r.alpha, why=why),
        )  # fmt: skip

    rows, nan = [], float("nan")
    for name, t in (("Student", r.student), ("Welch", r.welch)):
        rows.append(line(name, nan, nan, nan, t) if isinstance(t, str) else line(f"{name}'s t", t.t, t.df, t.p))
    if r.ranks:
        rows.append(line("Rank sums, z", r.ranks.z, nan, r.ranks.p))
        rows[-1]["statistic"] = q.stat(r.ranks.z, "t or z", "exact")
    if r.permuted:
        rows.append(line("Permutation", nan, nan, r.permuted.p))
    return q.table("tests", "The same question by other tests", rows, folded=True)


def variances(r: TwoResults, by_median: FTest | None, by_mean: FTest | None) -> TableBlock:
    """Tests of equal spread."""
    f, note = r.variance_ratio, "Variances can be compared only where both groups have spread."
    rows = [
        q.row(term=q.name(name, "Test of equal spread"), **q.f_cells(t, why="a group has no spread"))
        for name, t in (
            ("F ratio of variances", f), ("Levene, about means", by_mean), ("Levene, about medians", by_median),
        )
        if t
    ]  # fmt: skip
    if f:
        note = (
            f"Ratio of the SDs {number(f.sd_ratio, 2)} ({level_words(r.alpha)} CI {number(f.ci_low, 2)} to"
            f" {number(f.ci_high, 2)}, for normal values)."
        )
    return q.table("variances", "Spread of the two groups", rows, note=note, folded=True)


def spread_check(r: TwoResults) -> Check:
    """Equal spread from summaries alone, by the F ratio."""
    f = r.variance_ratio
    base: dict[str, Any] = {"id": "equal_spread", "title": "Equal spread"}
    if f is None:
        text = "A sample without spread cannot be compared with the other."
        return Check(**base, verdict=Verdict.unknown, text=text)
    verdict = Verdict.holds if f.p >= 0.05 else Verdict.fails if f.p < 0.01 else Verdict.doubtful
    size = number(max(f.sd_ratio, 1 / f.sd_ratio), 1)
    text = f"The F ratio of variances gives p {p_words(f.p)}; the SDs stand as {size} to 1."
    remedies = []
    if r.test == "student" and verdict is not Verdict.holds:
        text += " Student's t assumes equal spread."
        remedies = [Remedy(label="Use Welch's test", spec={"test": "welch"})]
    return Check(**base, verdict=verdict, text=text, facts={"f_ratio.p": f.p}, remedies=remedies)


def same_thing(r: TwoResults) -> NoteBlock | None:
    """Student's test in its other clothes."""
    if r.test != "student" or r.null or isinstance(r.student, str):
        return None
    t, (a, b) = r.student, r.known.names
    correlation = number(float(t.t / np.sqrt(t.t**2 + t.df)), 2)
    text = (
        f"This is one test under three names: the point-biserial correlation of the values with {a} against {b} is"
        f" {correlation}, and the slope of a regression on 0 for {b} and 1 for {a} is"
        f" {number(t.difference, r.printed)}; both have the same t, df and p."
    )
    return NoteBlock(id="same", text=text)


def facts(r: TwoResults) -> dict[str, Any]:
    """Numbers by name."""
    k = r.known
    n = {"n": int(k.a.n + k.b.n), "n.first": int(k.a.n), "n.second": int(k.b.n)}
    out: dict[str, Any] = {"test": r.test, "test_words": TEST_WORDS[r.test], "p": r.p, **n}
    for name, t in (("student", r.student), ("welch", r.welch)):
        if isinstance(t, TTest):
            out |= {f"{name}.{key}": getattr(t, key) for key in ("t", "df", "p", "ci_low", "ci_high")}
            out["difference"], out["estimate"] = t.difference, t.difference
    if r.ranks:
        out |= {"mann_whitney.u": r.ranks.u, "mann_whitney.z": r.ranks.z, "mann_whitney.p": r.ranks.p}
    if r.shift:
        out |= {"shift": r.shift[0], "shift.ci_low": r.shift[1], "shift.ci_high": r.shift[2], "estimate": r.shift[0]}
    if r.permuted:
        low, high = r.ends
        out |= {"permutation.p": r.permuted.p, "permutation.draws": r.permuted.draws}
        out |= {"permutation.ci_low": low, "permutation.ci_high": high}
    f = r.variance_ratio
    if f:
        out |= {"f_ratio.f": f.f, "f_ratio.p": f.p, "sd_ratio": f.sd_ratio}
    out |= {"cohen_d": r.d.estimate, "hedges_g": r.g.estimate}
    return out | ({"superiority": r.superiority.estimate} if r.superiority else {})
