"""Rows that many answers have: sources of variation, and effect sizes with their intervals."""

from yavik.core.answers import quantities as q
from yavik.core.stats.effect_sizes import Size


def source(
    term: str, ss: float, df: float, decimals: int, *, ms: float | None = None, test: q.F | None = None,
    p: float | None = None,
    partial: float | None = None, sizes: bool = True, why: str = q.HERE, tested: bool = False,
) -> q.Row:  # fmt: skip
    """One source of variation.

    Args:
        ms: its mean square; None for one that has none, as the total.
        tested: whether F and p are expected, so that a dash says why there are none.
        p: in the place of the test's own, as from divisions of the values.
        partial: its partial η²; ``sizes`` says whether the table has that column.
    """
    nothing = q.blank("F", "statistic"), q.blank("p", "p")
    value = p if p is not None else test.p if test else float("nan")
    f, own = (q.stat(test.f if test else float("nan"), "F", why), q.p(value, why=why)) if tested else nothing
    cells = q.row(
        term=q.name(term, "Source"), ss=q.num(ss, decimals, "Sum of squares"), df=q.df(df),
        ms=q.blank("Mean square") if ms is None else q.num(ms, decimals, "Mean square", why=why), f=f, p=own,
    )  # fmt: skip
    if sizes:
        cells["partial_eta2"] = q.blank("Partial η²") if partial is None else q.size(partial, "Partial η²", why)
    return cells


def effect(
    term: str, size: Size, alpha: float, *, decimals: int | None = 2, why: str = q.HERE, why_ci: str | None = None,
    head: str = "Effect size",
) -> q.Row:  # fmt: skip
    """One effect size with its interval.

    Args:
        decimals: None for a size between −1 and 1, which has no leading zero.
        why, why_ci: stand where the size, or only its interval, cannot be had.
    """
    ends, none = (size.ci_low, size.ci_high), why if why_ci is None else why_ci
    if decimals is None:
        return q.row(term=q.name(term, head), estimate=q.size(size.estimate, "Estimate", why)) | q.size_ci(
            *ends, alpha, none
        )
    return q.row(
        term=q.name(term, head), estimate=q.num(size.estimate, decimals, "Estimate", why=why),
        **q.ci(*ends, decimals, alpha, why=none),
    )  # fmt: skip
