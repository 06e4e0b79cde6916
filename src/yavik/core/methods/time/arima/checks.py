"""What a model of a series can carry, and what to do about it."""

from typing import Any

import numpy as np

from yavik.core.answers import Check, Remedy, Verdict
from yavik.core.answers.wording import counted, listing, share
from yavik.core.methods.kit.leftover import correlations_check, outlying_times, shape_check, spread_check
from yavik.core.methods.kit.outlook import beats_check
from yavik.core.methods.time.arima.compute import Modelled

ADVICE = "A step or an event there may need a regressor."
NEAR = 0.98
SAME = 0.08
"""Distance of an autoregressive and a moving average root from which they nearly cancel."""


def all_checks(m: Modelled, table_rows: Any) -> list[Check | None]:
    """What the model looked at can carry."""
    e = m.taken.residuals
    logs = [Remedy(label="Take logarithms", spec={"transform": "log"})]
    can = m.spec.transform == "none" and m.data.series.values.min() > 0
    return [
        correlations_check(m.taken.left, m.taken.order.parameters, _more(m)),
        beats_check(m.outlook, _more(m)), spread_check(e, logs if can else []), shape_check(e), _border(m),
        _cancelling(m), _season(m), _settled(m), outlying_times(m.data.series, e, table_rows, ADVICE), _gaps(m),
        _long(m), _future(m),
    ]  # fmt: skip


def _more(m: Modelled) -> list[Remedy]:
    """A wider grid, at the same differences."""
    o = m.taken.order
    if m.spec.candidates == "grid":
        return []
    return [Remedy(label="Try a grid", spec={"candidates": "grid", "grid": [3, o.d, 3], "main": None} | _kept(m))]


def _kept(m: Modelled) -> dict[str, Any]:
    """The seasonal part as it is, which suggestions would otherwise decide anew."""
    o = m.taken.order
    return {"seasonal": [o.P, o.D, o.Q, o.m] if o.m > 1 else "none"}


def _border(m: Modelled) -> Check:
    base: dict[str, Any] = {"id": "border", "title": "Well inside what is possible"}
    ar, ma = m.taken.largest_roots
    o = m.taken.order
    if ma > NEAR and (o.d or o.D):
        text = (
            f"A moving average root lies at {share(ma)}, next to the unit circle: one difference too many, perhaps."
        )
        fewer = [Remedy(label="One difference less", spec=_differenced(m, o.d - 1))] if o.d else []
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=fewer)
    if ar > NEAR:
        text = (
            f"An autoregressive root lies at {share(ar)}, next to the unit circle: the series may need a difference."
        )
        more = [Remedy(label="One difference more", spec=_differenced(m, o.d + 1))] if o.d + o.D < 2 else []
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=more)
    if not (ar or ma):
        return Check(**base, verdict=Verdict.holds, text="There are no roots to look at.")
    return Check(**base, verdict=Verdict.holds, text=f"The outermost inverse root lies at {share(max(ar, ma))}.")


def _differenced(m: Modelled, d: int) -> dict[str, Any]:
    orders = sorted({(c.order.p, d, c.order.q) for c in m.tried})
    return {"candidates": [list(o) for o in orders], "main": None} | _kept(m)


def _cancelling(m: Modelled) -> Check | None:
    assert m.taken.fit
    ar, ma = m.taken.fit.roots
    if not len(ar) or not len(ma):
        return None
    gap = np.abs(ar[:, None] - ma[None, :])
    i, j = np.unravel_index(int(np.argmin(gap)), gap.shape)
    base: dict[str, Any] = {"id": "cancelling", "title": "Both sides needed"}
    size = float(min(abs(ar[i]), abs(ma[j])))
    if gap[i, j] < SAME and size > 0.1:
        text = (
            f"A root of each side nearly cancels the other (distance {share(float(gap[i, j]))}): one coefficient less"
        )
        text += " on each side would do as well, and single estimates say little."
        p, d, q = m.taken.order[:3]
        fewer = []
        if p and q:
            fewer = [
                Remedy(
                    label=f"Try ({p - 1}, {d}, {q - 1})",
                    spec={"candidates": [*_listed(m), [p - 1, d, q - 1]], "main": None} | _kept(m),
                )
            ]
        return Check(**base, verdict=Verdict.doubtful, text=text, remedies=fewer)
    return Check(**base, verdict=Verdict.holds, text="No root of one side cancels one of the other.")


def _listed(m: Modelled) -> list[list[int]]:
    return [[c.order.p, c.order.d, c.order.q] for c in m.tried]


def _season(m: Modelled) -> Check | None:
    season, o, c = m.data.season, m.taken.order, m.taken.left
    if season < 2 or o.P or o.D or o.Q or c is None or len(c.acf) < season:
        return None
    base: dict[str, Any] = {"id": "season", "title": "No season left"}
    r, band = float(c.acf[season - 1]), float(c.band[season - 1])
    if abs(r) <= band:
        text = f"Residuals a season apart correlate {share(r)}, which is within the band."
        return Check(**base, verdict=Verdict.holds, text=text)
    text = f"Residuals a season ({season} points) apart correlate {share(r)}: a seasonal part is missing."
    remedies = [
        Remedy(
            label=f"Add a seasonal part (0, 1, 1) of {season}",
            spec={"seasonal": [0, 1, 1, season], "candidates": _listed(m), "main": None},
        )
    ]
    return Check(**base, verdict=Verdict.fails, text=text, remedies=remedies)


def _settled(m: Modelled) -> Check | None:
    f = m.taken.fit
    assert f
    if f.settled:
        return None
    text = (
        "The search did not come to rest: the likelihood is nearly flat, as where a model has more coefficients than"
    )
    text += " the series bears. Take a simpler one."
    return Check(id="settled", title="A clear maximum", verdict=Verdict.fails, text=text)


def _gaps(m: Modelled) -> Check | None:
    k = len(m.data.series.bridged)
    if not k:
        return None
    said = listing([m.data.series.labels[int(i)] for i in m.data.series.bridged], 5)
    text = f"{counted(k, 'time')} without a value, left out exactly rather than filled: {said}."
    verdict = Verdict.doubtful if k > 0.1 * m.data.n else Verdict.holds
    return Check(id="gaps", title="Gaps", verdict=verdict, text=text, facts={"gaps": float(k)})


def _long(m: Modelled) -> Check:
    f = m.taken.fit
    assert f
    base: dict[str, Any] = {"id": "length", "title": "Long enough"}
    text = f"{counted(f.n, 'point')} for {counted(f.counted, 'parameter')}."
    if f.n < 50 or f.n < 8 * f.counted:
        text += " Standard errors and bands rest on long series; here they are rough."
        return Check(**base, verdict=Verdict.doubtful, text=text)
    return Check(**base, verdict=Verdict.holds, text=text)


def _future(m: Modelled) -> Check | None:
    if not m.data.names:
        return None
    asked = m.spec.horizon or 0
    base: dict[str, Any] = {"id": "future", "title": "Regressors’ later values"}
    if m.outlook.horizon and m.outlook.horizon >= asked:
        text = f"{listing(list(m.data.names))}: {counted(len(m.data.later), 'later value')} known, taken as certain."
        return Check(**base, verdict=Verdict.holds, text=text)
    names = listing(list(m.data.names))
    text = (
        f"{names} {'has' if len(m.data.names) == 1 else 'have'} values for {len(m.data.later)} points after the last"
    )
    text += " value: no further can be foretold. Add rows with their times and an empty value."
    return Check(**base, verdict=Verdict.doubtful, text=text)
