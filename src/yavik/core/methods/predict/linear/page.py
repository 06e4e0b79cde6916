"""The page of ``linear``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="How a measurement depends on several columns at once: how much each adds when the others are held, how well all of them together tell it, and what they would say of new cases.",
    assumes=[
        "Rows are independent of one another, or the clusters they come in are named.",
        "The mean of the response is a sum of the terms: straight over each measure unless a power is added, the same in every level unless an interaction is.",
        "Residuals scatter equally widely throughout; robust standard errors do without this.",
        "Residuals are roughly normal; it matters for small numbers of rows and for intervals of single rows.",
        "An estimate speaks of a cause only where the design does.",
    ],
    formulas=[
        ("Model", "y = b₀ + b₁x₁ + … + b_px_p + residual;  b = (X′X)⁻¹X′y"),
        ("Standard errors", "SE² = s²(X′X)⁻¹ᵢᵢ,  s² = RSS/(n − q), q coefficients with the intercept"),
        ("Robust", "(X′X)⁻¹X′ΩX(X′X)⁻¹;  Ω: e² (HC0), e²·n/(n − q) (HC1), e²/(1 − h) (HC2), e²/(1 − h)² (HC3)"),
        ("By cluster", "Ω from the sums of scores in clusters, × G/(G − 1)·(n − 1)/(n − q); t with G − 1 df"),
        ("Term", "F = (Lb)′(LVL′)⁻¹(Lb)/df; with classical errors the comparison of the models with and without"),
        (
            "R²",
            "1 − RSS/TSS;  adjusted 1 − (RSS/(n − q))/(TSS/(n − 1));  predicted 1 − PRESS/TSS, PRESS = Σ[e/(1 − h)]²",
        ),
        ("VIF", "1/(1 − R²ⱼ) with xⱼ told by the others; a term of several columns: GVIF^(1/df)"),
        ("Cook’s distance", "e²h/[q s²(1 − h)²]"),
        ("AIC, BIC", "−2 log L + 2k and −2 log L + k log n; k = coefficients and the residual variance"),
        ("Breusch–Pagan", "n·R² of e² on the terms (Koenker’s form)"),
        ("RESET", "F for adding the square and cube of the fitted values"),
        ("Prediction", "x′b ± t·√(x′Vx) for the mean, ± t·√(x′Vx + s²) for one row"),
    ],
    reading=[
        (
            "b",
            "The change in the response for one unit more, all other terms held. For a level: its distance from the reference level.",
        ),
        ("Unit of change", "A chosen amount makes b readable: per 10 m² instead of per m²."),
        ("β", "b with response and column in standard deviations: which column weighs more in these data."),
        (
            "VIF",
            "By how much the others blow up this estimate’s variance; beyond 5 doubtful, beyond 10 the columns say much the same.",
        ),
        (
            "Predicted R²",
            "R² for rows that the model has not seen, each left out in turn. Well below R²: too many terms.",
        ),
        (
            "Path",
            "After a selection: what entered or left in each round. Every round can be opened as a model of its own.",
        ),
        ("Estimated means", "Means of a category’s levels as if all had the same values of the other columns."),
    ],
    conventions=[
        "Categories have a column for each level but the reference, which is the first level unless another is chosen.",
        "Tests of terms are of type III: a main effect that stands in an interaction with a category is that over the category’s levels counted alike; over a measure it is at the measure’s zero, or at its mean where numbers are counted from there.",
        "Columns that follow from those before them are left out and named; the others stand for them.",
        "Numbers counted from their means: the plain mean of the rows used, in every term where that leaves the model the same (all lower powers and parts are there). Intercept, lower powers and parts of interactions are then said of the middle of the data; fit, predictions and highest powers do not change (Aiken & West, 1991).",
        "Without an intercept R² is about zero, not about the mean.",
        "Weights are weights of precision; they do not count rows. Rows with weight 0 are left out.",
        "AIC and BIC count the residual variance as a parameter; with weights the constant of the weights is left out.",
        "Selection looks at the rows that are filled in all columns offered. A square waits for its column and an interaction for its parts.",
        "Folded R² after a selection (ten folds, in the facts) repeats the selection without each fold.",
        "In pictures and predictions other measures are at their mean and other categories at their most common level; in estimated means other categories’ levels count alike.",
    ],
    references=[
        "Aiken, L. S. & West, S. G. (1991). Multiple Regression: Testing and Interpreting Interactions.",
        "Allen, D. M. (1974). The relationship between variable selection and data augmentation and a method for prediction. Technometrics 16.",
        "Breusch, T. S. & Pagan, A. R. (1979). Econometrica 47; Koenker, R. (1981). Journal of Econometrics 17.",
        "Cook, R. D. (1977). Detection of influential observation in linear regression. Technometrics 19.",
        "Fox, J. & Monette, G. (1992). Generalized collinearity diagnostics. JASA 87.",
        "MacKinnon, J. G. & White, H. (1985). Journal of Econometrics 29.",
        "Liang, K.-Y. & Zeger, S. L. (1986). Biometrika 73.",
        "Ramsey, J. B. (1969). Journal of the Royal Statistical Society B 31.",
    ],
)
