"""Every option of every method gives an answer without holes; what cannot be answered is said in a sentence."""

import json
import math
from typing import Any, get_args

import numpy as np
import pytest

from tests.laws import broken_by
from tests.tables import SQUARE, demo_tables, named, table_from
from yavik.core.answers import Answer, Span, TableBlock
from yavik.core.methods import Run, answer, methods
from yavik.core.methods.registry import new_columns
from yavik.core.table import DataProblem

SUMMARIES = [
    {"label": x, "n": n, "mean": m, "sd": s}
    for x, n, m, s in (("a", 12, 4.1, 1.2), ("b", 15, 5.3, 2.0), ("c", 9, 4.9, 1.1))
]
DOING = [{"label": "doing", "weights": {"with puppets": 1, "acted out": 1, "read aloud": -2}}]
LINED = [
    {"method": "linear", "spec": {"response": "visits", "terms": terms}}
    for terms in (["floor_area"], ["floor_area", "district"], ["hours_open"])
]
LINED_ODDS = [
    {
        "name": "probit",
        "method": "logistic",
        "spec": {"response": "finished", "terms": ["minutes"], "link": "probit"},
    },
    {"method": "logistic", "spec": {"response": "finished", "terms": ["minutes", "late_fees"]}},
    {"method": "logistic", "spec": {"response": "finished", "terms": ["minutes"], "where": "visits > 2"}},
]
LINED_COUNTS = [
    {"method": "counts_model", "spec": {"response": "visits", "terms": ["corner"], "family": f}}
    for f in ("poisson", "negative_binomial", "quasi")
] + [{"method": "linear", "spec": {"response": "visits", "terms": ["corner"]}}]
"""Method, table, spec, and for each option the values to be tried on top of it."""
CASES: list[tuple[str, str, dict[str, Any], dict[str, list[Any]]]] = [
    ("describe", "Room trial", {"columns": ["minutes", "seat"]}, {"by": ["room"]}),
    ("frequencies", "Room trial", {"columns": ["seat", "town"]}, {"by": ["room"]}),
    ("distribution", "Corner visits", {"column": "visits"}, {"by": ["corner"], "bins": [4, 30], "line": [10.0]}),
    ("missing", "Reading motives", {}, {"columns": [["m1", "m10"]]}),
    (
        "correlate",
        "Reading pace",
        {"columns": ["pace", "span", "recall"]},
        {
            "kind": [],
            "adjust": [],
            "holding": [["practice"], ["rest", "practice"]],
            "missing": ["pairwise"],
            "alternative": [],
        },
    ),
    ("correlate", "Branches", {"columns": ["floor_area", "visits"]}, {"lines_by": ["district", "cafe"]}),
    (
        "one_sample",
        "Reading pace",
        {"column": "pace", "value": 160.0},
        {"test": [], "alternative": [], "value": [30.0]},
    ),
    (
        "one_sample",
        "Reading pace",
        {"column": "pace", "value": 160.0, "margin": 15.0},
        {"claim": [], "margin": [5.0]},
    ),
    (
        "compare_paired",
        "Reading pace",
        {"first": "attention", "second": "recall", "margin": 15.0},
        {"claim": [], "margin": [5.0]},
    ),
    (
        "compare_two",
        "Page tint",
        {"response": "brightness", "groups": "mill"},
        {"test": [], "alternative": [], "difference": [0.5], "exact": [], "continuity": [False]},
    ),
    (
        "compare_two",
        "Page tint",
        {"response": "brightness", "groups": "mill", "margin": 2.0},
        {"claim": [], "margin": [0.5], "test": ["student"]},
    ),
    (
        "compare_two",
        "Page tint",
        {"response": "brightness", "groups": "mill", "test": "mann_whitney"},
        {"exact": [], "continuity": [False], "alternative": []},
    ),
    ("compare_two", "Binding glue", {"samples": ["bone glue", "resin"]}, {"test": []}),
    ("compare_two", "Page tint", {"summaries": SUMMARIES[:2]}, {"test": ["student", "welch"]}),
    (
        "compare_spread",
        "Room trial",
        {"response": "minutes", "groups": ["room"]},
        {"test": ["all", "bartlett", "levene", "brown_forsythe"], "groups": [["room", "seat"]]},
    ),
    (
        "compare_spread",
        "Page tint",
        {"response": "brightness", "groups": ["mill"], "test": "f"},
        {"ratio": [2.0], "alternative": []},
    ),
    ("compare_spread", "Binding glue", {"summaries": SUMMARIES}, {"test": ["all", "bartlett"]}),
    ("compare_spread", "Binding glue", {"samples": ["bone glue", "resin"]}, {"test": []}),
    (
        "compare_paired",
        "Reading pace",
        {"first": "attention", "second": "recall"},
        {"test": [], "alternative": [], "difference": [40.0]},
    ),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "samples": []},
        {
            "test": ["auto", "anova", "welch", "brown_forsythe", "kruskal_wallis", "permutation"],
            "pairs": [],
            "contrasts": ["polynomial", "control", DOING],
            "letters_order": [],
            "block": ["group"],
            "spacing": [{"silent": 1, "aloud": 2}],
        },
    ),
    ("compare_groups", "Story hours", {"response": "words", "groups": "telling", "pairs": "dunn"}, {"adjust": []}),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "pairs": "dunnett"},
        {"control": ["acted out"]},
    ),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "contrasts": DOING},
        {"contrasts_adjust": [], "test": ["anova", "welch"]},
    ),
    (
        "compare_groups",
        "Story hours",
        {"response": "words", "groups": "telling", "block": "group"},
        {
            "test": ["auto", "anova", "friedman", "kruskal_wallis", "permutation"],
            "pairs": ["tukey", "lsd", "bonferroni", "holm", "sidak", "scheffe", "dunnett", "snk", "duncan"],
            "contrasts": ["polynomial", "control", DOING],
        },
    ),
    (
        "compare_groups",
        "Story hours",
        {"summaries": SUMMARIES},
        {"test": ["auto", "anova", "welch", "brown_forsythe"], "pairs": ["tukey", "snk", "dunnett", "games_howell"]},
    ),
    (
        "factorial",
        "Seat and light, unbalanced",
        {"response": "minutes", "factors": ["seat", "light"]},
        {
            "interactions": ["all", "none", [["seat", "light"]]],
            "sums_of_squares": [],
            "pairs": [],
            "pairs_of": [[["seat", "light"]], [["light"]]],
        },
    ),
    (
        "factorial",
        "Fluency",
        {"response": "fluency", "factors": ["tutoring", "week"], "covariates": ["slept"]},
        {"at": [{"slept": 8.0}], "block": ["child"]},
    ),
    ("repeated", "Binding glue", {"columns": ["bone glue", "starch paste", "resin"]}, {"correction": [], "test": []}),
    (
        "repeated",
        "Fluency",
        {"response": "fluency", "subject": "child", "within": "week"},
        {"between": ["tutoring"], "covariates": [["slept"]], "correction": [], "test": []},
    ),
    (
        "crosstab",
        "Winter challenge",
        {"rows": "card", "columns": "finished"},
        {"layers": ["reminders"], "exact": [], "draws": [199]},
    ),
    ("crosstab", "Winter challenge", {"rows": "age_group", "columns": "card"}, {"count": ["visits"]}),
    ("proportion", "Winter challenge", {"column": "finished"}, {"event": ["no"], "groups": ["card"], "value": [0.5]}),
    ("proportion", "Winter challenge", {"column": "finished", "groups": "reminders"}, {"alternative": []}),
    (
        "proportion",
        "Winter challenge",
        {"column": "finished", "groups": "reminders", "margin": 0.1},
        {"claim": [], "margin": [0.05]},
    ),
    ("proportion", "Winter challenge", {"column": "finished", "value": 0.5, "margin": 0.1}, {"claim": []}),
    (
        "goodness_of_fit",
        "Winter challenge",
        {"column": "card"},
        {"expected": [{"adult": 4, "child": 2, "family": 2, "senior": 2}], "fitted": [1]},
    ),
    (
        "paired_proportions",
        "Word quiz",
        {"columns": ["item1", "item2"]},
        {"columns": [["item1", "item2", "item3"]], "event": ["wrong"]},
    ),
    (
        "study_size",
        "Branches",
        {},
        {
            "difference": [1.5],
            "design": [],
            "find": [],
            "column": ["visits"],
            "sd": [2.0],
            "ratio": [2.0],
            "power": [0.95],
            "alternative": [],
        },
    ),
    (
        "study_size",
        "Branches",
        {"design": "two_proportions"},
        {"find": [], "share": [0.1], "other_share": [0.9], "ratio": [3.0]},
    ),
    ("study_size", "Branches", {"design": "chi_square"}, {"find": [], "df": [4], "effect": [0.1], "n": [200]}),
    ("study_size", "Branches", {"design": "one_way"}, {"find": [], "groups": [6], "effect": [0.1]}),
    (
        "mixed",
        "Quiet desks",
        {
            "response": "pages",
            "terms": ["lamp", "noise", {"interaction": ["lamp", "noise"]}],
            "random": [{"units": ["hall"]}, {"units": ["hall", "lamp"]}],
        },
        {
            "terms": [[], ["lamp"], ["noise"]],
            "random": [
                [{"units": ["hall"]}],
                [{"units": ["hall"]}, {"units": ["hall", "noise"]}],
            ],
            "fit": [],
            "df": [],
            "zero": ["mean"],
            "weigh": [],
            "adjust": [],
            "reference": [{"lamp": "both"}],
            "intercept": [False],
            "at": [{"lamp": "desk"}],
            "predict_at": [[{"lamp": "both", "noise": "55"}]],
            "means_of": [[["lamp", "noise"]]],
            "sets": [[{"of": ["noise"], "within": ["lamp"], "kind": k}] for k in ("all", "to_level", "polynomial")],
            "where": ['hall != "hall 3"'],
            "simulate": [
                {"term": "lamp", "draws": 99},
                *(
                    {
                        "term": ["lamp", "noise"],
                        "draws": 99,
                        "type": t,
                        "margin": 2.0,
                        "contrasts": [{"label": "quiet", "weights": {"both × 35": 1, "desk × 35": -1}}],
                    }
                    for t in ("two_sided", "less", "greater", "non_inferiority", "equivalence")
                ),
            ],
        },
    ),
    (
        "mixed",
        "Fluency",
        {"response": "fluency", "subject": "child", "time": "week", "between": ["tutoring"], "covariates": ["slept"]},
        {
            "covariance": [],
            "spread": [],
            "time_as": [],
            "interactions": ["all", "none", [["week", "tutoring"]]],
            "fit": [],
            "df": [],
            "between": [[]],
            "at": [{"slept": 7.0}],
            "per": [{"slept": 2.0}],
            "covariates": [[]],
            "simulate": [{"term": "tutoring", "draws": 99}],
        },
    ),
    (
        "mixed",
        "Fluency",
        {"response": "fluency", "terms": ["week", "slept"], "random": [{"units": ["child"], "slopes": ["week"]}]},
        {
            "random": [
                [{"units": ["child"], "slopes": ["week"], "related": False}],
                [{"units": ["child"], "slopes": ["week", "slept"]}],
                [{"units": ["child"], "slopes": ["week"], "intercept": False}],
            ],
            "fit": ["ml"],
            "df": ["kenward_roger"],
            "simulate": [{"term": "slept", "draws": 99}],
        },
    ),
    (
        "linear",
        "Branches",
        {"response": "visits", "terms": ["floor_area", "hours_open", "district"]},
        {
            "terms": [
                ["cafe"],
                [{"column": "floor_area", "power": 3}],
                ["cafe", "bus", {"interaction": ["cafe", "bus"]}],
            ],
            "reference": [{"district": "Moor edge"}],
            "means_of": [[["district"]]],
            "sets": [[{"of": ["district"], "kind": k}] for k in ("all", "to_level", "consecutive", "polynomial")],
            "adjust": [],
            "weigh": [],
            "intercept": [False],
            "zero": ["mean"],
            "per": [{"floor_area": 10.0}],
            "at": [{"hours_open": 40.0, "district": "Lakeside"}],
            "predict_at": [[{"floor_area": 2000.0}, {"district": "Moor edge", "hours_open": 30.5}]],
            "weights": ["staff"],
            "se": ["classical", "hc0", "hc1", "hc2", "hc3"],
            "selection": ["forward", "backward", "stepwise"],
            "where": ['district != "Lakeside"'],
        },
    ),
    (
        "linear",
        "Reading pace",
        {"response": "pace", "terms": ["span", "recall", "attention", "rest", "practice"], "selection": "stepwise"},
        {"choose_by": ["p", "aic", "bic", "adjusted_r2"], "enter": [0.2], "remove": [0.01], "seed": [7]},
    ),
    (
        "linear",
        "Reading pace",
        {"response": "pace", "terms": ["span", "recall", "rest"], "selection": "best_subsets", "choose_by": "bic"},
        {"choose_by": ["aic", "adjusted_r2"]},
    ),
    (
        "linear",
        "Branches",
        {"response": "visits", "terms": ["floor_area"], "se": "cluster", "cluster": "town"},
        {"se": []},
    ),
    (
        "logistic",
        "Winter challenge",
        {"response": "finished", "terms": ["minutes", "visits", "card"]},
        {
            "event": ["no", "yes"],
            "terms": [
                ["card"],
                [{"column": "minutes", "power": 2}, "minutes"],
                ["reminders", "visits", {"interaction": ["reminders", "visits"]}],
            ],
            "link": [],
            "interval": ["profile"],
            "zero": ["mean"],
            "penalty": [],
            "cutoff": [0.05, 0.95],
            "se": ["hc0", "hc1"],
            "reference": [{"card": "senior"}],
            "means_of": [[["card"]]],
            "sets": [[{"of": ["card"], "kind": k}] for k in ("all", "to_level", "consecutive", "polynomial")],
            "adjust": [],
            "weigh": [],
            "intercept": [False],
            "per": [{"minutes": 10.0}],
            "at": [{"minutes": 30.0, "card": "child"}],
            "predict_at": [[{"minutes": 500.0}, {"card": "senior"}]],
            "selection": ["forward", "backward", "stepwise"],
        },
    ),
    (
        "logistic",
        "Winter challenge",
        {"response": "finished", "terms": ["minutes", "visits", "town", "age_group"], "selection": "stepwise"},
        {"choose_by": ["aic", "bic"], "enter": [0.001], "remove": [0.5]},
    ),
    (
        "logistic",
        "Winter challenge",
        {"response": "finished", "terms": ["minutes", "card"], "se": "cluster", "cluster": "town"},
        {},
    ),
    (
        "reliability",
        "Reading motives",
        {"items": ["m1", "m2", "m3", "m4", "m5", "m11"]},
        {"reversed": [[], ["m11"]], "split": [], "items": [["m1", "m2"], [f"m{i}" for i in range(1, 13)]]},
    ),
    (
        "factor_analysis",
        "Reading motives",
        {"items": [f"m{i}" for i in range(1, 13)]},
        {
            "extraction": [],
            "rotation": [],
            "factors": ["kaiser", 1, 3, 4],
            "delta": [-2.0, 0.5],
            "hide_below": [0.0, 0.5],
            "sorted": [],
            "kaiser_normalisation": [],
            "missing": ["pairwise"],
            "scores": [],
            "names": [{"m1": "Escape", "m12": "Pencil"}],
            "items": [["m1", "m2", "m3"], ["m1", "m2", "m3", "m6"]],
            "draws": [100],
        },
    ),
    (
        "factor_analysis",
        "Reading motives",
        {"items": [f"m{i}" for i in range(1, 12)], "rotation": "promax", "factors": 2, "extraction": "ml"},
        {"power": [2.0, 6.0], "factors": [1, 3]},
    ),
    (
        "principal_components",
        "Reading pace",
        {"items": ["pace", "span", "recall", "attention", "rest", "practice"]},
        {
            "matrix": [],
            "components": ["parallel", 1, 3, 6],
            "rotation": [],
            "hide_below": [0.4],
            "sorted": [],
            "missing": ["pairwise"],
            "draws": [100],
        },
    ),
    (
        "item_response",
        "Word quiz",
        {"items": [f"item{i}" for i in range(1, 10)]},
        {
            "model": [],
            "sort_by": [],
            "grouped": [],
            "shown": [["item3"], ["item1", "item9"]],
            "mark_difficulty": [],
            "ability": [-1.5, 2.0],
            "score": [4.0, 99.0],
            "theta": [[-2.0, 0.0, 2.0]],
            "nodes": [21, 81],
            "items": [["item1", "item2"], ["item1", "item2", "item3"]],
        },
    ),
    (
        "item_response",
        "Reading motives",
        {"items": ["m1", "m2", "m3", "m4"], "sort_by": "difficulty"},
        {"order": [], "grouped": [], "theta": [[0.0]], "key": [{"m1": "5", "m2": "5", "m3": "5", "m4": "5"}]},
    ),
    (
        "series",
        "Monthly loans",
        {"value": "loans", "time": "month"},
        {
            "transform": [],
            "difference": [1, 2],
            "seasonal_difference": [1],
            "season": [1, 4],
            "lags": [5, 60],
            "adf_lags": [0, 3],
            "kpss_lags": [0, 4],
        },
    ),
    ("series", "Waiting list", {"value": "waiting"}, {"time": ["quarter"]}),
    *(
        (m, "Monthly loans", {"value": "loans", "time": "month"}, {"within": ["loans"], "doubled": ["mean"]})
        for m in ("series", "arima", "smoothing")
    ),
    (
        "arima",
        "Monthly loans",
        {"value": "loans", "time": "month", "candidates": [[1, 1, 0], [0, 1, 1]], "hold_out": 12},
        {
            "candidates": [[[2, 1, 1]], "suggested", "grid"],
            "seasonal": [[0, 1, 1, 12], [1, 0, 0, 12]],
            "drift": ["yes", "no"],
            "transform": [],
            "choose_by": [],
            "hold_out": [0, 30],
            "horizon": [3, 40],
            "main": ["(1, 1, 0)"],
            "regressors": [["loans"]],
        },
    ),
    ("arima", "Waiting list", {"value": "waiting"}, {"time": ["quarter"], "grid": [[1, 1, 1]]}),
    (
        "smoothing",
        "Monthly loans",
        {"value": "loans", "time": "month", "trend": "none"},
        {
            "trend": [],
            "error": [],
            "seasonal": [],
            "season": [4, 1],
            "hold_out": [0, 30],
            "horizon": [3],
            "main": ["additive errors, level alone"],
        },
    ),
    ("smoothing", "Waiting list", {"value": "waiting"}, {"time": ["quarter"]}),
    (
        "community_test",
        "Genre loans",
        {"taxa": ["genre 01", "genre 02", "genre 03", "genre 04", "genre 05"], "groups": "site"},
        {
            "names": ["quarter"],
            "transform": [],
            "standardise": [["sample"], ["taxon_max", "sample"]],
            "block": ["club"],
            "kind": [],
            "dissimilarity": [],
            "permutations": [199],
            "about": [],
            "adjust": [],
        },
    ),
    (
        "ordination",
        "Genre loans",
        {"taxa": ["genre 01", "genre 02", "genre 03", "genre 04", "genre 05", "genre 06"], "starts": 4},
        {
            "groups": ["site"],
            "names": ["quarter"],
            "transform": [],
            "standardise": [["sample"]],
            "kind": [],
            "dissimilarity": [],
            "environment": [["damp", "rent"]],
            "dimensions": [1, 3],
            "permutations": [199],
            "axes": [[2, 1]],
            "beside": [[3], [3, 20], [999]],
            "mirrored": [[1], [2, 1]],
            "taxa_too": [],
        },
    ),
    (
        "ordination",
        "Genre loans",
        {"taxa": ["genre 01", "genre 02", "genre 03", "genre 04"], "starts": 2, "groups": "site"},
        {"hulls": [], "ellipses": [], "lines": []},
    ),
    (
        "ordination",
        "Genre loans",
        {"taxa": ["genre 01", "genre 02"], "kind": "principal_coordinates", "environment": ["distance", "damp"]},
        {"turned": [["distance"]], "dissimilarity": ["gower"]},
    ),
    (
        "ordination",
        "Genre loans",
        {"taxa": ["genre 01", "damp", "club"], "dissimilarity": "gower", "starts": 2},
        {"further": [["site"], ["distance"]], "kind": ["principal_coordinates"]},
    ),
    (
        "ordination",
        "Square",
        {"distances": SQUARE, "starts": 2},
        {"groups": ["site"], "kind": ["principal_coordinates"], "beside": [[1, 2]], "taxa_too": []},
    ),
    (
        "community_test",
        "Square",
        {"distances": SQUARE, "groups": "site", "permutations": 99},
        {"kind": ["permanova"], "about": ["centroid"]},
    ),
    (
        "community_test",
        "Genre loans",
        {"taxa": ["genre 01", "damp"], "groups": "site", "permutations": 99, "dissimilarity": "gower"},
        {"further": [["club"]]},
    ),
    ("clustering", "Square", {"distances": SQUARE}, {"k": [3], "linkage": ["ward"]}),
    (
        "clustering",
        "Genre loans",
        {"taxa": ["genre 01", "damp"], "dissimilarity": "gower"},
        {"further": [["club", "site"]]},
    ),
    (
        "survey_estimate",
        "Reader survey 2023",
        {"columns": ["read_week", "visits"]},
        {
            "columns": [["trust"], ["age", "town", "sex"]],
            "by": ["sex", "town"],
            "statistic": ["mean", "share", "total"],
            "event": ["no"],
            "few": [400],
            "loose": [0.01],
            "design": [
                {"weight": "wt"},
                {"weight": "wt", "strata": "town", "clusters": "age", "lone": "pooled"},
                {"weight": "wt", "replicates": [f"rw{k}" for k in range(1, 9)], "method": "fay", "fay": 0.3},
                {"weight": "wt", "replicates": [f"rw{k}" for k in range(1, 9)], "method": "jkn", "scale": 0.5},
            ],
        },
    ),
    (
        "survey_estimate",
        "Reader survey 2023",
        {"columns": ["visits", "age"], "statistic": "quantile"},
        {"part": [0.1, 0.9], "by": ["trust"], "statistic": ["ratio"]},
    ),
    (
        "survey_estimate",
        "Reader survey 2023",
        {"columns": ["visits", "read_week"], "by": "sex"},
        {"across": ["town", "trust"], "statistic": ["total"]},
    ),
    (
        "survey_compare",
        "Reader survey, both waves",
        {"response": "read_week", "groups": "wave"},
        {
            "event": ["no"],
            "groups": ["town", "trust"],
            "response": ["visits", "trust"],
            "adjust": [],
            "few": [2000],
            "loose": [0.001],
            "design": [{"weight": "weight", "clusters": "age"}],
        },
    ),
    (
        "survey_model",
        "Reader survey 2023",
        {"response": "read_week", "terms": ["age", "sex"]},
        {
            "family": ["auto", "logistic"],
            "event": ["no"],
            "response": ["visits"],
            "terms": [
                ["age"],
                [{"column": "age", "power": 2}, "age"],
                ["sex", "age", {"interaction": ["sex", "age"]}],
            ],
            "reference": [{"sex": "male"}],
            "intercept": [False],
            "zero": ["mean"],
            "per": [{"age": 10.0}],
            "at": [{"age": 30.0, "sex": "male"}],
            "predict_at": [[{"age": 60.0}, {"sex": "male"}]],
            "means_of": [[["sex"]]],
            "sets": [[{"of": ["sex"], "kind": k}] for k in ("all", "to_level")],
            "adjust": [],
            "weigh": [],
            "few": [500],
            "loose": [0.01],
            "design": [{"weight": "wt", "clusters": "town"}, {"weight": "wt"}],
        },
    ),
    (
        "survey_crosstab",
        "Reader survey 2023",
        {"rows": "trust", "columns": "read_week"},
        {
            "rows": ["town"],
            "columns": ["sex"],
            "shares": [],
            "intervals": [],
            "few": [500],
            "loose": [0.01],
            "design": [{"weight": "wt", "strata": "sex"}],
        },
    ),
    (
        "discriminant",
        "Room trial",
        {"columns": ["lux", "minutes", "pages"], "groups": "room"},
        {"prior": [], "columns": [["minutes"], ["pages", "minutes"]], "groups": ["light", "town"]},
    ),
    (
        "clustering",
        "Genre loans",
        {"taxa": ["genre 01", "genre 02", "genre 03", "genre 04", "genre 05"]},
        {
            "groups": ["site"],
            "names": ["quarter"],
            "transform": [],
            "standardise": [["sample"]],
            "kind": [],
            "linkage": [],
            "dissimilarity": [],
            "k": [2, 5],
            "height": [0.3, 0.0],
            "starts": [3],
        },
    ),
    ("clustering", "Reading pace", {"columns": ["pace", "span", "recall"]}, {"scale": ["none"], "kind": ["kmeans"]}),
    (
        "diversity",
        "Genre loans",
        {"taxa": ["genre 01", "genre 02", "genre 03", "genre 04", "genre 05"]},
        {"groups": ["site"], "names": ["quarter"], "transform": ["none"], "standardise": [[]]},
    ),
    (
        "contributions",
        "Genre loans",
        {"taxa": ["genre 01", "genre 02", "genre 03", "genre 04", "genre 05"], "groups": "site"},
        {
            "names": ["quarter"],
            "transform": [],
            "standardise": [["sample"]],
            "dissimilarity": [],
            "cutoff": [0.5, 1.0],
            "pairs": [[["hill", "harbour"]]],
        },
    ),
    (
        "agreement",
        "Returned books",
        {"raters": ["ines", "oskar"]},
        {"weights": [], "raters": [["ines", "oskar", "petra"]], "kind": ["kappa", "icc", "limits"]},
    ),
    (
        "agreement",
        "Returned books",
        {"raters": ["counter", "cellar"]},
        {"kind": ["icc", "limits"]},
    ),
    (
        "counts_model",
        "Winter challenge",
        {"response": "visits", "terms": ["minutes", "reminders", "card"]},
        {
            "terms": [
                ["card"],
                [{"column": "minutes", "power": 2}, "minutes"],
                ["minutes", "reminders", {"interaction": ["minutes", "reminders"]}],
            ],
            "exposure": ["minutes"],
            "family": [],
            "se": ["hc0", "hc1", "hc2", "hc3"],
            "zero": ["mean"],
            "reference": [{"card": "senior"}],
            "means_of": [[["card"]]],
            "sets": [[{"of": ["card"], "kind": k}] for k in ("all", "to_level", "consecutive", "polynomial")],
            "adjust": [],
            "weigh": [],
            "intercept": [False],
            "per": [{"minutes": 10.0}],
            "at": [{"minutes": 30.0, "card": "child"}],
            "predict_at": [[{"minutes": 500.0}, {"card": "senior"}]],
            "selection": ["forward", "backward", "stepwise"],
        },
    ),
    (
        "counts_model",
        "Winter challenge",
        {"response": "visits", "terms": ["minutes", "town", "age_group"], "selection": "stepwise", "family": "quasi"},
        {"choose_by": ["p"], "enter": [0.5], "remove": [0.5]},
    ),
    (
        "counts_model",
        "Corner visits",
        {"response": "visits", "terms": ["corner"], "family": "negative_binomial", "selection": "forward"},
        {"choose_by": ["aic", "bic"]},
    ),
    (
        "counts_model",
        "Winter challenge",
        {"response": "visits", "terms": ["minutes", "card"], "se": "cluster", "cluster": "town"},
        {},
    ),
    (
        "panel",
        "Branch years",
        {"outcome": "loans", "terms": ["staff", "hours", "rural"], "unit": "branch", "time": "year"},
        {"models": [["pooled", "random"]], "main": [], "se": [], "reference": [{"rural": "yes"}]},
    ),
    (
        "discontinuity",
        "Grant round",
        {"outcome": "visits_after", "running": "score", "cutoff": 50},
        {
            "treatment": ["grant"],
            "bandwidth": [],
            "bias_bandwidth": [12.0],
            "degree": [0, 1, 2, 3],
            "kernel": [],
            "se": [],
            "cluster": ["branch"],
            "covariates": [["visits_before"]],
            "placebo_outcomes": [["visits_before"]],
            "placebo_cutoffs": [[40.0, 60.0]],
            "donut": [0.5],
            "windows": [[1.0, 2.0]],
            "density_bin": [1.0],
            "density_bandwidth": [8.0],
        },
    ),
    (
        "difference_in_differences",
        "Evening opening",
        {"outcome": "loans", "period": "month", "treated": "evenings", "base": "8"},
        {
            "unit": ["branch"],
            "starts": ["branch"],
            "se": [],
            "cluster": ["branch"],
            "weights": ["month"],
            "draws": [199],
            "covariates": [["branch"]],
        },
    ),
    (
        "line_up",
        "Corner visits",
        {"models": LINED_COUNTS},
        {"show": [], "marks": []},
    ),
    (
        "line_up",
        "Branches",
        {"models": LINED},
        {"chosen": [1], "show": ["b"], "brackets": [], "marks": [], "rows": []},
    ),
    (
        "line_up",
        "Winter challenge",
        {"models": LINED_ODDS},
        {"show": [], "brackets": [], "marks": [], "rows": [], "models": [LINED_ODDS[:1]]},
    ),
    ("study_size", "Branches", {"design": "correlation"}, {"find": [], "effect": [0.6], "alternative": []}),
]


def values_of(method: str, option: str) -> list[Any]:
    """All values of an option that is a choice."""
    found: list[Any] = []

    def walk(kind: Any) -> None:
        for part in get_args(kind):
            if isinstance(part, str):
                found.append(part)
            else:
                walk(part)

    annotation = methods()[method].Spec.model_fields[option].annotation
    if annotation is bool:
        return [True, False]
    walk(annotation)
    return list(dict.fromkeys(found))


TRIED = [
    (method, table, {**spec, option: value})
    for method, table, spec, options in CASES
    for option, values in options.items()
    for value in (values or values_of(method, option))
]
COMMON = [
    (method, table, {**spec, **more})
    for method, table, spec, _ in CASES
    for more in ({"alpha": 0.01}, {"seed": 5}, {"where": "row > 2"}, {"without": [1, 3]})
]


def holes(data: Any, path: str = "") -> list[str]:
    if isinstance(data, dict):
        return [h for k, v in data.items() for h in holes(v, f"{path}.{k}")]
    if isinstance(data, list):
        return [h for i, v in enumerate(data) for h in holes(v, f"{path}[{i}]")]
    return [path] if isinstance(data, float) and not math.isfinite(data) else []


def sound(found: Answer) -> None:
    data = found.model_dump(mode="json")
    try:
        json.dumps(data, allow_nan=False)
    except ValueError:
        pytest.fail(f"not finite: {holes(data)}")
    assert found.headline.rstrip().endswith(".") and "nan" not in found.headline.lower()
    assert found.short and found.rows.used <= found.rows.total
    for block in found.blocks:
        if isinstance(block, TableBlock):
            keys = {c.key for c in block.columns}
            for row in block.rows:
                assert keys <= set(row), (block.id, keys - set(row))
                for cell in row.values():
                    assert cell.v is not None or cell.why or cell.s != "–", (block.id, cell)
                    assert "nan" not in cell.s.lower().split()
        elif block.type == "figure":
            assert block.alt and "NaN" not in json.dumps(block.drawing)
    assert broken_by(found) == []


@pytest.mark.parametrize(
    ("method", "table", "spec"), [*TRIED, *COMMON], ids=lambda x: x if isinstance(x, str) else None
)
def test_every_option_gives_a_sound_answer(method: str, table: str, spec: dict[str, Any]) -> None:
    said: list[list[Span]] = []
    try:
        found = answer(method, named(table), spec, Run(say=said.append))
    except DataProblem as problem:
        # An option may be refused where the question cannot carry it; the sentence says why.
        assert len(problem.message) > 20 and problem.message[0].isupper() and problem.message.endswith((".", "?"))
        assert (method, next(reversed(spec))) in REFUSABLE, problem.message
        return
    sound(found)
    assert said in ([], [found.headline_spans])  # what is said before the rest is ready is what the answer says


EARLY = (
    "one_sample", "compare_two", "compare_paired", "compare_groups", "factorial", "correlate", "linear", "logistic",
    "counts_model", "mixed", "difference_in_differences", "discontinuity", "panel",
)  # fmt: skip


@pytest.mark.parametrize("method", EARLY)
def test_methods_of_large_tables_say_their_statement_first(method: str) -> None:
    table, spec = next((t, s) for m, t, s in TRIED if m == method and "margin" not in s)
    order: list[str] = []
    answer(
        method, named(table), spec, Run(lambda _part, what: order.append(what), say=lambda _: order.append("said"))
    )
    assert order.count("said") == 1
    again = spec | {"without": [1]}
    answer(method, named(table), again, Run(say=lambda _: order.append("said")))
    assert order.count("said") == 2  # once more: what it would be without a row is not said for it


REFUSABLE = {
    ("series", "within"),  # beside dates
    ("arima", "within"),
    ("smoothing", "within"),
    ("arima", "regressors"),  # the series itself
    ("difference_in_differences", "starts"),
    ("discontinuity", "se"),  # by cluster without clusters
    ("compare_spread", "test"),  # F of more than two
    ("compare_spread", "where"),  # two mills of four: a row less leaves one value
    ("study_size", "alternative"),
    ("study_size", "where"),
    ("repeated", "where"),  # a child without its first week is left out
    ("repeated", "without"),
    ("one_sample", "value"),
    ("proportion", "value"),
}


def test_every_option_is_tried() -> None:
    """A new option of a method fails here until it stands in the list."""
    tried: dict[str, set[str]] = {}
    for method, _, spec, options in CASES:
        tried.setdefault(method, set()).update(spec, options)
    shared = {"alpha", "where", "by", "without", "alternative", "missing", "seed"}
    for id, method in methods().items():
        assert set(method.Spec.model_fields) - shared <= tried.get(id, set()), id


@pytest.mark.parametrize(
    ("method", "table", "spec", "by"),
    [
        ("compare_two", "Room trial", {"response": "minutes", "groups": "consent", "test": "mann_whitney"}, "room"),
        ("compare_groups", "Room trial", {"response": "minutes", "groups": "room"}, "light"),
        ("one_sample", "Room trial", {"column": "minutes", "value": 40.0}, "room"),
        ("correlate", "Branches", {"columns": ["visits", "floor_area"]}, "district"),
        ("crosstab", "Winter challenge", {"rows": "reminders", "columns": "finished"}, "card"),
        ("goodness_of_fit", "Winter challenge", {"column": "card"}, "finished"),
    ],
)
def test_again_for_each_level(method: str, table: str, spec: dict[str, Any], by: str) -> None:
    data = demo_tables()[table]
    try:
        found = answer(method, data, {**spec, "by": by})
    except DataProblem as problem:  # all visitors consent: no room has two levels
        assert "one level" in problem.message
        return
    sound(found)
    levels = [r["level"].s for r in found.block("levels").rows]
    assert len(levels) > 1
    name = levels[0]
    alone = answer(method, data, {**spec, "where": f'{by} == "{name}"'})
    assert found.facts[f"{name}.p"] == pytest.approx(alone.facts["p"])
    assert found.rows.used <= found.rows.total


def test_a_level_that_cannot_be_answered_says_why_beside_the_others() -> None:
    table = table_from(y=[1, 2, 3, 4, 9, 9], g=["a", "a", "b", "b", "a", "a"], k=["u", "u", "u", "u", "v", "v"])
    found = answer("compare_two", table, {"response": "y", "groups": "g", "by": "k"})
    says = {r["level"].s: r["says"].s for r in found.block("levels").rows}
    assert (says["v"].startswith("No answer: g has one level") and "−" in found.headline) or "=" in found.headline
    with pytest.raises(DataProblem, match="already stands in the sentence"):
        answer("compare_two", table, {"response": "y", "groups": "g", "by": "g"})


def test_with_and_without_rows_says_yes_or_no() -> None:
    y = [1, 2, 3, 2, 1, 2, 3, 30, 2, 3, 2, 3, 4, 3, 2, 3]
    table = table_from(y=y, g=["a"] * 8 + ["b"] * 8)
    found = answer("compare_two", table, {"response": "y", "groups": "g", "without": [8]})
    block = found.block("without")
    assert [r["n"].v for r in block.rows] == [16, 15]
    rest = answer("compare_two", table, {"response": "y", "groups": "g", "where": "row != 8"})
    assert found.facts["without.p"] == pytest.approx(rest.facts["p"])
    assert block.rows[1]["says"].s == rest.headline
    changed = (found.facts["p"] < 0.05) != (rest.facts["p"] < 0.05)
    assert ("changes" in block.note) == changed
    nothing = answer("compare_two", table, {"response": "y", "groups": "g", "without": [99]})
    assert "None of the rows" in nothing.block("without").text


def test_a_line_for_each_level() -> None:
    branches = demo_tables()["Branches"]
    found = answer("correlate", branches, {"columns": ["floor_area", "visits"], "lines_by": "district"})
    rows = {r["group"].s: r for r in found.block("fit").rows}
    assert len(rows) == 4 and sum(r["n"].v for r in rows.values()) == 120
    alone = answer("correlate", branches, {"columns": ["floor_area", "visits"], "where": 'district == "Lakeside"'})
    assert rows["Lakeside"]["r2"].v == pytest.approx(alone.facts["r2"])
    with pytest.raises(DataProblem, match="stands in two places"):
        answer("correlate", branches, {"columns": ["floor_area", "visits"], "lines_by": "visits"})


@pytest.mark.parametrize(
    ("method", "table", "spec"),
    [
        ("compare_groups", "Story hours", {"response": "words", "groups": "telling"}),
        ("compare_groups", "Story hours", {"response": "words", "groups": "telling", "block": "group"}),
        ("factorial", "Seat and light, unbalanced", {"response": "minutes", "factors": ["seat", "light"]}),
        ("factorial", "Fluency", {"response": "fluency", "factors": ["tutoring", "week"], "covariates": ["slept"]}),
    ],
)
def test_fitted_values_and_residuals_make_up_the_measurement(method: str, table: str, spec: dict[str, Any]) -> None:
    data = demo_tables()[table]
    (_, fitted), (_, residual) = new_columns(data, method, spec)
    y = data.numbers(spec["response"])
    assert np.array(fitted) + np.array(residual) == pytest.approx(y)
    found = answer(method, data, spec)
    key = "residual.ss" if method == "factorial" else "anova.ss_within"
    assert float((np.array(residual) ** 2).sum()) == pytest.approx(found.facts[key])
