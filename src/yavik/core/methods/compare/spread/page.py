"""The page of ``compare_spread``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="Whether values scatter more in some groups than in others, and by how much.",
    assumes=[
        "Rows are independent.",
        "F ratio and Bartlett: values normal within groups; they take long tails for unequal spread.",
        "Levene about medians or trimmed means: any shape.",
    ],
    formulas=[
        ("F ratio", "F = (s₁²/s₂²)/ρ², n₁ − 1 and n₂ − 1 df; ρ the ratio of SDs tested"),
        ("Bartlett", "χ² = [(N − k) ln s² − Σ(nᵢ − 1) ln sᵢ²] / {1 + [Σ1/(nᵢ − 1) − 1/(N − k)]/[3(k − 1)]}"),
        ("Levene", "the classical F on |y − middle|: the mean, the median, or the mean without a tenth at each end"),
        ("SE of ln s", "½√{[γ − (n − 3)/n]/(n − 1)}, γ the pooled kurtosis about trimmed means"),
    ],
    reading=[
        ("p", "How often groups of equal spread would look at least this different."),
        ("Interval of the SD", "What the data say each SD is; it does not assume normal values."),
        ("Comparing interval", "Made for looking across: groups whose comparing intervals do not overlap differ."),
    ],
    conventions=[
        "Two-sided p of the F ratio is twice the smaller tail. The ratio is one of SDs, not of variances.",
        "Several columns of groups make one group of each combination that occurs.",
        "Comparing intervals have widths that add up to the least significant difference as nearly as they can, at the studentised range's critical value for all pairs.",
    ],
    references=[
        "Bartlett, M. S. (1937). Properties of sufficiency and statistical tests. Proceedings of the Royal Society A, 160, 268–282.",
        "Bonett, D. G. (2006). Approximate confidence interval for standard deviation of nonnormal distributions. Computational Statistics & Data Analysis, 50, 775–782.",
        "Brown, M. B., & Forsythe, A. B. (1974). Robust tests for the equality of variances. JASA, 69, 364–367.",
        "Hochberg, Y., Weiss, G., & Hart, S. (1982). On graphical procedures for multiple comparisons. JASA, 77, 767–772.",
        "Levene, H. (1960). Robust tests for equality of variances. In Contributions to Probability and Statistics (pp. 278–292).",
    ],
)
