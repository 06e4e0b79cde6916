"""One column over another: points, straight lines with bands, curves, hulls, ellipses, arrows of further columns."""

from dataclasses import dataclass
from typing import Any, Literal

import numpy as np
from scipy.spatial import ConvexHull, QhullError

from yavik.core.answers import quantities as q
from yavik.core.answers.wording import grouped, listing, share_fine, significant
from yavik.core.ask import ALONG, VALUES
from yavik.core.figures.caption import counts_words, lower
from yavik.core.figures.describe import Figure
from yavik.core.figures.kinds.base import COLOUR, PANEL, PANEL_ROWS, Kind, LayerCard, SlotCard
from yavik.core.figures.layers import (
    MOST_POINTS,
    band,
    lines,
    on_axis,
    path,
    place,
    points,
    points_of,
    polygons,
    rule,
    spread_along,
    text,
    thinned,
)
from yavik.core.figures.layers import layer as layer_of
from yavik.core.figures.plot import Axis, Level, Panel, Plot, Style, Vega
from yavik.core.figures.reading import along, filled, levels, split
from yavik.core.figures.style import INK, PX_PER_PT
from yavik.core.stats.correlation import StraightLine, straight_line
from yavik.core.stats.direction import t_p, t_reach
from yavik.core.stats.local import local_line
from yavik.core.table import DataProblem, Table
from yavik.core.table import Kind as ColumnKind

MOST_SINGLE = 10 * MOST_POINTS
"""Rows of one colour beyond which squares shaded by count stand for points: they leave no row out."""
SQUARES = 60


def plot(figure: Figure, table: Table, style: Style) -> Plot:
    """One column over another. Raises DataProblem where nothing can be drawn."""
    assert figure.response and figure.x
    if figure.response == figure.x:
        raise DataProblem(f"{figure.x} stands on both axes; choose two different columns.", column=figure.x)
    used = filled(table, figure.response, figure.x, figure.colour, figure.panel, figure.panel_rows)
    y, y_column = table.numbers(figure.response), table.column(figure.response)
    x, x_column, places = along(table, figure.x)
    parts = split(figure, table, used)
    shown = levels(figure, parts.colour, style.get(figure.colour))
    by_cell = parts.cells(np.where(used, np.arange(table.n_rows, dtype=float), np.nan), table.rows)
    span_x, span_y = (float(x[used].min()), float(x[used].max())), (float(y[used].min()), float(y[used].max()))
    maker = _Relation(figure, int(used.sum()), span_x, span_y, shown, x_column.axis_title, y_column.axis_title)
    panels, clouds = [], []
    for p, (r, c0, title) in enumerate(parts.panels):
        mine = []
        for c, level in enumerate(shown):
            at = by_cell.part(p * parts.colour.k + c).astype(np.int64)
            if len(at):
                mine.append(Cloud(level, title, x[at], y[at], table.rows[at]))
        made, ends = maker.panel(mine)
        panels.append(Panel(title, made, r, c0, ends=ends))
        clouds += mine
    if figure.arrows:
        panels[0].layers += maker.arrows(table, x, y, used)
    kind: Literal["number", "places", "date"] = "places" if places else "number"
    if x_column.kind is ColumnKind.date:
        kind = "date"
    low, high = (-0.5, len(places) - 0.5) if places else span_x
    n = np.array([len(c.x) for c in clouds])
    return Plot(
        x=Axis(x_column.axis_title, low, high, kind, list(places), exact=bool(places), grid=False),
        y=Axis(y_column.axis_title, *span_y), panels=panels, levels=shown, legend=parts.colour.k > 1,
        level_title=parts.colour.title or None,
        caption={"subject": f"{y_column.title} over {lower(x_column.title)}", "counts": counts_words(n), **maker.said},
        alt=_alt(y_column.axis_title, x_column.axis_title, clouds, figure),
        behind=_behind(clouds, len(parts.panels) > 1, y_column.title, x_column.title),
        panel_columns=parts.panel.k if figure.panel_rows else 0, warnings=maker.warnings,
    )  # fmt: skip


@dataclass(frozen=True)
class Cloud:
    level: Level
    panel: str
    x: Any
    y: Any
    rows: Any

    @property
    def name(self) -> str:
        """Panel and level in words."""
        return ", ".join(filter(None, (self.panel, self.level.name)))


def slope_p(line: StraightLine, sxx: float) -> float:
    """Two-sided p of no slope, by t with n − 2 df; NaN for two rows."""
    if not np.isfinite(line.sd):
        return float("nan")
    return t_p(line.slope / (line.sd / np.sqrt(sxx)), line.n - 2, "two_sided") if line.sd > 0 else 0.0


class _Relation:
    def __init__(self, figure: Figure, n: int, span_x: tuple[float, float], span_y: tuple[float, float], shown: list[Level], x: str, y: str) -> None:  # fmt: skip
        self.figure, self.n, self.span_x, self.span_y, self.levels = figure, n, span_x, span_y, shown
        self.x_title, self.y_title = x, y
        self.width = points_of(figure.line_pt)
        self.squares = n > MOST_SINGLE and len(shown) == 1
        self.said: dict[str, str] = {}
        self.warnings: list[str] = []
        show = set(figure.show)
        if "points" in show and self.squares:
            self.said["points"] = f"Squares are shaded by the number of rows in them, {grouped(n)} in all."
        elif "points" in show:
            drawn = min(n, MOST_POINTS)
            self.said["points"] = "Each point is one row." if n <= MOST_POINTS else f"Points are a random {grouped(drawn)} of {grouped(n)} rows; lines and shapes are made from all."  # fmt: skip
        if "line" in show:
            reach = (
                f" with {100 * figure.level:g}% confidence bands for the mean" if figure.interval != "none" else ""
            )
            self.said["lines"] = f"Straight lines by least squares{reach}."
        if "curve" in show:
            self.said["curves"] = f"Curves by local regression (span {min(0.75 * figure.smooth, 1):.2g})."
        if "hull" in show:
            self.said["hulls"] = "Outlines are the convex hulls of the groups."
        if "ellipse" in show:
            self.said["ellipses"] = (
                f"Ellipses hold {100 * figure.level:g}% of a normal distribution with the group’s means and"
                " covariances."
            )
        if figure.arrows:
            self.said["arrows"] = (
                "Arrows point the way in which further columns grow; their length is the correlation with the two"
                " axes together."
            )

    def panel(self, clouds: list[Cloud]) -> tuple[list[Vega], dict[str, tuple[float, float]]]:
        """The layers of one panel, and where its lines end."""
        show = self.figure.show
        made: list[Vega] = []
        ends: dict[str, tuple[float, float]] = {}
        if "hull" in show:
            made.append(polygons([v for c in clouds for v in self.hull(c)], opacity=0.12, width=self.width))
        if "ellipse" in show:
            made.append(polygons([v for c in clouds for v in self.ellipse(c)], opacity=0.10, width=1.5 * self.width))
        if "points" in show:
            made.append(self.shaded(clouds[0]) if self.squares and clouds else self.points(clouds))
        if "join" in show:
            made.append(
                lines(
                    [
                        v
                        for c in clouds
                        for v in path(c.name, c.level.colour, c.x[: 2 * MOST_POINTS], c.y[: 2 * MOST_POINTS])
                    ],
                    self.width,
                )
            )
        told = []
        for c in clouds:
            if "line" in show:
                layers, end, words = self.line(c)
                made += layers
                ends |= {c.level.name: end} if end else {}
                told += [words] if words else []
            if "curve" in show:
                layers, end = self.curve(c)
                made += layers
                ends |= {c.level.name: end} if end else {}
        if self.figure.equation and told:
            made += self.equations(told)
        return made, ends

    def points(self, clouds: list[Cloud]) -> Vega:
        """The rows as points."""
        values = []
        for c in clouds:
            kept = thinned(len(c.x), self.n, self.figure.seed)
            values += [
                {"x": place(a), "y": place(b), "row": int(r), "group": c.name, "colour": c.level.colour, "shape": c.level.shape}
                for a, b, r in zip(c.x[kept], c.y[kept], c.rows[kept], strict=True)
            ]  # fmt: skip
        told = [
            {"field": "row", "type": "quantitative", "title": "row"},
            {"field": "y", "type": "quantitative", "title": self.y_title, "format": ".6~g"},
            *([{"field": "group", "type": "nominal", "title": "group"}] if len(self.levels) > 1 else []),
        ]
        return points(values, opacity=0.7 if len(values) < 600 else 0.4, size=18, tooltip=told)

    def shaded(self, c: Cloud) -> Vega:
        """Rows counted in squares: every row is in the picture, and dense places do not hide how dense they are."""
        across, up = np.linspace(*self.span_x, SQUARES + 1), np.linspace(*self.span_y, SQUARES + 1)
        i = np.clip(((c.x - across[0]) / max(across[1] - across[0], 1e-300)).astype(np.int64), 0, SQUARES - 1)
        j = np.clip(((c.y - up[0]) / max(up[1] - up[0], 1e-300)).astype(np.int64), 0, SQUARES - 1)
        counts = np.bincount(i * SQUARES + j, minlength=SQUARES * SQUARES)
        values = [
            {
                "x": place(across[k // SQUARES]), "x2": place(across[k // SQUARES + 1]), "y": place(up[k % SQUARES]),
                "y2": place(up[k % SQUARES + 1]), "n": int(counts[k]),
                "share": round(0.12 + 0.88 * float(np.sqrt(counts[k] / counts.max())), 3),
            }
            for k in np.flatnonzero(counts)
        ]  # fmt: skip
        return layer_of(
            values, {"type": "rect", "color": c.level.colour, "stroke": None},
            x={"field": "x"}, x2={"field": "x2"}, y={"field": "y"}, y2={"field": "y2"},
            opacity={"field": "share", "type": "quantitative", "scale": None, "legend": None},
            tooltip=[{"field": "n", "type": "quantitative", "title": "rows"}],
        )  # fmt: skip

    def line(self, c: Cloud) -> tuple[list[Vega], tuple[float, float] | None, str]:
        """The straight line, where it ends, and its equation."""
        fit = straight_line(c.x, c.y)
        if fit is None or fit.n < 3:
            self.warnings.append(f"{c.name or 'These rows'}: a line needs three rows and two different values.")
            return [], None, ""
        at = spread_along(float(c.x.min()), float(c.x.max()), 40, self.figure.x_scale)
        y = fit.intercept + fit.slope * at
        there = on_axis(self.figure.y_scale, y)
        at, y = at[there], y[there]
        if len(at) < 2:
            return [], None, ""
        least = float(c.y[on_axis(self.figure.y_scale, c.y)].min(initial=np.inf))  # where a band that has no end ends
        made = []
        if self.figure.interval != "none":
            t = t_reach(fit.n - 2, 1 - self.figure.level)
            middle = float(c.x.mean())
            half = t * fit.sd * np.sqrt(1 / fit.n + (at - middle) ** 2 / float(((c.x - middle) ** 2).sum()))
            made.append(
                band(
                    [
                        {
                            "x": place(a),
                            "low": place(b - h if on_axis(self.figure.y_scale, b - h) else min(least, b)),
                            "high": place(b + h),
                            "line": c.name,
                            "colour": c.level.colour,
                        }
                        for a, b, h in zip(at, y, half, strict=True)
                    ]
                )
            )
        straight = self.figure.x_scale == self.figure.y_scale == "linear"
        drawn = [0, -1] if straight else slice(None)  # on other axes a straight line is a curve
        made.append(lines(path(f"line {c.name}", c.level.colour, at[drawn], y[drawn]), 2.2 * self.width))
        sign = "−" if fit.slope < 0 else "+"
        words = f"{c.name}: " if c.name else ""
        words += (
            f"y = {significant(fit.intercept, 3)} {sign} {significant(abs(fit.slope), 3)} x, R² ="
            f" {share_fine(fit.r2)}"
        )
        return made, (float(at[-1]), float(y[-1])), words

    def curve(self, c: Cloud) -> tuple[list[Vega], tuple[float, float] | None]:
        """The local curve, and where it ends."""
        if len(c.x) < 4 or np.ptp(c.x) == 0:
            return [], None
        kept = thinned(len(c.x), len(c.x), self.figure.seed, 20_000)
        at = spread_along(float(c.x.min()), float(c.x.max()), 60, self.figure.x_scale)
        y = local_line(c.x[kept], c.y[kept], at, 0.75 * self.figure.smooth)
        end = (float(at[-1]), float(y[-1])) if np.isfinite(y[-1]) else None
        return [lines(path(f"curve {c.name}", c.level.colour, at, y), 2.2 * self.width)], end

    def hull(self, c: Cloud) -> list[dict[str, Any]]:
        """The outline of a cloud."""
        if len(c.x) < 3:
            return []
        try:
            corner = ConvexHull(np.column_stack([c.x, c.y])).vertices
        except QhullError:  # all points on one line have no hull
            return []
        return path(c.name or "all", c.level.colour, c.x[corner], c.y[corner])

    def ellipse(self, c: Cloud) -> list[dict[str, Any]]:
        """The ellipse that holds most of a cloud."""
        if len(c.x) < 3:
            return []
        cov = np.cov(c.x, c.y)
        values, vectors = np.linalg.eigh(cov)
        if values[0] < 0 or values[1] <= 0:
            return []
        reach = np.sqrt(-2 * np.log1p(-self.figure.level) * np.clip(values, 0, None))  # χ² on 2 df
        turn = np.linspace(0, 2 * np.pi, 73)[:-1]
        ring = vectors @ (reach[:, None] * np.vstack([np.cos(turn), np.sin(turn)]))
        return path(c.name or "all", c.level.colour, c.x.mean() + ring[0], c.y.mean() + ring[1])

    def equations(self, told: list[str]) -> list[Vega]:
        """Equations written into the picture."""
        size = self.figure.type_pt * PX_PER_PT
        return [
            {
                "data": {"values": [{"text": words}]},
                "mark": {
                    "type": "text",
                    "align": "left",
                    "baseline": "top",
                    "dx": 4,
                    "dy": round(2 + i * 1.25 * size, 1),
                },
                "encoding": {"x": {"value": 0}, "y": {"value": 0}, "text": {"field": "text", "type": "nominal"}},
            }
            for i, words in enumerate(told[:12])
        ]

    def arrows(self, table: Table, x: Any, y: Any, used: Any) -> list[Vega]:
        """From the middle of the picture; an arrow as long as half the shorter side has correlations of length 1."""
        mid = (sum(self.span_x) / 2, sum(self.span_y) / 2)
        half = ((self.span_x[1] - self.span_x[0]) * 0.45, (self.span_y[1] - self.span_y[0]) * 0.45)
        shafts, heads = [], []
        for name in self.figure.arrows:
            v = table.numbers(name)
            ok = used & ~np.isnan(v)
            if ok.sum() < 3 or np.ptp(v[ok]) == 0:
                self.warnings.append(f"{name} has no spread here, so no arrow.")
                continue
            r = np.corrcoef(v[ok], x[ok])[0, 1], np.corrcoef(v[ok], y[ok])[0, 1]
            if not np.isfinite(r).all():
                continue
            end = mid[0] + half[0] * r[0], mid[1] + half[1] * r[1]
            shafts.append({"x": mid[0], "y": mid[1], "x2": end[0], "y2": end[1]})
            angle = float(np.degrees(np.arctan2(r[0], r[1])))
            heads.append(
                {
                    "x": end[0],
                    "y": end[1],
                    "angle": angle,
                    "text": table.column(name).title,
                    "tx": mid[0] + half[0] * r[0] * 1.08,
                    "ty": mid[1] + half[1] * r[1] * 1.12,
                }
            )
        if not shafts:
            return []
        tip = layer_of(heads, {"type": "point", "shape": "triangle-up", "filled": True, "size": 40, "color": INK, "opacity": 1},
                       x={"field": "x"}, y={"field": "y"},
                       angle={"field": "angle", "type": "quantitative", "scale": None})  # fmt: skip
        named = text([{"x": h["tx"], "y": h["ty"], "text": h["text"]} for h in heads], fontStyle="italic")
        return [rule(shafts, 1.2 * self.width, x="x", y="y", x2="x2", y2="y2"), tip, named]


def _alt(y: str, x: str, clouds: list[Cloud], figure: Figure) -> str:
    parts = []
    for c in clouds[:8]:
        r = np.corrcoef(c.x, c.y)[0, 1] if len(c.x) > 2 and np.ptp(c.x) > 0 and np.ptp(c.y) > 0 else None
        said = f"{grouped(len(c.x))} rows" + (f", correlation {share_fine(float(r))}" if r is not None else "")
        parts.append(f"{c.name}: {said}" if c.name else said)
    return f"{y} over {x}. {listing(parts, 9)}."


def _behind(clouds: list[Cloud], several: bool, y: str, x: str) -> Any:
    rows = []
    for c in clouds:
        fit = straight_line(c.x, c.y)
        p = slope_p(fit, float(((c.x - c.x.mean()) ** 2).sum())) if fit else np.nan
        why, nan = "needs three rows and two different values", q.gone("needs three rows and two different values")
        at_zero, slope = (q.texted(v, significant(v, 4)) for v in (fit.intercept, fit.slope)) if fit else (nan, nan)
        rows.append(
            q.row(
                group=q.name(c.name or "all rows", "Rows"), n=q.count(len(c.x)), a=at_zero.under("At zero"),
                b=slope.under("Slope"),
                r2=q.size(fit.r2 if fit else np.nan, "R²", why), p=q.p(p, why=why),
            )
        )  # fmt: skip
    note = f"The straight line of {y} over {x} by least squares."
    return q.table("behind", f"{y} over {x}", rows, note=note, strong=[])


RELATION = Kind(
    id="relation",
    words="one column over another",
    sentence=(
        "Show {response} over {x} as {show}, coloured by {colour}, one panel per {panel} and {panel_rows}, with"
        " arrows for {arrows}"
    ),
    slots={
        "response": SlotCard("Upright", VALUES, "a measure"),
        "x": SlotCard("Along", ALONG, "another"),
        "colour": COLOUR,
        "panel": PANEL,
        "panel_rows": PANEL_ROWS,
        "arrows": SlotCard("Arrows", VALUES, "columns", many=True),
    },
    needed=("response", "x"),
    layers=(
        LayerCard("points", "points", "every row"),
        LayerCard("line", "line", "straight, by least squares, with its band"),
        LayerCard("curve", "curve", "smooth, by local regression"),
        LayerCard("hull", "hulls", "the outline of each group"),
        LayerCard("ellipse", "ellipses", "where a group’s points lie"),
        LayerCard("join", "path", "points joined in the order of rows"),
    ),
    usual=("points", "line"),
    looks=("x", "y", "interval", "equation", "smooth", "marks"),
    only={"interval": ("ci", "none")},
    plot=plot,
)
