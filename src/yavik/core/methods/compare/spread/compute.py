"""The tests of equal spread, and which of them is told."""

import numpy as np

from yavik.core.methods.compare.spread.spec import CompareSpreadSpec, Tested
from yavik.core.stats.groups import Floats, Groups
from yavik.core.stats.oneway import levene
from yavik.core.stats.spread import RatioTest, bartlett, f_ratio, levene_trimmed
from yavik.core.table import DataProblem


def ratio_of(spec: CompareSpreadSpec, n: Floats, variances: Floats) -> RatioTest | None:
    """The F ratio of two samples; None where one has no spread."""
    if np.any(variances <= 0):
        return None
    v1, v2, n1, n2 = (float(x) for x in (*variances, *n))
    return f_ratio(v1, v2, n1, n2, spec.ratio, spec.alpha, spec.alternative)


def tests_of(n: Floats, variances: Floats, spec: CompareSpreadSpec, g: Groups | None) -> list[Tested]:
    """Every test of equal spread that these samples allow. Raises DataProblem for a direction where there is none."""
    flat = "a group has no spread" if np.any(variances <= 0) else ""
    out = []
    if len(n) == 2:
        ratio = ratio_of(spec, n, variances) or flat
        out.append(Tested("f", "F ratio of variances", "F", ratio))
    elif spec.alternative != "two_sided":
        raise DataProblem("Only the F ratio of two groups has a direction.")
    out.append(Tested("bartlett", "Bartlett", "χ²", flat or bartlett(n, variances)))
    if g is not None:
        out.append(Tested("levene", "Levene, about means", "F", levene(g, "mean")))
        out.append(Tested("brown_forsythe", "Levene, about medians", "F", levene(g, "median")))
        out.append(Tested("trimmed", "Levene, about means trimmed by 10% at each end", "F", levene_trimmed(g)))
    return out


def chosen_of(spec: CompareSpreadSpec, tests: list[Tested]) -> Tested:
    """The test that speaks. Raises DataProblem where it cannot be computed."""
    wanted = {"all": "brown_forsythe"}.get(spec.test, spec.test)
    if spec.test == "all" and spec.alternative != "two_sided":
        wanted = "f"
    found = next((t for t in tests if t.id == wanted), tests[0])
    if found.why:
        raise DataProblem(f"{found.name} cannot be computed: {found.why}.")
    return found
