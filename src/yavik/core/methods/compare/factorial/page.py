"""The page of ``factorial``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="How a measurement varies with two to five factors, whether the effect of one depends on another, with covariates held constant and blocks taken out; balanced or not.",
    assumes=[
        "Rows are independent within blocks; no person or plot stands in more rows than the blocks say.",
        "Residuals scatter roughly normally, with the same spread in every cell.",
        "Covariates go with the measurement along a straight line of the same slope in every cell.",
        "Blocks shift the measurement by an amount of their own and change nothing else.",
    ],
    formulas=[
        ("Model", "y = μ + blocks + Σ b·(x − x̄) + main effects + interactions + residual, effects summing to zero"),
        ("Type III", "SS(term) = RSS(model without it) − RSS(model)"),
        ("Type II", "SS(term) = RSS(terms that do not contain it) − RSS(those and it)"),
        ("Type I", "SS(term) = RSS(terms before it) − RSS(those and it)"),
        ("Test", "F = [SS(term)/df] / [RSS/df of residual]"),
        ("Estimated mean", "the model's value for the levels named, other factors averaged with equal weights"),
        ("Partial η²", "SS(term) / [SS(term) + RSS]"),
    ],
    reading=[
        (
            "Interaction",
            "The effect of one factor differs over the levels of another. Then main effects are averages over unlike things.",
        ),
        (
            "Estimated mean",
            "What the mean would be if every cell had as many rows and covariates stood where the table says.",
        ),
        ("Simple effects", "Whether one factor matters at each single level of the other."),
        ("Partial η²", "The term's share of what is left when the other terms are taken out."),
    ],
    conventions=[
        "Factors are coded to sum to zero; type III tests equal weights of cells, whatever their sizes.",
        "Type III of a term is not given where an interaction that contains it has cells without rows: equal weights cannot be had. Type II and I can.",
        "Covariates are centred, and enter type I before blocks and factors.",
        "Pairs compare estimated means with the residual of the whole model; with unequal cells Tukey's is Kramer's form.",
        "Letters go from the lowest mean.",
    ],
    references=[
        "Fisher, R. A. (1925). Statistical Methods for Research Workers. Oliver & Boyd.",
        "Kramer, C. Y. (1956). Biometrics, 12, 307–310.",
        "Searle, S. R. (1987). Linear Models for Unbalanced Data. Wiley.",
        "Yates, F. (1934). The analysis of multiple classifications with unequal numbers in the different classes. JASA, 29, 51–66.",
    ],
)
