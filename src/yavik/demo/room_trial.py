"""Room trial: how long visitors of the Quillmoor branches read in three kinds of room.

The truth: minutes ~ Normal(mean, sd) with Alcove (38.5, 6), Gallery (43.5, 14), Winter garden (48.5, 9.5), floored
at 4; pages about 0.72 a minute; seat and lux are given by turns and have no effect; 5 of the pages are −9 (not
counted); 4 of 112 visitors gave no consent. Spread differs between rooms, so the classical F is not the test to use.
"""

import csv
import io

import numpy as np

TOWNS = ("Aldmere", "Brackwell", "Corrin", "Dunfold", "Eastley", "Fenwick Cross", "Garrow", "Hollin", "Isbury")
ROOMS = {"Alcove": (30, 38.5, 6.0), "Gallery": (40, 43.5, 14.0), "Winter garden": (38, 48.5, 9.5)}
SEATS = {"1": "Armchair", "2": "Bench", "3": "Window nook", "4": "Standing desk"}
SEED = 1935


def rows() -> list[dict[str, str]]:
    rng = np.random.default_rng(SEED)
    rooms = [room for room, (n, _, _) in ROOMS.items() for _ in range(n)]
    consent = ["yes"] * len(rooms) + ["no"] * 4
    rooms += ["Alcove", "Gallery", "Gallery", "Winter garden"]
    order = rng.permutation(len(rooms))
    uncounted = set(rng.choice([i for i, j in enumerate(order) if consent[j] == "yes"], 5, replace=False).tolist())
    out = []
    for i, j in enumerate(order):
        _, mean, sd = ROOMS[rooms[j]]
        minutes = max(4.0, rng.normal(mean, sd))
        pages = max(0, round(minutes * 0.72 + rng.normal(0, 3)))
        out.append(
            {
                "visitor": f"V{101 + i}",
                "town": TOWNS[int(rng.integers(len(TOWNS)))],
                "room": rooms[j],
                "seat": str(i % 4 + 1),
                "lux": str(int(rng.integers(520, 900) if i % 2 == 0 else rng.integers(120, 380))),
                "minutes": f"{minutes:.1f}",
                "pages": "-9" if i in uncounted else str(pages),
                "consent": consent[j],
            }
        )
    return out


def as_csv() -> bytes:
    out = io.StringIO()
    data = rows()
    writer = csv.DictWriter(out, list(data[0]), lineterminator="\n")
    writer.writeheader()
    writer.writerows(data)
    return out.getvalue().encode()


STEPS: list[dict[str, object]] = [
    {"step": "empty_codes", "columns": ["pages"], "codes": ["-9"]},
    {"step": "levels", "column": "seat", "levels": [{"value": v, "label": w} for v, w in SEATS.items()]},
    {"step": "keep_rows", "where": 'consent == "yes"'},
    {"step": "compute", "name": "light", "expression": '"daylight" if lux > 500 else "warm"'},
    {
        "step": "describe_column",
        "column": "minutes",
        "label": "Minutes read",
        "unit": "min",
        "note": "One visit, timed at the door of the room",
    },
    {"step": "describe_column", "column": "room", "label": "Reading room"},
    {"step": "describe_column", "column": "pages", "label": "Pages read in one visit", "unit": "pages"},
    {"step": "describe_column", "column": "lux", "label": "Light at the seat", "unit": "lx"},
]
