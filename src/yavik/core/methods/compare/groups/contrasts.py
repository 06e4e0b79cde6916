"""Planned contrasts of a comparison of groups: from what was typed to weights, and their table."""

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from yavik.core.answers import TableBlock
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import listing
from yavik.core.methods.compare.groups.spec import CompareGroupsSpec, TypedContrast
from yavik.core.stats.contrasts import Contrast, estimates, orthogonal, polynomial, satterthwaite
from yavik.core.stats.groups import Floats, Groups
from yavik.core.table import DataProblem
from yavik.core.table.level_numbers import level_numbers

ADJUST_WORDS = {
    "none": "not adjusted",
    "holm": "Holm",
    "bonferroni": "Bonferroni",
    "sidak": "Šidák",
    "scheffe": "Scheffé",
}


@dataclass(frozen=True)
class Planned:
    found: list[Contrast]
    trend: bool
    note: str


def planned(spec: CompareGroupsSpec, g: Groups, *, pooled: bool, column: str | None) -> Planned | None:
    """The contrasts asked for. Raises DataProblem for unknown levels, weights that do not sum to zero, or no
    weight."""
    asked = asked_for(spec, g.names, column)
    if asked is None:
        return None
    labels, weights, note = asked
    if np.any(g.n < 2) and not pooled:
        raise DataProblem(
            "A group with one value has no spread of its own: take the classical F for contrasts.", column=column
        )
    n = g.n.astype(float)
    if pooled:
        free = float(n.sum() - g.k)
        spread, df = np.full(g.k, g.ss.sum() / free), np.full(len(labels), free)
    else:
        spread, df = g.variances, satterthwaite(weights, g.variances, n)
    found = estimates(
        labels,
        weights,
        g.shifted_means,
        np.diag(spread / n),
        df,
        n,
        adjusting=spec.contrasts_adjust,
        alpha=spec.alpha,
    )
    said = "One pooled spread." if pooled else "Each group's own spread, df by Satterthwaite."
    return gathered(spec, found, n, note, said)


def gathered(spec: CompareGroupsSpec, found: list[Contrast], n: Floats, note: str, spread: str) -> Planned:
    """Estimated contrasts with the notes that stand below them."""
    notes = (note, _orthogonality(found, n), spread, _how(spec))
    return Planned(found, spec.contrasts == "polynomial", " ".join(x for x in notes if x))


def asked_for(
    spec: CompareGroupsSpec, names: Sequence[str], column: str | None
) -> tuple[list[str], Floats, str] | None:
    """Labels, weights and what to say of them; None where no contrast is planned."""
    if spec.contrasts is None or spec.contrasts == []:
        return None
    if spec.contrasts == "polynomial":
        spacing, note = typed_spacing(spec.spacing, names, column) if spec.spacing else spacing_of(names)
        return *polynomial(spacing), note
    if spec.contrasts == "control":
        return *_against(names, control_of(names, spec.control, column)), ""
    return *_typed(spec.contrasts, names, column), ""


def control_of(names: Sequence[str], control: str | None, column: str | None) -> int:
    """The control's place among the groups, the first unless chosen. Raises DataProblem for one that is not there."""
    if control is None:
        return 0
    if control not in names:
        raise DataProblem(
            f"The control '{control}' is not among the groups: {listing(list(names), 8)}.", column=column
        )
    return list(names).index(control)


def _against(names: Sequence[str], control: int) -> tuple[list[str], Floats]:
    others = [i for i in range(len(names)) if i != control]
    weights = np.zeros((len(others), len(names)))
    weights[np.arange(len(others)), others] = 1
    weights[:, control] = -1
    return [f"{names[i]} − {names[control]}" for i in others], weights


def _typed(typed: Sequence[TypedContrast], names: Sequence[str], column: str | None) -> tuple[list[str], Floats]:
    weights = np.zeros((len(typed), len(names)))
    for i, contrast in enumerate(typed):
        for level, weight in contrast.weights.items():
            if level not in names:
                raise DataProblem(
                    f"Contrast '{contrast.label}': there is no group '{level}'. There are {listing(list(names), 8)}.",
                    column=column,
                )
            weights[i, list(names).index(level)] = weight
        size = float(np.abs(weights[i]).sum())
        if size == 0:
            raise DataProblem(f"Contrast '{contrast.label}' has no weight above or below zero.", column=column)
        total = float(weights[i].sum())
        if abs(total) > 1e-6 * size:
            raise DataProblem(
                f"The weights of '{contrast.label}' sum to {total:.6g}; those of a contrast sum to zero.",
                column=column,
            )
        weights[i] -= total / len(names)
    return [c.label for c in typed], weights


def typed_spacing(spacing: dict[str, float], names: Sequence[str], column: str | None) -> tuple[Floats, str]:
    """Places of the levels as typed. Raises DataProblem where one is missing or two are the same."""
    lacking = [n for n in names if n not in spacing]
    if lacking:
        raise DataProblem(
            f"No place is given for {listing(lacking)}: the trend needs one for each level.", column=column
        )
    values = np.array([float(spacing[n]) for n in names])
    if not np.isfinite(values).all() or len(np.unique(values)) < len(values):
        raise DataProblem("Each level needs a place of its own, a number unlike the others.", column=column)
    return values, f"Levels stand at {_places(values)}, as typed."


def spacing_of(names: Sequence[str]) -> tuple[Floats, str]:
    """Where the levels lie: at their own numbers where each name plainly is one, else at equal distances."""
    values = level_numbers(names)
    if values is not None and len(np.unique(values)) == len(values):
        return values, f"Levels stand at their own numbers: {_places(values)}."
    return np.arange(len(names), dtype=float), "Levels have no numbers of their own: they stand at equal distances."


def _places(values: Floats) -> str:
    return ", ".join(f"{v:.10g}".replace("-", "−") for v in values)


def _orthogonality(found: list[Contrast], n: Floats) -> str:
    if len(found) < 2:
        return ""
    crossed = orthogonal(np.array([c.weights for c in found]), n)
    if not crossed:
        return "All contrasts are orthogonal: each asks something of its own."
    said = [f"{found[i].label} and {found[j].label}" for i, j in crossed]
    return f"Not orthogonal, so not independent of each other: {listing(said, 3)}."


def _how(spec: CompareGroupsSpec) -> str:
    ends = {"none": "", "holm": "; intervals by Bonferroni"}.get(spec.contrasts_adjust, "; intervals as well")
    return f"p {ADJUST_WORDS[spec.contrasts_adjust]}{ends}."


def contrasts_table(p: Planned, names: Sequence[str], d: int, alpha: float, unit: str | None) -> TableBlock:
    """Each contrast with its weights, estimate and test."""
    adjusted = any(c.p != c.p_adjusted for c in p.found)
    rows = [
        q.row(
            term=q.name(c.label, "Contrast"),
            weights=q.said(f"degree {i + 1}" if p.trend else _weights(c.weights, names), "Weights"),
            estimate=q.est(c.estimate, d, "Estimate", None if p.trend else unit), se=q.num(c.se, d + 1, "SE"),
            **q.ci(c.ci_low, c.ci_high, d, alpha), **q.t_cells(c),
            p_adjusted=q.p(c.p_adjusted, "adjusted p" if adjusted else None), ss=q.num(c.ss, d, None),
        )
        for i, c in enumerate(p.found)
    ]  # fmt: skip
    marked = [i for i, c in enumerate(p.found) if c.p_adjusted < alpha]
    title = "Trend over the levels" if p.trend else "Planned contrasts"
    return q.table("contrasts", title, rows, note=p.note, marked=marked)


def _weights(weights: Floats, names: Sequence[str]) -> str:
    def one(w: float) -> str:
        """A weight with its sign."""
        return f"{w:+.3g}".replace("-", "−")

    return ", ".join(f"{one(float(w))} {n}" for w, n in zip(weights, names, strict=True) if abs(w) > 1e-12)
