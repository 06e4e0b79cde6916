"""The page of ``correlate``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="How strongly columns go together, in pairs, with or without other columns held constant.",
    assumes=[
        "Rows are independent.",
        "Pearson: a straight line says it; for p and interval with few rows, both columns roughly normal.",
        "Spearman and Kendall: one rises (or falls) with the other, along whatever curve.",
    ],
    formulas=[
        (
            "Pearson",
            "r = Σ(x − x̄)(y − ȳ)/√[Σ(x − x̄)² Σ(y − ȳ)²];  t = r√[(n − 2 − h)/(1 − r²)], h columns held constant",
        ),
        (
            "Interval",
            "tanh[artanh r ± z·SE], SE = 1/√(n − 3 − h); Spearman √[(1 + r²/2)/(n − 3 − h)]; Kendall √[0.437/(n − 4 − h)]",
        ),
        ("Kendall", "τ-b = (agreeing − disagreeing pairs)/√[(pairs untied in x)(pairs untied in y)]"),
        ("Partial", "the correlation of what is left of both columns when the held ones are regressed out"),
    ],
    reading=[
        ("r", "−1 to 1; r² is the share of variation that a straight line takes up."),
        (
            "Shades",
            "Stronger colour, stronger correlation; one colour for each direction. Columns that go together stand together.",
        ),
        ("Point-biserial", "With a yes/no column r is the comparison of two means in other words."),
    ],
    conventions=[
        "A yes/no column counts 0 and 1, in the order of its levels.",
        "Rows that are filled throughout, unless pair by pair is chosen.",
        "Kendall's p is exact for few rows without ties, else normal with the variance corrected for ties.",
        "Spearman is Pearson on mean ranks, with its t approximation.",
        "Partial correlations of ranks hold the ranks of the held columns constant.",
    ],
    references=[
        "Bonett, D. G., & Wright, T. A. (2000). Sample size requirements for estimating Pearson, Kendall and Spearman correlations. Psychometrika, 65, 23–28.",
        "Fieller, E. C., Hartley, H. O., & Pearson, E. S. (1957). Tests for rank correlation coefficients. Biometrika, 44, 470–481.",
        "Fisher, R. A. (1921). On the probable error of a coefficient of correlation. Metron, 1, 3–32.",
        "Kendall, M. G. (1938). A new measure of rank correlation. Biometrika, 30, 81–93.",
    ],
)
