"""False alarms by simulation: how often each test and each pairwise method claims a difference where there is none.

Run with ``--write`` to store ``docs/levels.json`` and the table in ``docs/levels.md``; without, it prints the table.
Seeds are fixed, so that the same numbers come again. Monte Carlo error of a rate near .05 is given beside it.
"""

import json
import sys
from multiprocessing import Pool
from pathlib import Path
from unittest.mock import patch

import numpy as np

from yavik.core.stats import draws, pairwise, studentized_range
from yavik.core.stats.groups import Groups
from yavik.core.stats.oneway import anova, brown_forsythe, jonckheere_terpstra, kruskal_wallis, welch
from yavik.core.stats.two import Sample, mann_whitney, t_test

DOCS = Path(__file__).resolve().parents[1] / "docs"
STUDIES = 2000
ALPHA = 0.05
SETTINGS = {
    "equal spread, n = 10 each": ([10, 10, 10, 10], [1, 1, 1, 1]),
    "equal spread, n = 5 to 20": ([5, 10, 15, 20], [1, 1, 1, 1]),
    "SDs 1 to 4, n = 10 each": ([10, 10, 10, 10], [1, 2, 3, 4]),
    "SDs 1 to 4, small groups spread least": ([5, 10, 15, 20], [1, 2, 3, 4]),
    "SDs 1 to 4, small groups spread most": ([5, 10, 15, 20], [4, 3, 2, 1]),
}
FAMILIES = ("tukey", "bonferroni", "holm", "sidak", "scheffe", "snk", "duncan", "lsd")


def study(rng: np.random.Generator, n: list[int], sd: list[float]) -> Groups:
    y = np.concatenate([rng.normal(0, s, k) for k, s in zip(n, sd, strict=True)])
    return Groups(y, np.concatenate([[0], np.cumsum(n)]), np.arange(1, len(y) + 1), tuple("abcd"))


def alarms(g: Groups, seed: int) -> dict[str, bool]:
    ranked = kruskal_wallis(g)
    a, b = (Sample(float(g.n[i]), float(g.means[i]), float(g.variances[i])) for i in (0, 3))
    found = {
        "auto (Welch)": welch(g).p < ALPHA,
        "classical F": anova(g).test.p < ALPHA,
        "Brown–Forsythe": brown_forsythe(g).p < ALPHA,
        "Kruskal–Wallis": ranked.p < ALPHA,
        "pairs: auto (Games–Howell)": bool((pairwise.games_howell(g, ALPHA).p_adjusted < ALPHA).any()),
        "pairs: Dunn with Holm": bool((pairwise.dunn(g, ranked, "holm").p_adjusted < ALPHA).any()),
        "pairs: rank sums with Holm": bool((pairwise.pairwise_mann_whitney(g, "holm").p_adjusted < ALPHA).any()),
        "pairs: Conover with Holm": bool((pairwise.conover(g, ranked, "holm").p_adjusted < ALPHA).any()),
        "pairs: Nemenyi": bool((pairwise.nemenyi(g, ranked).p_adjusted < ALPHA).any()),
        "trend: Jonckheere–Terpstra": jonckheere_terpstra(g).p < ALPHA,
        "two groups: auto (Welch)": t_test(a, b, 0, ALPHA, "two_sided", pooled=False).p < ALPHA,
        "two groups: Student": t_test(a, b, 0, ALPHA, "two_sided", pooled=True).p < ALPHA,
        "two groups: rank sums": mann_whitney(g.ordered[0], g.ordered[3]).p < ALPHA,
    }
    for family in FAMILIES:
        found[f"pairs: {family}"] = bool((pairwise.pooled(g, family, ALPHA).p_adjusted < ALPHA).any())
    if seed % 10 == 0:  # a tenth of the studies: each takes a thousand draws
        found["dunnett, own spreads"] = bool((pairwise.dunnett_welch(g, ALPHA, 0).p_adjusted < ALPHA).any())
        found["dunnett"] = bool((pairwise.pooled(g, "dunnett", ALPHA, 0).p_adjusted < ALPHA).any())
        found["permutation"] = draws.several_groups(g, 999, seed).p <= ALPHA
    return found


def rates(name: str, studies: int = STUDIES) -> dict[str, list[float]]:
    """Share of studies with a false alarm, and its Monte Carlo error."""
    n, sd = SETTINGS[name]
    rng = np.random.default_rng(list(SETTINGS).index(name) + 100)
    told: dict[str, list[bool]] = {}
    # Only p is looked at here: critical values for intervals would be most of the work.
    with patch.object(studentized_range, "isf", lambda _p, _k, df: np.zeros(np.shape(df))):
        for i in range(studies):
            for key, value in alarms(study(rng, n, sd), i).items():
                told.setdefault(key, []).append(value)
    return {k: [float(np.mean(v)), float(np.sqrt(np.mean(v) * (1 - np.mean(v)) / len(v)))] for k, v in told.items()}


def table(found: dict[str, dict[str, list[float]]]) -> str:
    names = list(found)
    lines = ["| | " + " | ".join(names) + " |", "|---|" + "---:|" * len(names)]
    for key in next(iter(found.values())):
        cells = [f"{found[n][key][0]:.3f} ± {2 * found[n][key][1]:.3f}".replace("0.", ".") for n in names]
        lines.append(f"| {key} | " + " | ".join(cells) + " |")
    return "\n".join(lines)


def main() -> None:
    with Pool(2) as pool:
        found = dict(zip(SETTINGS, pool.map(rates, SETTINGS), strict=True))
    text = table(found)
    print(text)
    if "--write" in sys.argv:
        kept = {
            "studies": STUDIES,
            "alpha": ALPHA,
            "rates": {n: {k: [round(x, 4) for x in v] for k, v in r.items()} for n, r in found.items()},
        }
        (DOCS / "levels.json").write_text(json.dumps(kept, indent=1, ensure_ascii=False) + "\n", encoding="utf-8")
        page = (DOCS / "levels.md").read_text(encoding="utf-8")
        before, after = page.split("<!-- rates -->")[0], page.split("<!-- /rates -->")[1]
        (DOCS / "levels.md").write_text(f"{before}<!-- rates -->\n{text}\n<!-- /rates -->{after}", encoding="utf-8")


if __name__ == "__main__":
    main()
