"""The page of ``compare_two``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="Whether one measurement differs between two independent groups, by how much, and how large that is beside the scatter.",
    assumes=[
        "Rows are independent; nobody stands in both groups. For pairs of measurements there is a question of its own.",
        "t tests: values scatter roughly normally within each group, or there are about thirty in each.",
        "Student's t also assumes the same spread in both groups; Welch's does not.",
        "Rank sums: no shape. As a statement about a shift they assume that the two distributions have the same shape.",
    ],
    formulas=[
        (
            "Welch",
            "t = (ȳ₁ − ȳ₂ − δ)/√(s₁²/n₁ + s₂²/n₂);  df = (s₁²/n₁ + s₂²/n₂)² / [(s₁²/n₁)²/(n₁ − 1) + (s₂²/n₂)²/(n₂ − 1)]",
        ),
        ("Student", "t = (ȳ₁ − ȳ₂ − δ)/[s√(1/n₁ + 1/n₂)];  s² = [(n₁ − 1)s₁² + (n₂ − 1)s₂²]/(n₁ + n₂ − 2)"),
        (
            "Rank sums",
            "U = Σ [#(y₁ > y₂) + ½ #(y₁ = y₂)];  z = (U − n₁n₂/2 ∓ ½)/√{n₁n₂/12 · [(N + 1) − Σ(t³ − t)/(N(N − 1))]}",
        ),
        (
            "Permutation",
            "p = share of divisions into n₁ and n₂ values whose means differ at least as much; of B random divisions (hits + 1)/(B + 1)",
        ),
        ("Cohen's d, Hedges' g", "d = (ȳ₁ − ȳ₂)/s;  g = d · Γ(ν/2)/[√(ν/2) Γ((ν − 1)/2)], ν = n₁ + n₂ − 2"),
        ("Chance of a larger value", "A = U/(n₁n₂);  rank-biserial r = 2A − 1"),
    ],
    reading=[
        (
            "Difference and its interval",
            "First level minus second, in the measurement's unit; levels stand in the order of the dictionary.",
        ),
        (
            "p",
            "How often two groups with this difference in truth zero (or the value chosen) would look at least this different.",
        ),
        ("Shift", "The median of all differences between a value of the first and one of the second group."),
        ("d and g", "The difference in units of the pooled SD; g is d without its upward bias in small samples."),
        ("Chance of a larger value", ".5 when neither group tends to be higher; ties count half."),
    ],
    conventions=[
        "With a margin: two one-sided tests at α (Schuirmann, 1987) with the t, SE and df of the test shown; the margin is compared with the difference itself, whatever difference was tested. Equivalence is never read from a large p.",
        "Automatic takes Welch's test whatever the data look like.",
        "Exact rank sums: up to 50 values without ties, or when asked for; with ties every division of the tied ranks is counted.",
        "Two-sided exact p of rank sums is twice the smaller tail. The normal approximation has the continuity correction unless switched off.",
        "The interval of the shift takes its order statistics from the normal approximation to U; of more than four million differences they are found to about nine digits.",
        "Permutation: all divisions where there are up to 20 000, else 9 999 random ones from the seed shown. Up to 4 000 values the interval holds every difference that the same test does not reject; beyond it is by Welch.",
        "Intervals of d and g come from the noncentral t distribution; of the chance of a larger value from the variance of placements on the logit scale.",
        "One-sided tests come with one-sided intervals.",
    ],
    references=[
        "DeLong, E. R., DeLong, D. M., & Clarke-Pearson, D. L. (1988). Comparing the areas under correlated ROC curves. Biometrics, 44, 837–845.",
        "Garthwaite, P. H. (1996). Confidence intervals from randomization tests. Biometrics, 52, 1387–1393.",
        "Hedges, L. V. (1981). Distribution theory for Glass's estimator of effect size. Journal of Educational Statistics, 6, 107–128.",
        "Hodges, J. L., & Lehmann, E. L. (1963). Estimates of location based on rank tests. Annals of Mathematical Statistics, 34, 598–611.",
        "Mann, H. B., & Whitney, D. R. (1947). On a test of whether one of two random variables is stochastically larger. Annals of Mathematical Statistics, 18, 50–60.",
        "Streitberg, B., & Röhmel, J. (1986). Exact distributions for permutation and rank tests. Statistical Software Newsletter, 12, 10–17.",
        "Student (1908). The probable error of a mean. Biometrika, 6, 1–25.",
        "Welch, B. L. (1947). The generalization of Student's problem when several different population variances are involved. Biometrika, 34, 28–35.",
        "Wilcoxon, F. (1945). Individual comparisons by ranking methods. Biometrics Bulletin, 1, 80–83.",
    ],
)
