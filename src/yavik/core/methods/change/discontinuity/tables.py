"""Tables and facts of a jump, in the order in which it is argued for."""

from typing import Any

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import decimals_of, given, grouped, number
from yavik.core.methods.change.discontinuity.compute import TOO_FEW, Discontinuity
from yavik.core.methods.change.discontinuity.sensitivity import Variation
from yavik.core.methods.change.discontinuity.spec import KERNELS, RULES, SE
from yavik.core.methods.kit import touch
from yavik.core.stats.change.jump.estimate import Jump

FEW_DENSITY = "too few different scores on a side"
KINDS = {
    "window": "window", "degree": "degree", "kernel": "kernel", "hole": "left out", "covariates": "covariates",
    "cutoff": "placebo cut-off", "outcome": "placebo outcome", "balance": "covariate as outcome",
}  # fmt: skip


def decimals(r: Discontinuity) -> int:
    """Of the jump."""
    return min(decimals_of(r.jump.se, r.jump.estimate), r.study.decimals + 3)


def density(r: Discontinuity) -> TableBlock:
    """Both tests that rows do not pile up."""
    d, b = r.density, r.histogram
    k = 4 if d is None else min(max(decimals_of(d.left / 10, d.left), 2), 8)
    unit = r.study.running_decimals + 1
    rows = []
    nan = np.nan
    rows.append(
        q.row(
            kind=q.name("Local polynomial of the distribution", "Test"),
            h=q.num(d.h[0] if d else nan, unit, "Window", why=FEW_DENSITY),
            left=q.num(d.left if d else nan, k, "Density below", why=FEW_DENSITY),
            right=q.num(d.right if d else nan, k, "above", why=FEW_DENSITY),
            z=q.stat(d.z if d else nan, "z", why=FEW_DENSITY), p=q.p(d.p if d else nan, why=FEW_DENSITY),
        )
    )  # fmt: skip
    rows.append(
        q.row(
            kind=q.name("Lines through a histogram", "Test"),
            h=q.num(b.h if b else nan, unit, "Window", why=FEW_DENSITY),
            left=q.num(b.left if b else nan, k, "Density below", why=FEW_DENSITY),
            right=q.num(b.right if b else nan, k, "above", why=FEW_DENSITY),
            z=q.stat(b.log_ratio / b.se if b else nan, "z", why=FEW_DENSITY), p=q.p(b.p if b else nan, why=FEW_DENSITY),
        )
    )  # fmt: skip
    note = "Densities at the cut-off, per unit of the score."
    note += (
        f" The histogram's bins are {number(b.bin, unit + 1)} wide; its z is of the heights' log ratio." if b else ""
    )
    return q.table("density", "Do rows pile up on one side?", rows, note=note)


def beside(r: Discontinuity) -> TableBlock:
    """Rows close to the cut-off on either side."""
    rows = [
        q.row(
            within=q.num(w, max(r.study.running_decimals, _decimals(w)), "Within"), left=q.count(a, "Rows below"),
            right=q.count(b, "Rows at or above"), p=q.p(p, "p of as many"),
        )
        for w, a, b, p in r.beside
    ]  # fmt: skip
    note = "Exact binomial p that a row falls on either side alike."
    return q.table("beside", "Rows beside the cut-off", rows, note=note, folded=True)


def _decimals(w: float) -> int:
    text = f"{w:.6g}"
    return len(text.split(".")[1]) if "." in text and "e" not in text else 0


def assignment(r: Discontinuity) -> TableBlock | None:
    """Who was treated by the rule and who in fact."""
    got = r.assignment
    if got is None:
        return None
    dose = len(np.unique(r.study.received)) > 2 if r.study.received is not None else False
    rows = []
    for name, (n, yes, mean) in zip(
        (f"below {given(r.study.cutoff)}", f"at or above {given(r.study.cutoff)}"), got, strict=True
    ):
        cells = q.row(side=q.name(name, "By the rule"), n=q.count(n, "Rows"))
        if dose:
            rows.append(cells | q.row(mean=q.num(mean, 2, f"Mean {r.study.got}")))
        else:
            rows.append(cells | q.row(yes=q.count(yes, f"{r.study.got}"), share=q.part(mean, "Share")))
    j = r.jump
    note = (
        "Every row follows the rule."
        if r.sharp
        else "Not every row follows the rule: the jump of the outcome is divided by"
    )
    if not r.sharp:
        note += f" that of the treatment, {number(j.first, 3)} (SE {number(j.first_se, 3)}) within the window."
    return q.table("assignment", "By the rule and in fact", rows, note=note)


def windows(r: Discontinuity) -> TableBlock:
    """Windows by every rule, with what each gives."""
    assert r.windows
    rows: list[q.Row] = []
    marked: list[int] = []
    k, unit = decimals(r), r.study.running_decimals + 2
    for rule, w in r.rules.items():
        j = r.rule_jumps[rule]
        why = w if isinstance(w, str) else TOO_FEW
        h = (np.nan, np.nan) if isinstance(w, str) else w.h
        b = (np.nan, np.nan) if isinstance(w, str) else w.b
        if rule == r.spec.bandwidth:
            marked.append(len(rows))
        rows.append(_window_row(rule, RULES[rule], h, b, j, r, k, unit, why))
    if not isinstance(r.spec.bandwidth, str):
        marked.append(len(rows))
        rows.append(_window_row("", "typed or dragged", r.windows.h, r.windows.b, r.jump, r, k, unit, ""))
    note = "A click takes a rule. Rows within the window, below and above; the estimate is conventional, the interval"
    note += " robust."
    made = q.table("bandwidths", "How wide a window: every rule", rows, note=note, marked=marked, strong=["rule"])
    return touch.choose(made, "bandwidth", "rule", "Use this window") if isinstance(r.spec.bandwidth, str) else made


def _window_row(
    id: str, name: str, h: tuple[float, float], b: tuple[float, float], j: Jump | None, r: Discontinuity, k: int,
    unit: int,
    why: str,
) -> q.Row:  # fmt: skip
    known = np.isfinite(h[0])

    def wide(pair: tuple[float, float]) -> str:
        """One width, or one for each side."""
        ends = [number(v, unit) for v in pair] if known else ["", ""]
        return ends[0] if abs(pair[0] - pair[1]) <= 1e-12 * abs(pair[0]) else " | ".join(ends)

    low, high = j.interval("robust", r.spec.alpha) if j else (np.nan, np.nan)
    return q.row(
        rule=q.Quantity(id, name, "Rule", "name"),
        h=q.texted(h[0], wide(h), "Window") if known else q.gone(why, "Window"),
        b=q.texted(b[0], wide(b), "of the bias") if known else q.gone(why, "of the bias"),
        n=q.texted(sum(j.n), " | ".join(map(grouped, j.n)), "Rows") if j else q.gone(why, "Rows"),
        estimate=q.est(j.estimate if j else np.nan, k, "Jump", why=why), **q.ci(low, high, k, r.spec.alpha, why=why),
    )  # fmt: skip


WHICH = (
    "Report the conventional estimate with the robust interval: at a window that makes its error small the"
    " conventional interval"
    " leaves the bias of curvature out and claims too much."
)


def estimate(r: Discontinuity) -> TableBlock:
    """The estimate in three forms, and which to report."""
    j, k = r.jump, decimals(r)
    assert r.study.outcome
    unit = r.study.outcome.unit if r.study.received is None else None
    rows = []
    for kind, name, centre, se in (
        ("conventional", "Conventional", j.estimate, j.se),
        ("corrected", "Bias-corrected", j.corrected, j.se),
        ("robust", "Robust", j.corrected, j.robust_se),
    ):
        low, high = j.interval(kind, r.spec.alpha)
        rows.append(
            q.row(
                kind=q.name(name, ""), estimate=q.est(centre, k, "Jump", unit), se=q.num(se, k, "SE"),
                **q.ci(low, high, k, r.spec.alpha), z=q.stat(centre / se if se > 0 else np.nan, "z"), p=q.p(j.p(kind)),
            )
        )  # fmt: skip
    shape = {0: "means", 1: "straight lines", 2: "parabolas", 3: "cubics"}[r.spec.degree]
    note = f"{shape.capitalize()} on each side, {KERNELS[r.spec.kernel]} kernel; {grouped(j.n[0])} rows below"
    note += f" and {grouped(j.n[1])} above within the window, {grouped(j.n_b[0])} and {grouped(j.n_b[1])} within that"
    note += f" of the bias. Errors {SE[r.spec.se]}."
    note += f" Value at the cut-off from below {number(j.ends[0], k)}, from above {number(j.ends[1], k)}."
    if r.study.covariates:
        note += " These are of the outcome less the covariates."
    note += f" {WHICH}"
    marked = [i for i, kind in enumerate(("conventional", "corrected", "robust")) if j.p(kind) < r.spec.alpha]
    return q.table("estimate", "The jump", rows, note=note, marked=marked)


def sensitivity(r: Discontinuity, rows: list[Variation], said: str) -> TableBlock:
    """Every other choice in one table; each row can be asked by itself."""
    k, out = decimals(r), []
    for v in rows:
        j = v.jump
        low, high = j.interval("robust", r.spec.alpha) if j else (np.nan, np.nan)
        own = k if v.kind not in ("outcome", "balance") or j is None else min(decimals_of(j.robust_se, j.estimate), 6)
        h = float(np.mean(j.h)) if j else np.nan
        out.append(
            q.row(
                label=q.name(v.label, "Choice"), kind=q.said(KINDS[v.kind], "What differs"),
                h=q.num(h, r.study.running_decimals + 1, "Window", why=v.why),
                n=q.texted(sum(j.n), " | ".join(map(grouped, j.n)), "Rows") if j else q.gone(v.why, "Rows"),
                estimate=q.est(j.estimate if j else np.nan, own, "Jump", why=v.why),
                **q.ci(low, high, own, r.spec.alpha, why=v.why), p=q.p(j.p("robust") if j else np.nan, why=v.why),
            )
        )  # fmt: skip
    made = q.table(
        "sensitivity", "How far it can be trusted", out, note=f"{said} A click asks a row as a question of its own.",
        marked=[i for i, v in enumerate(rows) if v.jump and v.jump.p("robust") < r.spec.alpha],
    )  # fmt: skip
    base = r.spec.model_dump(mode="json")
    return touch.opening(made, [{**base, **v.changes} if v.changes else None for v in rows])


def facts(r: Discontinuity, rows: list[Variation]) -> dict[str, Any]:
    """Numbers by name."""
    out: dict[str, Any] = {"n": len(r.study.u)}
    if r.density:
        d = r.density
        out |= {
            "density.left": d.left, "density.right": d.right, "density.z": d.z, "density.p": d.p,
            "density.h_left": d.h[0],
            "density.h_right": d.h[1],
        }  # fmt: skip
    if r.histogram:
        b = r.histogram
        out |= {
            "binned.log_ratio": b.log_ratio, "binned.se": b.se, "binned.p": b.p, "binned.bin": b.bin, "binned.h": b.h,
        }  # fmt: skip
    if r.main is None:
        return out | ({"p": r.density.p} if r.density else {})
    j, w = r.main, r.windows
    assert w
    low, high = j.interval("robust", r.spec.alpha)
    plain = j.interval("conventional", r.spec.alpha)
    out |= {
        "n": len(r.study.data.u), "estimate": j.estimate, "se": j.se, "corrected": j.corrected,
        "robust_se": j.robust_se,
        "p": j.p("robust"), "z": j.corrected / j.robust_se if j.robust_se > 0 else np.nan, "ci_low": low,
        "ci_high": high,
        "conventional.p": j.p("conventional"), "conventional.ci_low": plain[0], "conventional.ci_high": plain[1],
        "h_left": w.h[0], "h_right": w.h[1], "b_left": w.b[0], "b_right": w.b[1], "n_left": j.n[0], "n_right": j.n[1],
        "below": j.ends[0], "above": j.ends[1],
    }  # fmt: skip
    if np.isfinite(j.first):
        out |= {"first.estimate": j.first, "first.se": j.first_se}
    for rule, found in r.rules.items():
        if not isinstance(found, str):
            out |= {f"{rule}.h_left": found.h[0], f"{rule}.h_right": found.h[1]}
            out |= {f"{rule}.b_left": found.b[0], f"{rule}.b_right": found.b[1]}
    for i, v in enumerate(rows):
        if v.jump:
            out |= {f"set.{i + 1}.estimate": v.jump.estimate, f"set.{i + 1}.p": v.jump.p("robust")}
    return out
