"""The page of ``repeated``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="Whether a measurement changes over times or conditions that every subject went through, and whether groups of subjects change differently.",
    assumes=[
        "Subjects are independent of one another; each has one value at every time.",
        "Residuals scatter roughly normally.",
        "Sphericity: the differences between any two times spread alike. Corrected df make up for it where they do not.",
        "Covariates belong to subjects; of several values of one subject the mean is taken.",
    ],
    formulas=[
        (
            "Within subjects",
            "with orthonormal contrasts M over time and Z = YM: SS = tr(H), error = tr(E); df times t − 1",
        ),
        ("Mauchly's W", "W = |E| / [tr(E)/(t − 1)]^(t − 1), p by Box's two-term approximation"),
        ("Greenhouse–Geisser ε", "ε̂ = tr(E)² / [(t − 1) tr(E²)]"),
        ("Huynh–Feldt ε", "ε̃ = [(ν + 1)(t − 1)ε̂ − 2] / {(t − 1)[ν − (t − 1)ε̂]}, ν = subjects − groups, at most 1"),
        ("Friedman", "χ² = [Σ(Rⱼ − b(k + 1)/2)²] / [bk(k + 1)/12 − Σ(t³ − t)/(12(k − 1))]"),
    ],
    reading=[
        (
            "Time × group",
            "Whether groups change differently. If so, the change over time has to be read for each group.",
        ),
        ("ε", "1 where sphericity holds, 1/(times − 1) at worst; both df are multiplied by it."),
        ("Pairs of times", "Each from the differences of the same subjects, so that subjects' levels drop out."),
    ],
    conventions=[
        "Automatic always corrects by Greenhouse and Geisser; it does not choose by Mauchly's test on the same data.",
        "Huynh and Feldt's ε is in Lecoutre's corrected form.",
        "Subjects that lack a time are left out, and said.",
        "Tests are of type III; covariates are centred, so that the test over time is at their mean.",
        "Pairs of times: p by Holm, intervals by Bonferroni, each with the spread of its own differences.",
    ],
    references=[
        "Friedman, M. (1937). The use of ranks to avoid the assumption of normality implicit in the analysis of variance. JASA, 32, 675–701.",
        "Greenhouse, S. W., & Geisser, S. (1959). On methods in the analysis of profile data. Psychometrika, 24, 95–112.",
        "Huynh, H., & Feldt, L. S. (1976). Estimation of the Box correction for degrees of freedom. Journal of Educational Statistics, 1, 69–82.",
        "Lecoutre, B. (1991). A correction for the ε̃ approximate test in repeated measures designs. Journal of Educational Statistics, 16, 371–372.",
        "Mauchly, J. W. (1940). Significance test for sphericity of a normal n-variate distribution. Annals of Mathematical Statistics, 11, 204–209.",
    ],
)
