"""The page of ``compare_groups``: what it answers, assumes, and how to read it."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="Whether the mean (or the general height, by ranks) of one measurement differs between two or more independent groups, and which groups differ.",
    assumes=[
        "Rows are independent of one another: no person or plot stands in more than one row.",
        "Within each group values scatter roughly normally, or groups are large enough (about thirty) for means to do so.",
        "The classical F and Tukey–Kramer also assume the same spread in every group; Welch, Brown–Forsythe and Games–Howell do not.",
        "With a block: blocks shift all groups alike; each group's residuals have the same spread.",
        "Kruskal–Wallis speaks about medians only when the groups' distributions have the same shape.",
    ],
    formulas=[
        ("Classical F", "F = [Σ nᵢ(ȳᵢ − ȳ)² / (k − 1)] / [Σ (nᵢ − 1)sᵢ² / (N − k)]"),
        (
            "Welch",
            "wᵢ = nᵢ/sᵢ²;  F = [Σ wᵢ(ȳᵢ − ỹ)² / (k − 1)] / [1 + 2(k − 2)Λ/(k² − 1)],  Λ = Σ (1 − wᵢ/W)²/(nᵢ − 1);  df₂ = (k² − 1)/(3Λ)",
        ),
        ("Brown–Forsythe", "F* = Σ nᵢ(ȳᵢ − ȳ)² / Σ (1 − nᵢ/N)sᵢ²;  df₁ = k − 1, df₂ by Satterthwaite"),
        ("Kruskal–Wallis", "H = [12/(N(N + 1)) Σ nᵢ(R̄ᵢ − (N + 1)/2)²] / [1 − Σ(t³ − t)/(N³ − N)]"),
        (
            "Games–Howell",
            "tᵢⱼ = (ȳᵢ − ȳⱼ)/√(sᵢ²/nᵢ + sⱼ²/nⱼ), Welch df for each pair; p from the studentised range of k means at √2·|t|",
        ),
        (
            "Blocks",
            "y = μ + block + group + residual; SS(groups) = RSS(blocks alone) − RSS(both)",
        ),
        ("Friedman", "χ² = Σ(Rⱼ − b(k + 1)/2)² / [bk(k + 1)/12 − Σ(t³ − t)/(12(k − 1))]"),
        (
            "Permutation",
            "p = (divisions with F at least as large + 1)/(draws + 1); with a block the values move within it",
        ),
        ("Dunnett", "P(max |T| > t), T with the correlations λᵢλⱼ, λᵢ = √[nᵢ/(nᵢ + n₀)]"),
        (
            "Student–Newman–Keuls, Duncan",
            "the studentised range of the means between the two, at α or 1 − (1 − α)^(r − 1)",
        ),
        ("Scheffé", "F = t²/(k − 1) with k − 1 and error df"),
        ("Contrast", "Σcᵢȳᵢ, SE √(Σcᵢ²sᵢ²/nᵢ) with Satterthwaite's df, or s√(Σcᵢ²/nᵢ) with one spread"),
        ("ω²", "(SS between − (k − 1)·MS within) / (SS total + MS within)"),
    ],
    reading=[
        (
            "p",
            "How often groups with equal means would look at least this different. It is not the chance that they are equal.",
        ),
        (
            "Difference and its interval",
            "By how much two groups differ, in the measurement's unit, and how far that is from certain. Intervals hold for all pairs together.",
        ),
        (
            "Contrast",
            "A comparison that was planned: positive weights against negative ones, in the measurement's unit.",
        ),
        ("Trend", "Whether the means follow a straight line over the levels, a curve with one bend, with two …"),
        ("Letters", "Groups that share a letter were not found to differ. That is no proof that they are equal."),
        (
            "η² and ω²",
            "The share of all variation that lies between the groups; ω² corrects η²'s upward bias and may come out slightly below zero.",
        ),
    ],
    conventions=[
        "Automatic takes Welch's test whatever the data look like: choosing by a first test of spread on the same data spoils the error rate.",
        "Quartiles by linear interpolation between order statistics (Hyndman & Fan type 7).",
        "Median-centred Levene decides the check of equal spread; the mean-centred one stands beside it.",
        "Outlying: more than 1.5 interquartile ranges outside the group's own quartiles.",
        "Tied values share their mean rank; H and Dunn's variance are corrected for ties.",
        "With a block automatic takes the classical F with blocks taken out; means are over blocks, as if each had every group.",
        "Weights of a contrast sum to zero; two contrasts are orthogonal where Σcᵢdᵢ/nᵢ = 0.",
        "Trends stand where the levels are said to lie; else at their own numbers where each name plainly is one (beside words that all share), else at equal distances; the spacing is shown, and weights have length one.",
        "Contrasts use one pooled spread after the classical F and permutation, each group's own after the other tests.",
        "Range tests with unequal n take Kramer's standard error; a pair within a range that does not differ does not differ.",
        "Permutation draws 9 999 divisions from the seed shown; beside other tests 1 999, up to 400 rows.",
        "Outlying values are compared with and without; the answer itself always has all rows.",
        "Ranks see decimals: values that are equal as written tie, whatever doubles make of them.",
        "Conover's comparisons are t tests of mean ranks with the spread that ranks keep within groups, adjusted as chosen; Nemenyi's hold for all pairs by the studentised range.",
        "Dunnett with own spreads: Welch's SE and df for each comparison, the largest |t| under the groups' own correlations (Hasler and Hothorn). One direction is for comparisons with a control only.",
        "Ordered levels have the Jonckheere–Terpstra trend test beside the others, two-sided, with normal p corrected for ties.",
        "With a block that lacks a group, ranks use complete blocks only and everything beside them stands on the same rows; permutation and F use all rows.",
        "Holm's intervals are Bonferroni's. Dunn's p are adjusted by Holm unless chosen otherwise.",
    ],
    references=[
        "Brown, M. B., & Forsythe, A. B. (1974). The small sample behavior of some statistics which test the equality of several means. Technometrics, 16, 129–132.",
        "Duncan, D. B. (1955). Multiple range and multiple F tests. Biometrics, 11, 1–42.",
        "Dunnett, C. W. (1964). New tables for multiple comparisons with a control. Biometrics, 20, 482–491.",
        "Dunn, O. J. (1964). Multiple comparisons using rank sums. Technometrics, 6, 241–252.",
        "Friedman, M. (1937). The use of ranks to avoid the assumption of normality. JASA, 32, 675–701.",
        "Games, P. A., & Howell, J. F. (1976). Pairwise multiple comparison procedures with unequal n's and/or variances. Journal of Educational Statistics, 1, 113–125.",
        "Conover, W. J., & Iman, R. L. (1979). On multiple-comparisons procedures. Los Alamos Scientific Laboratory.",
        "Hasler, M., & Hothorn, L. A. (2008). Multiple contrast tests in the presence of heteroscedasticity. Biometrical Journal, 50, 793–800.",
        "Jonckheere, A. R. (1954). A distribution-free k-sample test against ordered alternatives. Biometrika, 41, 133–145.",
        "Nemenyi, P. (1963). Distribution-free multiple comparisons. Princeton University.",
        "Kramer, C. Y. (1956). Biometrics, 12, 307–310.",
        "Kruskal, W. H., & Wallis, W. A. (1952). Use of ranks in one-criterion variance analysis. JASA, 47, 583–621.",
        "Piepho, H.-P. (2004). An algorithm for a letter-based representation of all-pairwise comparisons. JCGS, 13, 456–466.",
        "Scheffé, H. (1953). A method for judging all contrasts in the analysis of variance. Biometrika, 40, 87–104.",
        "Tukey, J. W. (1949). One degree of freedom for non-additivity. Biometrics, 5, 232–242.",
        "Welch, B. L. (1951). On the comparison of several mean values: an alternative approach. Biometrika, 38, 330–336.",
    ],
)
