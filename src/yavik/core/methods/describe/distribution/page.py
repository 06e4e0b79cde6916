"""The page of ``distribution``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="The shape of one measurement: where it lies, how it tails off, whether it looks normal, and which values stand apart.",
    assumes=["Rows are independent, for the tests.", "Grubbs' test assumes that all other values are normal."],
    formulas=[
        ("Normal quantiles", "Φ⁻¹[(i − 3/8)/(n + 1/4)] (Blom)"),
        ("Anderson–Darling", "A² = −n − Σ(2i − 1)[ln Φ(zᵢ) + ln(1 − Φ(zₙ₊₁₋ᵢ))]/n, times 1 + 0.75/n + 2.25/n²"),
        ("Lilliefors", "D = the largest distance between the sample's and the fitted normal distribution"),
        (
            "SE of skewness",
            "√{6n(n − 1)/[(n − 2)(n + 1)(n + 3)]}; of kurtosis twice that times √[(n² − 1)/((n − 3)(n + 5))]",
        ),
        ("Grubbs", "G = max|y − ȳ|/s; p ≤ 2n·P(t > √[n(n − 2)G²/((n − 1)² − nG²)]), n − 2 df"),
    ],
    reading=[
        (
            "Quantile plot",
            "Points on the line are as a normal distribution has them; ends that bend away are tails, steps are rounding.",
        ),
        ("Tests", "A small p says values are not normal; a large one does not say that they are."),
    ],
    conventions=[
        "Shapiro–Wilk from 3 to 5 000 values; p of Anderson–Darling by D'Agostino and Stephens; of Lilliefors by Dallal and Wilkinson, above .10 by Stephens.",
        "Bins by Freedman and Diaconis' width, between 5 and 40, unless their number is typed.",
        "Outlying: more than 1.5 (3) interquartile ranges outside the quartiles, by group.",
    ],
    references=[
        "Anderson, T. W., & Darling, D. A. (1954). A test of goodness of fit. JASA, 49, 765–769.",
        "D'Agostino, R. B., & Stephens, M. A. (1986). Goodness-of-Fit Techniques. Dekker.",
        "Dallal, G. E., & Wilkinson, L. (1986). An analytic approximation to the distribution of Lilliefors's test statistic. The American Statistician, 40, 294–296.",
        "Grubbs, F. E. (1950). Sample criteria for testing outlying observations. Annals of Mathematical Statistics, 21, 27–58.",
        "Royston, P. (1995). A remark on algorithm AS 181. Applied Statistics, 44, 547–551.",
        "Shapiro, S. S., & Wilk, M. B. (1965). An analysis of variance test for normality. Biometrika, 52, 591–611.",
    ],
)
