"""The page of ``line_up``."""

from yavik.core.methods.base import Page

PAGE = Page(
    answers="Which of several models of one response to report: estimates aligned by term, measures of fit, and a test between neighbours.",
    assumes=[
        "All models are of the same response, and of the same event where it is yes/no.",
        "Criteria and tests compare models on the same rows; where a model could use more, it is fitted again on those that all can use.",
        "A test between neighbours needs one of them to hold all terms of the other.",
    ],
    formulas=[
        ("Least squares", "F = [(RSS₀ − RSS₁)/(df₀ − df₁)] / (RSS₁/df₁)"),
        ("Likelihood", "χ² = 2(log L₁ − log L₀), df the difference in coefficients"),
    ],
    reading=[
        ("Bold", "An estimate whose p is below α, and the best value in a row of fit."),
        (
            "Against the one before, p",
            "Does the larger of the two neighbours tell more than the smaller? Small: it does.",
        ),
        ("AIC, BIC", "Smaller is better. BIC asks more of each further term. Differences below about 2 say little."),
        ("Best for other rows", "Predicted R², or an area for rows not seen, tells more about new data than R²."),
    ],
    conventions=[
        "Estimates are for one unit of the column, whatever unit of change the model’s own question shows.",
        "Rows are the same for all models unless each model’s own are asked for.",
        "Intervals are at the line-up’s own level.",
        "With standard errors in place of intervals under an odds ratio, the error is that of b.",
    ],
    references=["Burnham, K. P. & Anderson, D. R. (2002). Model selection and multimodel inference."],
)
