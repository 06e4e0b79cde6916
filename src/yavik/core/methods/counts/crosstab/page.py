"""The page of ``crosstab``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="Whether two categories go together, how strongly, and whether they still do within the levels of a third.",
    assumes=[
        "Each case stands in one cell, and cases are independent.",
        "χ² leans on expected counts: none below 1 and at most a fifth of them below 5 (Cochran's rule). Fisher's test does not.",
    ],
    formulas=[
        ("Pearson", "χ² = Σ (n − e)²/e, e = row total × column total / N"),
        ("Likelihood ratio", "G² = 2 Σ n ln(n/e)"),
        ("Adjusted residual", "(n − e)/√[e(1 − row share)(1 − column share)]"),
        ("Cramér's V", "√[χ²/(N · (smaller of rows and columns − 1))]"),
        ("Odds ratio, relative risk", "ad/(bc);  [a/(a + b)]/[c/(c + d)], intervals on the logarithm"),
        (
            "γ, τ-b",
            "(P − Q)/(P + Q);  (P − Q)/√[(N² − Σr²)(N² − Σc²)], P and Q twice the pairs that agree and disagree",
        ),
        ("Mantel–Haenszel", "Σ(ad/n) / Σ(bc/n) over layers"),
    ],
    reading=[
        ("p", "How often independent categories would give a table at least this uneven."),
        (
            "Adjusted residual",
            "Where the table departs: beyond ±2 a cell holds clearly more or fewer than independence has.",
        ),
        ("Odds ratio", "1 where odds are the same in both rows; it is not a ratio of chances unless they are small."),
        ("V", "0 for independent, 1 where one category settles the other."),
    ],
    conventions=[
        "Levels without rows are left out of the table and said.",
        "Where Cochran's rule fails Fisher's test speaks, unless it is switched off.",
        "Two-sided Fisher: all tables no likelier than the one seen; larger tables by drawing, p = (hits + 1)/(draws + 1).",
        "V's interval comes from the noncentral χ² distribution; φ carries a sign, V does not.",
        "Odds ratio, relative risk and difference are of the column that means yes (yes, true, or 1 beside 0), else of the first; first row against second.",
        "Where Fisher's test speaks, the odds ratio has the interval of what that test does not reject; else Woolf's.",
        "With layers, what holds within them leads: Mantel–Haenszel's common odds ratio (two by two), or the generalised test of association. Where the table without layers points the other way, the sentence says so.",
        "Ordered rows and two columns: the trend of shares at scores 0, 1, 2 … in the rows' order.",
        "One direction, for two by two: first row against second, by Fisher's one-sided p or the signed root of χ².",
        "The difference of shares has Newcombe's interval from Wilson's.",
    ],
    references=[
        "Agresti, A. (2013). Categorical Data Analysis (3rd ed.). Wiley.",
        "Breslow, N. E., & Day, N. E. (1980). Statistical Methods in Cancer Research I. IARC.",
        "Cochran, W. G. (1954). Some methods for strengthening the common χ² tests. Biometrics, 10, 417–451.",
        "Fisher, R. A. (1935). The logic of inductive inference. Journal of the Royal Statistical Society, 98, 39–82.",
        "Armitage, P. (1955). Tests for linear trends in proportions and frequencies. Biometrics, 11, 375–386.",
        "Landis, J. R., Heyman, E. R., & Koch, G. G. (1978). Average partial association in three-way contingency tables. International Statistical Review, 46, 237–254.",
        "Mantel, N., & Haenszel, W. (1959). Statistical aspects of the analysis of data from retrospective studies. JNCI, 22, 719–748.",
        "Newcombe, R. G. (1998). Interval estimation for the difference between independent proportions. Statistics in Medicine, 17, 873–890.",
        "Patefield, W. M. (1981). An efficient method of generating random R × C tables. Applied Statistics, 30, 91–97.",
        "Smithson, M. (2003). Confidence Intervals. Sage.",
    ],
)
