"""Readers of Quillmoor: their pace, their winter challenge, their answers; the truth of each beside its generator."""

import numpy as np

from yavik.demo.table import TOWNS, Columns, DemoTable, describe_many, fixed, levels, whole


def reading_pace() -> Columns:
    """Pace = 180 + 6 span + 4 recall + 0.8 practice, SD 18; span, recall and attention correlate at 0.5; rest does
    nothing."""
    rng = np.random.default_rng(501)
    common = rng.normal(size=70)
    span, recall, attention = (0.7 * common + np.sqrt(0.51) * rng.normal(size=70) for _ in range(3))
    practice, rest = rng.gamma(3, 8, 70), rng.normal(7.2, 0.9, 70)
    span, recall, attention = 6.5 + 1.6 * span, 14 + 3 * recall, 50 + 10 * attention
    pace = 180 + 6 * (span - 6.5) + 4 * (recall - 14) + 0.8 * (practice - 24) + rng.normal(0, 18, 70)
    return {
        "reader": [f"R{i + 1:02d}" for i in range(70)],
        "pace": whole(pace),
        "span": fixed(span, 1),
        "recall": whole(recall),
        "attention": whole(attention),
        "rest": fixed(rest, 1),
        "practice": whole(practice),
    }


CARDS = ("child", "adult", "family", "senior")
AGES = ("under 12", "12 to 17", "18 to 39", "40 to 64", "65 and over")


def winter_challenge() -> Columns:
    """Log odds of finishing = −2.2 + 0.09 minutes − 0.0009 minutes² + 0.16 visits + 0.5 reminders (yes) − 0.35 late
    fees + (0.5 family, 0.3 senior) − 0.0 age group; about a third of the late fees are unknown (−1)."""
    rng = np.random.default_rng(502)
    n = 3400
    minutes = np.clip(rng.gamma(3, 12, n), 1, 120)
    visits = rng.poisson(4.2, n)
    reminders = rng.random(n) < 0.5
    fees = rng.poisson(0.7, n)
    card, age = rng.choice(4, n, p=[0.2, 0.4, 0.25, 0.15]), rng.choice(5, n, p=[0.2, 0.14, 0.26, 0.25, 0.15])
    odds = (
        -2.2
        + 0.09 * minutes
        - 0.0009 * minutes**2
        + 0.16 * visits
        + 0.5 * reminders
        - 0.35 * fees
        + np.array([0, 0, 0.5, 0.3])[card]
    )
    finished = rng.random(n) < 1 / (1 + np.exp(-odds))
    known = rng.random(n) > 0.03
    return {
        "reader": [f"W{i + 1:04d}" for i in range(n)],
        "finished": ["yes" if f else "no" for f in finished],
        "minutes": whole(minutes),
        "visits": whole(visits),
        "reminders": ["yes" if r else "no" for r in reminders],
        "late_fees": [str(f) if k else "-1" for f, k in zip(fees, known, strict=True)],
        "card": [CARDS[c] for c in card],
        "age_group": [str(a + 1) for a in age],
        "town": [TOWNS[t] for t in rng.integers(0, 9, n)],
        "joined": [str(np.datetime64("2024-11-01") + int(d)) for d in rng.integers(0, 45, n)],
    }


TUTORS = ("none", "volunteer", "paired readers")


def fluency() -> Columns:
    """Words a minute: child (intercept SD 9, slope SD 0.8) + 2.0 a week, 1.0 more with a volunteer, 2.2 more in
    pairs; 1.5 for each hour slept; SD 4."""
    rng = np.random.default_rng(503)
    child, week = np.repeat(np.arange(36), 6), np.tile(np.arange(1, 7), 36)
    way = np.arange(36) % 3
    slope = 2.0 + np.array([0, 1.0, 2.2])[way] + rng.normal(0, 0.8, 36)
    slept = np.clip(rng.normal(9, 0.8, 216), 6, 12)
    words = 62 + rng.normal(0, 9, 36)[child] + slope[child] * (week - 1) + 1.5 * (slept - 9) + rng.normal(0, 4, 216)
    return {
        "child": [f"C{c + 1:02d}" for c in child],
        "week": whole(week),
        "tutoring": [TUTORS[way[c]] for c in child],
        "slept": fixed(slept, 1),
        "fluency": whole(words),
    }


QUIZ_WORDS = (
    "a bookmark", "a dust jacket", "vellum", "a colophon", "a frontispiece", "a deckle edge", "a quire", "a recto",
    "an incunable",
)  # fmt: skip
QUIZ_DISCRIMINATION = (1.8, 1.2, 0.9, 1.5, 2.1, 0.7, 1.3, 1.0, 1.6)
QUIZ_DIFFICULTY = (-1.5, -1.0, -0.6, -0.2, 0.0, 0.3, 0.7, 1.1, 1.6)


def word_quiz() -> Columns:
    """Two-parameter logistic items with the discriminations and difficulties above; ability is standard normal."""
    rng = np.random.default_rng(504)
    ability = rng.normal(size=(900, 1))
    chance = 1 / (1 + np.exp(-np.array(QUIZ_DISCRIMINATION) * (ability - np.array(QUIZ_DIFFICULTY))))
    right = rng.random((900, 9)) < chance
    return {"reader": [f"Q{i + 1:03d}" for i in range(900)], **{f"item{j + 1}": whole(right[:, j]) for j in range(9)}}


MOTIVES = (
    "I read to forget the day",
    "A good story takes me somewhere else",
    "I read to rest",
    "Reading helps me when I am sad",
    "I lose track of time when I read",
    "I read to learn how things work",
    "I look things up when I do not know them",
    "I read to get better at my work",
    "Facts interest me more than stories",
    "I like to understand why things happen",
    "I would rather do anything than read",
    "I usually read with a pencil in my hand",
)
LOADINGS = (
    (0.75, 0),
    (0.7, 0),
    (0.65, 0),
    (0.6, 0),
    (0.7, 0),
    (0, 0.72),
    (0, 0.68),
    (0, 0.6),
    (0, 0.64),
    (0, 0.7),
    (-0.6, 0),
    (0.05, 0.05),
)
"""Escape and curiosity, correlated at 0.25; item 11 is asked the other way round, item 12 belongs to neither."""


def reading_motives() -> Columns:
    rng = np.random.default_rng(505)
    factors = rng.multivariate_normal([0, 0], [[1, 0.25], [0.25, 1]], 203)
    loadings = np.array(LOADINGS)
    explained = np.einsum("if,fg,ig->i", loadings, np.array([[1, 0.25], [0.25, 1]]), loadings)
    latent = factors @ loadings.T + rng.normal(size=(203, 12)) * np.sqrt(1 - explained)
    answers = np.digitize(latent, [-1.4, -0.5, 0.4, 1.2]) + 1
    unsaid = rng.random((203, 12)) < 0.015
    return {
        "reader": [f"M{i + 1:03d}" for i in range(203)],
        **{
            f"m{j + 1}": ["99" if u else str(a) for a, u in zip(answers[:, j], unsaid[:, j], strict=True)]
            for j in range(12)
        },
    }


ITEMS = [f"m{j + 1}" for j in range(12)]
AGREE = {"1": "not at all", "2": "rather not", "3": "partly", "4": "rather", "5": "fully"}
TABLES = (
    DemoTable(
        "Reading pace",
        "reading-pace.csv",
        reading_pace,
        [
            describe_many(
                ("pace", "Reading pace", "words/min"),
                ("span", "Digits held in mind", "digits"),
                ("recall", "Words recalled", "words"),
                ("attention", "Attention score", None),
                ("rest", "Hours slept", "h"),
                ("practice", "Reading in the last week", "h"),
            )
        ],
    ),
    DemoTable(
        "Winter challenge",
        "winter-challenge.csv",
        winter_challenge,
        [
            {
                "step": "empty_codes",
                "columns": ["late_fees"],
                "codes": ["-1"],
                "meanings": [{"code": "-1", "meaning": "not known"}],
            },
            levels("age_group", {str(i + 1): a for i, a in enumerate(AGES)}),
            {"step": "kind", "column": "age_group", "kind": "ordered"},
            describe_many(
                ("finished", "Finished the challenge", None),
                ("minutes", "Minutes read a day", "min"),
                ("visits", "Visits in the month", "visits"),
                ("reminders", "Got reminders", None),
                ("late_fees", "Late fees in the year before", None),
                ("card", "Type of card", None),
                ("age_group", "Age", None),
                ("joined", "Day of joining", None),
            ),
            {"step": "check_rows", "rule": "0 < minutes <= 600", "name": "plausible minutes"},
        ],
    ),
    DemoTable(
        "Fluency",
        "fluency.csv",
        fluency,
        [
            describe_many(
                ("fluency", "Words read in a minute", "words/min"),
                ("slept", "Hours slept", "h"),
                ("tutoring", "Tutoring", None),
                ("week", "Week", None),
            ),
            {"step": "levels", "column": "tutoring", "levels": [{"value": t} for t in TUTORS]},
            {"step": "panel", "unit": "child", "time": "week"},
        ],
    ),
    DemoTable(
        "Word quiz",
        "word-quiz.csv",
        word_quiz,
        [
            levels("item1", {"0": "wrong", "1": "right"}, [f"item{j}" for j in range(2, 10)]),
            describe_many(*((f"item{j + 1}", f"What is {word}?", None) for j, word in enumerate(QUIZ_WORDS))),
        ],
    ),
    DemoTable(
        "Reading motives",
        "reading-motives.csv",
        reading_motives,
        [
            {
                "step": "empty_codes",
                "columns": ITEMS,
                "codes": ["99"],
                "meanings": [{"code": "99", "meaning": "no answer"}],
            },
            describe_many(*((item, words, None) for item, words in zip(ITEMS, MOTIVES, strict=True))),
            {"step": "reverse", "columns": ["m11"], "low": 1, "high": 5},
            {"step": "score", "name": "escape", "columns": ["m1", "m2", "m3", "m4", "m5", "m11"], "at_least": 5},
            {"step": "score", "name": "curiosity", "columns": ["m6", "m7", "m8", "m9", "m10"], "at_least": 4},
        ],
    ),
)
