"""Small experiments of the Quillmoor researchers; the truth of each stands beside its generator."""

import numpy as np

from yavik.demo.table import Columns, DemoTable, describe, describe_many, fixed, whole

SEATS = ("Armchair", "Bench", "Window nook", "Standing desk")
LIGHTS = ("daylight", "warm")
SEAT_EFFECTS = (6.0, 0.0, 4.0, -5.0)
"""Minutes above the mean of 42; warm light takes 3 off; SD 6; no interaction."""


def seat_and_light() -> Columns:
    rng = np.random.default_rng(401)
    seat = np.tile(np.repeat(np.arange(4), 2), 8)
    light = np.tile([0, 1], 32)
    minutes = 42 + np.array(SEAT_EFFECTS)[seat] - 3.0 * light + rng.normal(0, 6, 64)
    return {"seat": [SEATS[s] for s in seat], "light": [LIGHTS[x] for x in light], "minutes": fixed(minutes, 1)}


def seat_and_light_unbalanced() -> Columns:
    """Six visits were lost: three at the standing desk in warm light, two in armchairs, one on a bench."""
    whole_table = seat_and_light()
    lost = {7, 15, 23, 0, 8, 2}
    return {k: [v for i, v in enumerate(values) if i not in lost] for k, values in whole_table.items()}


TELLINGS = ("read aloud", "told freely", "with pictures", "with puppets", "acted out")
TELLING_EFFECTS = (0.0, 1.5, 3.0, 3.5, 6.0)
"""Words above 14; the nine groups of children differ with SD 2.5, the rest has SD 1.8."""


def story_hours() -> Columns:
    rng = np.random.default_rng(402)
    group = np.repeat(np.arange(9), 5)
    way = np.concatenate([rng.permutation(5) for _ in range(9)])
    words = 14 + np.array(TELLING_EFFECTS)[way] + rng.normal(0, 2.5, 9)[group] + rng.normal(0, 1.8, 45)
    return {"group": [f"group {g + 1}" for g in group], "telling": [TELLINGS[w] for w in way], "words": whole(words)}


NOISES = (35, 45, 55, 65)
LAMPS = ("desk", "ceiling", "both")


def quiet_desks() -> Columns:
    """Pages ~ 24, less 0.12 for each dB above 35; 'both' lamps give 2 more. Halls SD 2, hall × lamp SD 1.2, rest SD
    1.5."""
    rng = np.random.default_rng(415)
    hall, lamp, noise = (a.ravel() for a in np.meshgrid(np.arange(6), np.arange(3), np.arange(4), indexing="ij"))
    db = np.array(NOISES)[noise]
    pages = 24 - 0.12 * (db - 35) + np.array([0, 0.5, 2.0])[lamp]
    pages = pages + rng.normal(0, 2, 6)[hall] + rng.normal(0, 1.2, (6, 3))[hall, lamp] + rng.normal(0, 1.5, 72)
    return {
        "hall": [f"hall {h + 1}" for h in hall],
        "lamp": [LAMPS[x] for x in lamp],
        "noise": whole(db),
        "pages": fixed(pages, 1),
    }


def page_tint() -> Columns:
    """Four readings from each of two mills: means 92.0 and 90.4, SD 0.7."""
    rng = np.random.default_rng(404)
    tint = np.concatenate([rng.normal(92.0, 0.7, 4), rng.normal(90.4, 0.7, 4)])
    return {"mill": ["Upper mill"] * 4 + ["Lower mill"] * 4, "brightness": fixed(tint, 2)}


CORNERS = {"shelves": 4.0, "cushions": 9.0, "tent": 14.0}
"""Mean visits a day; counts are negative binomial (size 2), so they are skewed and tie often."""


def corner_visits() -> Columns:
    rng = np.random.default_rng(405)
    corner = np.repeat(list(CORNERS), 10)
    mean = np.array([CORNERS[c] for c in corner])
    visits = rng.poisson(rng.gamma(2.0, mean / 2.0))
    order = rng.permutation(30)
    return {"day": whole(np.arange(1, 31)), "corner": [str(corner[i]) for i in order], "visits": whole(visits[order])}


SEAT_STEPS = [
    describe("minutes", "Minutes read", "min"),
    {"step": "levels", "column": "seat", "levels": [{"value": s} for s in SEATS]},
]
TABLES = (
    DemoTable("Seat and light", "seat-and-light.csv", seat_and_light, SEAT_STEPS),
    DemoTable("Seat and light, unbalanced", "seat-and-light-58.csv", seat_and_light_unbalanced, SEAT_STEPS),
    DemoTable(
        "Story hours",
        "story-hours.csv",
        story_hours,
        [
            describe_many(
                ("words", "Words recalled", "words"),
                ("group", "Group of children", None),
                ("telling", "Way of telling", None),
            ),
            {"step": "levels", "column": "telling", "levels": [{"value": t} for t in TELLINGS]},
        ],
    ),
    DemoTable(
        "Quiet desks",
        "quiet-desks.csv",
        quiet_desks,
        [
            describe_many(
                ("pages", "Pages proofread in an hour", "pages"),
                ("noise", "Noise at the desk", "dB"),
                ("lamp", "Lamp", None),
                ("hall", "Hall", None),
            ),
            {"step": "levels", "column": "noise", "levels": [{"value": str(n)} for n in NOISES]},
            {"step": "levels", "column": "lamp", "levels": [{"value": x} for x in LAMPS]},
        ],
    ),
    DemoTable("Page tint", "page-tint.csv", page_tint, [describe("brightness", "Brightness of the page", "%")]),
    DemoTable(
        "Corner visits",
        "corner-visits.csv",
        corner_visits,
        [
            describe_many(
                ("visits", "Children's visits in a day", "visits"), ("corner", "Layout of the corner", None)
            ),
            {"step": "levels", "column": "corner", "levels": [{"value": c} for c in CORNERS]},
            {"step": "check_rows", "rule": "visits >= 0", "name": "no negative counts"},
        ],
    ),
)
