"""The page of ``logistic``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="What a yes/no response goes with: by how much each column multiplies the odds of the event when the others are held, and how well all of them together tell yes from no.",
    assumes=[
        "Rows are independent of one another.",
        "The log odds of the event are a sum of the terms: straight over each measure unless a power is added.",
        "There are enough rows of the rarer outcome, about ten for each coefficient.",
        "No column tells yes from no without a miss; where one does, the penalised fit still has estimates.",
        "An odds ratio speaks of a cause only where the design does.",
    ],
    formulas=[
        ("Logit", "log[π/(1 − π)] = b₀ + b₁x₁ + …;  odds ratio = e^b for one unit more, e^(cb) for c units"),
        ("Other links", "probit: Φ⁻¹(π);  complementary log–log: log[−log(1 − π)]"),
        ("Estimates", "maximum likelihood by Newton steps; SE from the expected information X′WX"),
        ("Wald", "z = b/SE; a term of several columns: b′V⁻¹b, χ² with as many df"),
        ("Likelihood ratio", "2(log L − log L₀), χ²"),
        ("Profile interval", "all values of b for which 2(log L − max over the others) < χ²(1; 1 − α)"),
        ("Firth", "maximises log L + ½ log |X′WX|"),
        ("R²", "McFadden 1 − log L/log L₀;  Cox–Snell 1 − (L₀/L)^(2/n);  Nagelkerke: that over 1 − L₀^(2/n)"),
        (
            "Area under the ROC curve",
            "the share of pairs of a yes and a no in which the yes has the higher probability; SE by DeLong",
        ),
        ("Hosmer–Lemeshow", "Σ (O − E)²/[E(1 − E/n)] over ten groups of rising probability; df = groups − 2"),
        ("Brier score", "mean of (y − π)²"),
        ("Cook’s distance", "r²h/[q(1 − h)], r the standardised Pearson residual"),
    ],
    reading=[
        (
            "Event",
            "What is predicted. It stands in the sentence and in the heads of all tables; another choice turns every sign round.",
        ),
        ("Odds ratio", "Above 1 the event becomes likelier. 1.17 for a visit: the odds grow by 17 % with each."),
        (
            "Area under the ROC curve",
            ".5 is guessing, .7 is some use, .9 is sharp. The area for rows not seen says what to expect of new ones.",
        ),
        (
            "Cut-off",
            "From which probability the event is said. Lower it and more events are found, with more false alarms.",
        ),
        (
            "Hosmer–Lemeshow",
            "A small p says that said and seen probabilities differ somewhere; the calibration picture shows where.",
        ),
        (
            "Separation",
            "A column tells yes from no without a miss: its odds ratio has no end. Firth’s fit gives an estimate with an interval.",
        ),
    ],
    conventions=[
        "The event is yes, 1 or true unless another is chosen, else the last level.",
        "Categories have a column for each level but the reference, which is the first level unless another is chosen.",
        "Tests of terms are Wald tests of type III: a main effect that stands in an interaction with a category is that over the category’s levels counted alike; over a measure it is at the measure’s zero, or at its mean where numbers are counted from there.",
        "A probability at the cut-off counts as the event.",
        "Ties in probability stay in one group of Hosmer–Lemeshow, so that groups may differ in size.",
        "AIC and BIC count the coefficients.",
        "Selection enters by score tests and removes by likelihood-ratio tests, or goes by AIC or BIC of fitted models; with the penalty by penalised likelihoods throughout.",
        "Folds: ten parts drawn by the seed, each told by a model fitted without it; a selection is repeated in each.",
        "With the penalty (Firth) intervals are by the profile of the penalised likelihood and p by its ratio, up to the size where that takes long; so are tests of terms where whole columns are tested, else Wald tests.",
        "Numbers counted from their means: the plain mean of the rows used, in every term where that leaves the model the same. Intercept, lower powers and parts of interactions are then said of the middle of the data.",
        "Estimated means hold measures at their means and count other categories’ levels alike on the scale of the terms.",
    ],
    references=[
        "Albert, A. & Anderson, J. A. (1984). On the existence of maximum likelihood estimates in logistic regression models. Biometrika 71.",
        "DeLong, E. R., DeLong, D. M. & Clarke-Pearson, D. L. (1988). Biometrics 44.",
        "Firth, D. (1993). Bias reduction of maximum likelihood estimates. Biometrika 80.",
        "Hosmer, D. W. & Lemeshow, S. (1980). Communications in Statistics A 9.",
        "Nagelkerke, N. J. D. (1991). Biometrika 78; Brier, G. W. (1950). Monthly Weather Review 78.",
        "Pregibon, D. (1981). Logistic regression diagnostics. Annals of Statistics 9.",
        "Venzon, D. J. & Moolgavkar, S. H. (1988). Applied Statistics 37.",
    ],
)
