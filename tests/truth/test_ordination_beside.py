"""What stands beside an ordination: any kind of column, dissimilarities given, two samples, outlines, names apart."""

from typing import Any

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from scipy.spatial import procrustes
from scipy.spatial.distance import pdist, squareform

from tests.tables import SQUARE, demo_tables, square_of_quarters, table_from
from yavik.core.answers import Answer
from yavik.core.figures.names_apart import DOT, LETTER, PLACES, names_apart, offset
from yavik.core.methods import answer
from yavik.core.methods.kit.taxa_given import room_for
from yavik.core.stats.communities.group_tests import Spaced, distances_to_middle, to_centroid
from yavik.core.stats.communities.ordination import aligned, ellipse, hull, taxa_at
from yavik.core.stats.communities.unlike import Unlike, any_kind, parts_between, unlike
from yavik.core.steps import apply_path, new_step
from yavik.core.table import DataProblem

GENRES = [f"genre {k + 1:02d}" for k in range(48) if k not in (11, 29, 40)]


def ask(**spec: Any) -> Answer:
    return answer("ordination", demo_tables()["Genre loans"], {"taxa": GENRES, "starts": 6, **spec})


def test_columns_of_any_kind_by_hand() -> None:
    numbers = np.array([[1.0, 10.0, 4.0], [3.0, 40.0, 4.0], [5.0, 20.0, 4.0]])
    codes = [np.array([0, 0, 2]), np.array([1, 1, 1])]
    d = pdist(any_kind(numbers, codes), "cityblock")
    # the constant number and the constant level say nothing: three columns count
    assert d == pytest.approx([(2 / 4 + 1 + 0) / 3, (4 / 4 + 10 / 30 + 1) / 3, (2 / 4 + 20 / 30 + 1) / 3])
    x = np.random.default_rng(1).poisson(3, (8, 5)).astype(float)
    assert pdist(any_kind(x, []), "cityblock") == pytest.approx(unlike(x, "gower"))


@pytest.mark.parametrize(
    "kind", ["bray_curtis", "manhattan", "canberra", "euclidean", "hellinger", "chord", "sorensen"]
)
def test_what_two_samples_differ_by_adds_up(kind: Unlike) -> None:
    x = np.random.default_rng(2).poisson(2, (2, 9)).astype(float)
    parts = parts_between(x[0], x[1], kind)
    assert parts.sum() == pytest.approx(1) and (parts >= 0).all()
    whole = float(unlike(x, kind)[0])
    if kind == "bray_curtis":
        assert parts * whole == pytest.approx(np.abs(x[0] - x[1]) / x.sum())
    if kind == "euclidean":
        assert parts * whole**2 == pytest.approx((x[0] - x[1]) ** 2)
    assert parts_between(x[0], x[0], kind).sum() == 0


def test_pictures_are_turned_as_a_library_turns_them() -> None:
    rng = np.random.default_rng(3)
    a, b = rng.normal(size=(12, 2)), rng.normal(size=(12, 2))
    turned, alike = aligned(a, b)
    _, _, off = procrustes(b, a)
    assert 1 - alike == pytest.approx(off)
    assert ((turned - b) ** 2).sum() == pytest.approx(off * ((b - b.mean(axis=0)) ** 2).sum())
    mirrored, same = aligned(b * [-3, 3] + 5, b)
    assert mirrored == pytest.approx(b) and same == pytest.approx(1)


def test_outlines() -> None:
    rng = np.random.default_rng(4)
    points = rng.normal(size=(30, 2)) @ np.array([[2, 0.5], [0, 1]])
    corners = hull(points)
    ring = np.vstack([corners, corners[:1]])
    side = np.diff(ring, axis=0)
    for p in points:
        gap = p - ring[:-1]
        cross = side[:, 0] * gap[:, 1] - side[:, 1] * gap[:, 0]
        assert (cross >= -1e-9).all()
    line = np.column_stack([np.arange(4.0), 2 * np.arange(4.0)])
    assert sorted(map(tuple, hull(line))) == [(0, 0), (3, 6)]
    assert ellipse(line) is None and ellipse(points[:3]) is None
    # one more sample of the group lies inside as often as it should
    held = []
    for _ in range(1500):
        own = rng.normal(size=(8, 2))
        around, middle = ellipse(own), own.mean(axis=0)
        assert around is not None
        inverse = np.linalg.inv(np.cov(own.T))
        limit = float((around[0] - middle) @ inverse @ (around[0] - middle))
        new = rng.normal(size=2) - middle
        held.append(float(new @ inverse @ new) <= limit)
    assert np.mean(held) == pytest.approx(0.95, abs=0.02)


def test_taxa_lie_where_their_samples_do_as_wide_as_they() -> None:
    rng = np.random.default_rng(5)
    points = rng.normal(size=(20, 2))
    points -= points.mean(axis=0)
    x = rng.poisson(4, (20, 6)) + 1.0
    at, weight = taxa_at(points, x), x.sum(axis=0)
    plain = (x.T @ points) / weight[:, None]
    factor = at[0, 0] / plain[0, 0]
    assert at == pytest.approx(plain * factor)
    assert (weight @ at**2).sum() / weight.sum() == pytest.approx((points**2).sum() / 20)


def test_distances_to_a_centroid_need_no_axes() -> None:
    rng = np.random.default_rng(6)
    x, codes = rng.normal(size=(15, 4)), np.arange(15) % 3
    square = squareform(pdist(x))
    wanted = [float(np.linalg.norm(x[i] - x[codes == codes[i]].mean(axis=0))) for i in range(15)]
    assert to_centroid(square, codes, 3) == pytest.approx(wanted)
    spaced = Spaced.of(pdist(x))
    assert distances_to_middle(spaced, codes, 3, "centroid") == pytest.approx(wanted)


@given(st.lists(st.tuples(st.floats(0, 400), st.floats(0, 400), st.integers(0, 14)), min_size=1, max_size=25))
def test_names_keep_apart(points: list[tuple[float, float, int]]) -> None:
    at = np.array([(x, y) for x, y, _ in points])
    names = ["n" * k for _, _, k in points]
    placed = names_apart(at, names, 9.0, (400.0, 400.0))
    boxes = []
    for (x, y), name, place in zip(at, names, placed, strict=True):
        if place < 0:
            continue
        assert name and place < len(PLACES)
        dx, dy = offset(place, len(name), 9.0)
        half = len(name) * 9 * LETTER / 2
        box = (x + dx - half, y + dy - 4.5, x + dx + half, y + dy + 4.5)
        assert box[0] >= 0 and box[1] >= 0 and box[2] <= 400 and box[3] <= 400
        boxes.append(box)
    dots = [(x - DOT, y - DOT, x + DOT, y + DOT) for x, y in at]
    for i, a in enumerate(boxes):
        for b in [*boxes[:i], *dots]:
            own = b in dots and abs((a[0] + a[2]) / 2 - (b[0] + b[2]) / 2) < 1e-9
            over = a[0] < b[2] - 1e-9 and b[0] < a[2] - 1e-9 and a[1] < b[3] - 1e-9 and b[1] < a[3] - 1e-9
            assert not over or own


def test_dissimilarities_given_answer_as_their_taxa_do() -> None:
    genres, square = demo_tables()["Genre loans"], square_of_quarters()
    for method, more, keys in (
        (
            "ordination",
            {"kind": "principal_coordinates", "groups": "site"},
            ("axis_1.value", "axis_2.value", "negative"),
        ),
        ("ordination", {"starts": 6}, ("stress",)),
        ("community_test", {"groups": "site"}, ("permanova.f", "anosim.r", "dispersion.f")),
        ("clustering", {}, ("silhouette", "cophenetic", "height", "clusters")),
    ):
        of_taxa = answer(method, genres, {"taxa": GENRES, **more})
        as_given = answer(method, square, {"distances": SQUARE, **more})
        for key in keys:
            assert as_given.facts[key] == pytest.approx(of_taxa.facts[key], rel=1e-8), key
        assert "dissimilarities given" in as_given.settings[0]


def test_a_triangle_is_enough_and_what_is_no_square_is_named() -> None:
    d = squareform(pdist(np.random.default_rng(7).normal(size=(6, 3))))
    names = [f"s{k}" for k in range(6)]

    def of(square: Any, **more: Any) -> Any:
        return table_from(who=names, **{n: [float(v) for v in square[:, k]] for k, n in enumerate(names)}, **more)

    spec = {"distances": names, "kind": "principal_coordinates"}
    whole = answer("ordination", of(d), spec)
    half = np.where(np.tril(np.ones((6, 6))) > 0, d, np.nan)
    assert answer("ordination", of(half), spec).facts["axis_1.value"] == pytest.approx(whole.facts["axis_1.value"])
    # rows in another order find their columns by name
    order = np.array([3, 0, 5, 1, 4, 2])
    moved = table_from(
        who=[names[i] for i in order], **{n: [float(v) for v in d[order, k]] for k, n in enumerate(names)}
    )
    assert answer("ordination", moved, spec).facts["axis_1.value"] == pytest.approx(whole.facts["axis_1.value"])
    for change, said in (
        ((2, 1, -0.5), "s1 is below 0"),
        ((3, 1, 9.0), "differs from the cell that mirrors it"),
        ((2, 2, 1.0), "s2 is not 0 for the sample itself"),
        ((2, 1, np.nan), None),
    ):
        wrong = d.copy()
        wrong[change[0], change[1]] = change[2]
        if said is None:
            assert answer("ordination", of(wrong), spec).facts["axis_1.value"] == pytest.approx(
                whole.facts["axis_1.value"]
            )
            wrong[1, 2] = np.nan
            said = "is empty on both sides of the diagonal"
        with pytest.raises(DataProblem, match=said):
            answer("ordination", of(wrong), spec)
    with pytest.raises(DataProblem, match="5 columns and 6 rows are no square"):
        answer("ordination", of(d), {"distances": names[:5]})


def test_mirrored_and_turned() -> None:
    plain = ask(environment=["damp", "distance"])
    turned = ask(environment=["damp", "distance"], mirrored=[1], turned=["damp"])
    a, b = plain.block("arrows").rows, turned.block("arrows").rows
    assert b[0]["name"].s == "less damp" and b[1]["name"].s == "distance"
    # turned and mirrored: the same along the first axis, the other way along the second
    assert b[0]["first"].v == pytest.approx(a[0]["first"].v, abs=1e-9)
    assert b[0]["second"].v == pytest.approx(-a[0]["second"].v, abs=1e-9)
    assert b[1]["first"].v == pytest.approx(-a[1]["first"].v, abs=1e-9)
    assert all(x["r2"].v == pytest.approx(y["r2"].v) and x["p"].v == y["p"].v for x, y in zip(a, b, strict=True))
    axis = [[row["axis_1"].v for row in made.block("scores").rows] for made in (plain, turned)]
    assert axis[0] == pytest.approx([-v for v in axis[1]])
    down = apply_path(
        demo_tables()["Genre loans"],
        [new_step({"step": "rename", "names": [{"old": "damp", "new": "metres below the road"}]})],
    ).table
    made = answer("ordination", down, {"taxa": GENRES, "starts": 2, "environment": ["metres below the road", "rent"]})
    check = next(c for c in made.checks if c.id == "downwards")
    assert check.remedies[0].spec == {"turned": ["metres below the road"]}
    assert not [c for c in plain.checks if c.id == "downwards"]


def test_the_same_under_other_transformations() -> None:
    made = ask(groups="site", transform="sqrt")
    shown = [b for b in made.blocks if b.type == "figure" and b.takes]
    assert [b.takes.spec for b in shown] == [{"transform": t} for t in ("none", "sqrt", "fourth_root", "presence")]
    assert [b.takes.now for b in shown] == [False, True, False, False]
    for b in shown:
        alone = ask(groups="site", **b.takes.spec)
        said = float(b.title.removeprefix("stress "))
        assert said >= alone.facts["stress"] - 0.0006 and said == pytest.approx(alone.facts["stress"], abs=0.02)
    assert not [b for b in ask(dissimilarity="jaccard").blocks if b.type == "figure" and b.takes]


def test_two_samples_side_by_side() -> None:
    table = demo_tables()["Genre loans"]
    made = ask(beside=[3, 20]).block("compared")
    assert [c.title for c in made.columns] == ["Taxon", "hill 3", "harbour 8", "Of the difference"]
    assert made.shows == [3, 20]
    for row in made.rows:
        amounts = table.numbers(row["taxon"].s)
        assert (row["first"].v, row["second"].v) == (amounts[2], amounts[19])
    gap = {g: abs(table.numbers(g)[2] - table.numbers(g)[19]) for g in GENRES}
    assert made.rows[0]["taxon"].s == max(gap, key=lambda g: gap[g])
    assert made.rows[0]["part"].v == pytest.approx(max(gap.values()) / sum(gap.values()))
    one = ask(beside=[3]).block("compared")
    assert one.title == "hill 3 beside the mean of all"
    assert one.rows[0]["second"].v == pytest.approx(table.numbers(one.rows[0]["taxon"].s).mean())


def test_scatter_within_groups_is_told() -> None:
    made = ask(groups="site").block("spread")
    tested = answer(
        "community_test", demo_tables()["Genre loans"], {"taxa": GENRES, "groups": "site", "about": "centroid"}
    )
    rows = {r["group"].s: r for r in tested.block("groups").rows}
    for row in made.rows:
        own = rows[row["group"].s]
        assert any(c.v == pytest.approx(row["away"].v, rel=1e-6) for c in own.values() if isinstance(c.v, float))


def test_memory_is_told_and_refused_before_it_is_taken() -> None:
    told: list[str] = []
    room_for(5000, 7.0, lambda _part, what: told.append(what), free=10**10)
    assert told == ["About 1.4 GB of memory for 5000 samples"]
    with pytest.raises(DataProblem, match=r"need about 1\.4 GB of memory; 1\.0 GB are free"):
        room_for(5000, 7.0, lambda _part, _what: None, free=10**9)
    room_for(60, 7.0, lambda _part, what: told.append(what), free=10)
    assert len(told) == 1
