"""The library's branches, in one year and over many; the truth of each table beside its generator."""

import numpy as np

from yavik.demo.table import TOWNS, Columns, DemoTable, describe_many, fixed, whole

DISTRICTS = ("Upper valley", "Lower valley", "Lakeside", "Moor edge")
DISTRICT_VISITS = (0.0, 60.0, 110.0, -40.0)


def branches() -> Columns:
    """Weekly visits = 80 + 0.92 floor area + 6.5 hours open + 45 with a café + district − 0.05 distance to the bus;
    SD 60.
    Shelf metres follow the floor area (r about 0.95) and add nothing of their own."""
    rng = np.random.default_rng(601)
    n = 120
    area = np.clip(rng.gamma(6, 60, n), 70, 1100)
    hours = np.clip(rng.normal(34, 8, n), 12, 60)
    cafe, district = rng.random(n) < 0.35, rng.integers(0, 4, n)
    shelf = 2.1 * area + rng.normal(0, 95, n)
    bus = rng.gamma(2, 140, n)
    visits = (
        80
        + 0.92 * area
        + 6.5 * hours
        + 45 * cafe
        + np.array(DISTRICT_VISITS)[district]
        - 0.05 * bus
        + rng.normal(0, 60, n)
    )
    return {
        "branch": [f"B{i + 1:03d}" for i in range(n)],
        "town": [TOWNS[t] for t in rng.integers(0, 9, n)],
        "district": [DISTRICTS[d] for d in district],
        "visits": whole(np.maximum(visits, 20)),
        "floor_area": whole(area),
        "hours_open": fixed(hours, 1),
        "shelf_metres": whole(shelf),
        "cafe": ["yes" if c else "no" for c in cafe],
        "bus": whole(bus),
        "founded": whole(rng.integers(1868, 2015, n)),
        "staff": fixed(1 + area / 170 + rng.gamma(2, 0.4, n), 1),
        "books": whole(shelf * 29 + rng.normal(0, 900, n)),
    }


def branch_years() -> Columns:
    """Log loans = branch (SD 0.5) + year + 0.10 staff + 0.012 hours + 0.04 log fund; staff goes with the branch's
    level, so that pooling overstates it. Seven rows were never sent in, so the panel is not balanced."""
    rng = np.random.default_rng(602)
    branch, year = np.repeat(np.arange(60), 8), np.tile(np.arange(2016, 2024), 60)
    level = rng.normal(0, 0.5, 60)
    staff = np.clip(4 + 2.2 * level[branch] + rng.normal(0, 0.8, 480) + 0.05 * (year - 2016), 0.5, None)
    hours, fund = np.clip(32 + rng.normal(0, 5, 480), 10, 60), rng.lognormal(9.5, 0.6, 480)
    loans = np.exp(
        8.2
        + level[branch]
        + 0.015 * (year - 2016)
        + 0.10 * staff
        + 0.012 * hours
        + 0.04 * np.log(fund)
        + rng.normal(0, 0.12, 480)
    )
    rural, founded = rng.random(60) < 0.4, rng.integers(1880, 2010, 60)
    return {
        "branch": [f"B{b + 1:02d}" for b in branch],
        "year": whole(year),
        "loans": whole(loans),
        "staff": fixed(staff, 1),
        "hours": fixed(hours, 1),
        "fund": whole(fund),
        "rural": ["yes" if rural[b] else "no" for b in branch],
        "founded": whole(founded[branch]),
    }


def branch_register() -> Columns:
    """What the council keeps of the same sixty branches; two are missing from it, and one name is written
    otherwise."""
    rng = np.random.default_rng(609)
    names = [f"B{b + 1:02d}" for b in range(60) if b not in (16, 43)] + ["B61", "B62"]
    names[4] = "b05"
    n = len(names)
    return {
        "Branch": names,
        "town": [TOWNS[t] for t in rng.integers(0, 9, n)],
        "rent": whole(rng.gamma(4, 900, n)),
        "steps_free": ["yes" if x else "no" for x in rng.random(n) < 0.6],
    }


def evening_opening() -> Columns:
    """Monthly loans of 40 branches over 16 months; 18 of them open in the evening from month 9 on and gain 120
    loans."""
    rng = np.random.default_rng(603)
    branch, month = np.repeat(np.arange(40), 16), np.tile(np.arange(1, 17), 40)
    opens = np.arange(40) < 18
    after = month >= 9
    loans = (
        900
        + rng.normal(0, 180, 40)[branch]
        + 6 * month
        + 60 * opens[branch]
        + 120 * (opens[branch] & after)
        + rng.normal(0, 70, 640)
    )
    return {
        "branch": [f"E{b + 1:02d}" for b in branch],
        "month": whole(month),
        "period": ["after" if a else "before" for a in after],
        "evenings": ["yes" if opens[b] else "no" for b in branch],
        "loans": whole(loans),
    }


def grant_round() -> Columns:
    """Branches with a need score of 50 or more got a grant, worth 35 visits a week the year after; SD 40."""
    rng = np.random.default_rng(604)
    n = 1300
    score = np.clip(rng.normal(48, 15, n), 0, 100)
    before = 300 - 1.2 * score + rng.normal(0, 40, n)
    after = 0.7 * before + 80 - 0.4 * score + 35 * (score >= 50) + rng.normal(0, 40, n)
    return {
        "branch": [f"G{i + 1:04d}" for i in range(n)],
        "score": fixed(score, 1),
        "grant": ["yes" if s >= 50 else "no" for s in np.round(score, 1)],
        "visits_before": whole(before),
        "visits_after": whole(after),
    }


GENRES = 48


def genre_loans() -> Columns:
    """Loans of 48 genres in 24 branch quarters: hill and harbour (12 each) favour other genres, half of each has a
    reading club, which adds to a third of the genres. Three genres were never lent."""
    rng = np.random.default_rng(605)
    site, club = np.repeat([0, 1], 12), np.tile([0, 1], 12)
    base, lean, club_effect = (
        rng.normal(1.2, 1.1, GENRES),
        rng.normal(0, 0.8, GENRES),
        np.where(np.arange(GENRES) % 3 == 0, 0.7, 0.0),
    )
    rate = np.exp(
        base + lean * (site[:, None] - 0.5) + club_effect * club[:, None] + rng.normal(0, 0.4, (24, GENRES))
    )
    loans = rng.poisson(rate)
    loans[:, [11, 29, 40]] = 0
    return {
        "quarter": [f"{'hill' if s == 0 else 'harbour'} {i % 12 + 1}" for i, s in enumerate(site)],
        "site": ["hill" if s == 0 else "harbour" for s in site],
        "club": ["yes" if c else "no" for c in club],
        "distance": fixed(rng.gamma(2, 1.4, 24), 1),
        "age": whole(rng.integers(8, 120, 24)),
        "rent": whole(rng.gamma(4, 220, 24)),
        "damp": fixed(np.clip(40 + 18 * site + rng.normal(0, 7, 24), 20, 90), 0),
        **{f"genre {j + 1:02d}": whole(loans[:, j]) for j in range(GENRES)},
    }


def monthly_loans() -> Columns:
    """16 years: 4 000 rising by 9 a month, a yearly wave of ±350, and an autoregression of 0.6 with SD 160."""
    rng = np.random.default_rng(606)
    month = np.arange(192)
    noise = np.zeros(192)
    for t in range(1, 192):
        noise[t] = 0.6 * noise[t - 1] + rng.normal(0, 160)
    loans = 4000 + 9 * month + 350 * np.sin(2 * np.pi * (month % 12) / 12) + noise
    return {"month": [str(np.datetime64("2008-01", "M") + int(m)) + "-01" for m in month], "loans": whole(loans)}


WAITING_CARRIED, WAITING_SHOCK, WAITING_DRIFT = 0.5, 0.3, 1.5
"""Of the waiting list: its change carries half of the change before and 0.3 of the surprise before, and drifts by
1.5 a quarter."""


def waiting_list() -> Columns:
    """200 quarters of people waiting for new books: an integrated series of order (1, 1, 1), surprises of SD 9."""
    rng = np.random.default_rng(612)
    surprise = rng.normal(0, 9, 260)
    change = np.zeros(260)
    for t in range(1, 260):
        carried = WAITING_DRIFT + WAITING_CARRIED * (change[t - 1] - WAITING_DRIFT)
        change[t] = carried + surprise[t] + WAITING_SHOCK * surprise[t - 1]
    waiting = 400 + np.cumsum(change[60:])
    return {"quarter": [f"{1974 + q // 4}Q{q % 4 + 1}" for q in range(200)], "waiting": whole(waiting)}


TABLES = (
    DemoTable(
        "Branches",
        "branches.csv",
        branches,
        [
            describe_many(
                ("visits", "Visits a week", "visits"),
                ("floor_area", "Floor area", "m²"),
                ("hours_open", "Hours open a week", "h"),
                ("shelf_metres", "Shelf length", "m"),
                ("cafe", "Has a café", None),
                ("bus", "Distance to the bus", "m"),
                ("founded", "Founded in", None),
                ("staff", "Staff", "posts"),
                ("books", "Books held", "books"),
            ),
            {"step": "check_rows", "rule": "1850 <= founded <= 2025", "name": "plausible years"},
        ],
    ),
    DemoTable(
        "Branch years",
        "branch-years.csv",
        branch_years,
        [
            {"step": "panel", "unit": "branch", "time": "year"},
            describe_many(
                ("loans", "Loans in the year", "loans"),
                ("staff", "Staff", "posts"),
                ("hours", "Hours open a week", "h"),
                ("fund", "Fund for books", "crowns"),
                ("founded", "Founded in", None),
            ),
            {"step": "lag", "columns": ["loans"], "by": ["branch"], "order": "year"},
        ],
    ),
    DemoTable(
        "Branch register",
        "branch-register.csv",
        branch_register,
        [describe_many(("rent", "Rent in the year", "crowns"), ("steps_free", "Without steps", None))],
    ),
    DemoTable(
        "Evening opening",
        "evening-opening.csv",
        evening_opening,
        [describe_many(("loans", "Loans in the month", "loans"), ("evenings", "Opens in the evening", None))],
    ),
    DemoTable(
        "Grant round",
        "grant-round.csv",
        grant_round,
        [
            describe_many(
                ("score", "Need score", "points"),
                ("visits_before", "Visits a week, year before", "visits"),
                ("visits_after", "Visits a week, year after", "visits"),
            )
        ],
    ),
    DemoTable(
        "Genre loans",
        "genre-loans.csv",
        genre_loans,
        [
            describe_many(
                ("distance", "Distance to the next branch", "km"),
                ("age", "Age of the building", "years"),
                ("rent", "Rent", "crowns"),
                ("damp", "Damp", "%"),
                ("club", "Has a reading club", None),
            ),
            {"step": "drop_empty", "what": "columns", "zeros": True},
        ],
    ),
    DemoTable(
        "Monthly loans",
        "monthly-loans.csv",
        monthly_loans,
        [describe_many(("loans", "Loans in the month", "loans"), ("month", "Month", None))],
    ),
    DemoTable(
        "Waiting list",
        "waiting-list.csv",
        waiting_list,
        [describe_many(("waiting", "People waiting for new books", "people"), ("quarter", "Quarter", None))],
    ),
)
