"""The page of ``describe``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="What each column holds: how many cells are filled, where the values lie, how far they spread, and how often each level occurs; for all rows or for each group.",
    assumes=[
        "Nothing about the shape of the data.",
        "The confidence interval of a mean assumes independent rows, and values that are roughly normal or many.",
    ],
    formulas=[
        ("SD and SE", "s = √[Σ(y − ȳ)² / (n − 1)],  SE = s/√n"),
        ("Interval of the mean", "ȳ ± t(1 − α/2; n − 1) · SE"),
        ("Skewness", "G₁ = √[n(n − 1)]/(n − 2) · m₃/m₂^(3/2)"),
        ("Kurtosis", "G₂ = (n − 1)/[(n − 2)(n − 3)] · [(n + 1)(m₄/m₂² − 3) + 6]"),
    ],
    reading=[
        ("SD and SE", "SD says how far single values scatter; SE how far the mean would, over repeated samples."),
        ("Quartiles", "A quarter of the values lie below Q1, half below the median, three quarters below Q3."),
        (
            "Skewness",
            "0 for a symmetric column, above 0 with a long tail to the right. Beyond ±1 the median says more than the mean.",
        ),
        ("Share of filled", "The level's count over the filled cells of that group; empty cells are counted apart."),
    ],
    conventions=[
        "Quartiles by linear interpolation between order statistics (Hyndman & Fan type 7).",
        "Skewness and kurtosis in the bias-adjusted forms; kurtosis is in excess of the normal's.",
    ],
    references=[
        "Hyndman, R. J., & Fan, Y. (1996). Sample quantiles in statistical packages. The American Statistician, 50, 361–365.",
        "Joanes, D. N., & Gill, C. A. (1998). Comparing measures of sample skewness and kurtosis. The Statistician, 47, 183–189.",
    ],
)
