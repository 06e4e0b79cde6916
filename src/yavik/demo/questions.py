"""Questions that stand answered in the demo."""

from typing import Any

GENRES = [f"genre {k + 1:02d}" for k in range(48) if k not in (11, 29, 40)]

TOLD: list[tuple[str, str, str, dict[str, Any]]] = [
    ("Seat and light", "Seat and light together", "factorial", {"response": "minutes", "factors": ["seat", "light"]}),
    (
        "Story hours",
        "Ways of telling",
        "compare_groups",
        {
            "response": "words",
            "groups": "telling",
            "block": "group",
            "contrasts": [
                {
                    "label": "doing against hearing",
                    "weights": {"with puppets": 0.5, "acted out": 0.5, "read aloud": -0.5, "told freely": -0.5},
                }
            ],
        },
    ),
    ("Page tint", "Brightness of two mills", "compare_two", {"response": "brightness", "groups": "mill"}),
    (
        "Winter challenge",
        "Visits with and without reminders",
        "compare_two",
        {"response": "visits", "groups": "reminders", "margin": 0.5},
    ),
    (
        "Corner visits",
        "Visits to three corners",
        "compare_groups",
        {"response": "visits", "groups": "corner", "test": "kruskal_wallis"},
    ),
    (
        "Reading motives",
        "Reading to escape, as a scale",
        "reliability",
        {"items": ["m1", "m2", "m3", "m4", "m5", "m11", "m12"]},
    ),
    (
        "Reading motives",
        "What lies behind motives",
        "factor_analysis",
        {"items": [f"m{j}" for j in range(1, 13)], "names": {"m1": "Escape", "m6": "Curiosity"}},
    ),
    (
        "Word quiz",
        "How the quiz measures",
        "item_response",
        {
            "items": [f"item{j}" for j in range(1, 10)],
            "sort_by": "difficulty",
            "shown": ["item1", "item5", "item9"],
            "ability": 0.8,
        },
    ),
    (
        "Reading motives",
        "Steps of escaping",
        "item_response",
        {"items": ["m1", "m2", "m3", "m4", "m5", "m11"], "shown": ["m2", "m4"]},
    ),
    (
        "Reading pace",
        "Pace and its company, summed up",
        "principal_components",
        {"items": ["pace", "span", "recall", "attention", "rest", "practice"]},
    ),
    ("Returned books", "Condition as three judge it", "agreement", {"raters": ["ines", "oskar", "petra"]}),
    ("Returned books", "Two scales on one book", "agreement", {"raters": ["counter", "cellar"], "kind": "limits"}),
    (
        "Corner visits",
        "How much more the tent draws",
        "counts_model",
        {"response": "visits", "terms": ["corner"], "family": "negative_binomial"},
    ),
    (
        "Fluency",
        "Fluency over six weeks",
        "repeated",
        {"response": "fluency", "within": "week", "subject": "child", "between": "tutoring"},
    ),
    (
        "Quiet desks",
        "Lamps and noise in six halls",
        "mixed",
        {
            "response": "pages",
            "terms": ["lamp", "noise", {"interaction": ["lamp", "noise"]}],
            "random": [{"units": ["hall"]}, {"units": ["hall", "lamp"]}],
            "simulate": {"term": ["lamp", "noise"]},
        },
    ),
    (
        "Fluency",
        "Tutoring week by week",
        "mixed",
        {
            "response": "fluency",
            "time": "week",
            "between": ["tutoring"],
            "subject": "child",
            "covariates": ["slept"],
            "covariance": "toeplitz",
            "sets": [
                {"of": ["tutoring"], "within": ["week"], "kind": "all"},
                {"of": ["week"], "kind": "to_level", "level": "1"},
            ],
        },
    ),
    (
        "Story hours",
        "Telling, groups of children at random",
        "mixed",
        {
            "response": "words",
            "terms": ["telling"],
            "random": [{"units": ["group"]}],
            "sets": [{"of": ["telling"], "kind": "all"}],
        },
    ),
    (
        "Evening opening",
        "What opening in the evening brought",
        "difference_in_differences",
        {"outcome": "loans", "period": "month", "treated": "evenings", "unit": "branch", "base": "8"},
    ),
    (
        "Grant round",
        "Visits where the grant begins",
        "discontinuity",
        {"outcome": "visits_after", "running": "score", "cutoff": 50, "placebo_outcomes": ["visits_before"]},
    ),
    (
        "Genre loans",
        "Genres that make sites differ",
        "contributions",
        {"taxa": GENRES, "groups": "site", "transform": "sqrt"},
    ),
    (
        "Genre loans",
        "How quarters lie to one another",
        "ordination",
        {
            "taxa": GENRES,
            "groups": "site",
            "transform": "sqrt",
            "environment": ["damp", "distance", "age", "rent"],
            "hulls": True,
        },
    ),
    ("Genre loans", "Quarters that belong together", "clustering", {"taxa": GENRES, "transform": "sqrt"}),
    ("Genre loans", "Diversity of quarters", "diversity", {"taxa": GENRES, "groups": "site"}),
    (
        "Genre loans",
        "Do genres differ with a reading club",
        "community_test",
        {"taxa": GENRES, "groups": "club", "block": "site", "transform": "sqrt"},
    ),
    (
        "Branches",
        "What tells districts apart",
        "discriminant",
        {"columns": ["visits", "floor_area", "shelf_metres", "staff", "hours_open"], "groups": "district"},
    ),
    (
        "Reader survey 2023",
        "How many read in a week",
        "survey_estimate",
        {"columns": ["read_week", "visits"], "by": "sex"},
    ),
    (
        "Reader survey 2023",
        "Reading and trust",
        "survey_crosstab",
        {"rows": "trust", "columns": "read_week", "intervals": True},
    ),
    ("Monthly loans", "Loans over sixteen years", "series", {"value": "loans", "time": "month"}),
    (
        "Waiting list",
        "The waiting list, differenced",
        "series",
        {"value": "waiting", "time": "quarter", "difference": 1},
    ),
    ("Monthly loans", "Loans to come", "arima", {"value": "loans", "time": "month"}),
    ("Monthly loans", "Loans carried on", "smoothing", {"value": "loans", "time": "month"}),
    (
        "Branch years",
        "Loans of all branches by year",
        "series",
        {"value": "loans", "time": "year", "doubled": "sum"},
    ),
    (
        "Waiting list",
        "Which model for the waiting list",
        "arima",
        {"value": "waiting", "time": "quarter", "candidates": "grid", "grid": [2, 1, 2]},
    ),
    (
        "Reading pace",
        "What goes with reading pace",
        "correlate",
        {"columns": ["pace", "span", "recall", "attention", "rest", "practice"], "adjust": "holm"},
    ),
    (
        "Winter challenge",
        "Reminders and finishing",
        "crosstab",
        {"rows": "reminders", "columns": "finished", "layers": "card"},
    ),
    ("Branches", "A study of visits", "study_size", {"column": "visits", "difference": 80}),
    (
        "Branches",
        "What predicts visits",
        "linear",
        {"response": "visits", "terms": ["floor_area", "hours_open", "cafe", "district"], "per": {"floor_area": 10}},
    ),
]
"""Table, name, method and spec of questions that stand answered in the demo; each in the method's fitting layout."""

LINKED: dict[str, list[tuple[str, str, dict[str, Any]]]] = {
    "Reader survey, both waves": [
        ("Reading, 2023 to 2025", "survey_compare", {"response": "read_week", "groups": "wave"}),
        ("What goes with reading", "survey_model", {"response": "read_week", "terms": ["wave", "age", "sex"]}),
    ],
}
"""Questions about tables that are made from others: their names, methods and specs."""
