"""What follows a series, told: the fan, its table, and how the model does beside simple ways."""

import numpy as np

from yavik.core.answers import Check, FigureBlock, Remedy, TableBlock, Verdict
from yavik.core.answers import quantities as q
from yavik.core.answers.wording import after, counted, decimals_of, number, share, span
from yavik.core.figures.caption import lower
from yavik.core.figures.fans import fan
from yavik.core.figures.plots import block
from yavik.core.methods.kit import touch
from yavik.core.methods.kit.forecasts import LEVELS, Outlook
from yavik.core.methods.kit.times import Series

SEASONS_SHOWN = 5
BEYOND = "the transformation has no way back from there"


def title_of(series: Series) -> str:
    """The series with its unit, as an axis has it."""
    column = series.column
    return f"{column.title} ({column.unit})" if column.unit else column.title


def time_of(series: Series) -> str:
    """The times' name, as an axis has it."""
    return series.time.title if series.time else "Row"


def rhythm(series: Series, doubled: str) -> str:
    """'every month', 'every month, summed', 'in the order of rows'."""
    if not series.time:
        return "in the order of rows"
    return f"every {series.every}" + {"sum": ", summed", "mean": ", averaged"}.get(doubled, "")


def digits(o: Outlook) -> int:
    """Decimals of values foretold: as many as their error bears, one more than the series at most."""
    own, y = o.series.column.decimals, o.series.values
    off = np.abs(o.bands[LEVELS[0]][1] - o.middle)
    off = off[np.isfinite(off)]
    error = float(off.min()) if len(off) else float(y.std())
    return max(0, min(decimals_of(error / 10, float(np.abs(y).max())), (own if own is not None else 9) + 1))


def foretells(o: Outlook) -> str:
    """'For Dec 2025 it foretells 5569 loans (95% 5186 to 5953). On the last …': nothing without an outlook."""
    text = ""
    if o.horizon:
        d, k = digits(o), o.horizon - 1
        low, high = o.bands[LEVELS[-1]]
        if np.isfinite([low[k], high[k], o.middle[k]]).all():
            text += f" For {o.series.label(o.series.n + k)} it foretells {number(float(o.middle[k]), d)}"
            text += (
                f"{after(o.series.column.unit)} (95% {span(float(low[k]), float(high[k]), lambda v: number(v, d))})."
            )
    if o.mine is None or o.strongest is None:
        return text
    one, error = o.strongest
    d = decimals_of(min(o.mine.rmse, error.rmse) / 10)
    text += f" On the last {counted(o.held, 'point')}, held out, it errs by {number(o.mine.rmse, d)}"
    text += f"{after(o.series.column.unit)} (root mean square), {lower(one.name)} by {number(error.rmse, d)}"
    return text + (": it does not beat that simple yardstick there." if o.ratio >= 1 else ".")


def fan_block(o: Outlook, movable: bool = True) -> FigureBlock | None:
    """The end of the series with what follows; its reach is moved by a line."""
    if not o.horizon:
        return None
    s, n = o.series, o.series.n
    shown = min(n, max(SEASONS_SHOWN * o.season, 3 * o.horizon, 40, o.held + 10), 400)
    bridged = set(s.bridged.tolist())
    past = [(i - n + 1, s.labels[i], float(s.values[i])) for i in range(n - shown, n) if i not in bridged]
    later = [(k + 1, s.label(n + k), float(v)) for k, v in enumerate(o.middle)]
    held = []
    if o.mine and o.held < shown:
        held = [(k - o.held + 1, float(v)) for k, v in enumerate(o.mine.said)]
    room = o.horizon + max(3, o.horizon // 3)
    made = block("forecast", "What follows", fan(past, held, later, o.bands, title_of(s), time_of(s), room))
    return touch.handle(made, "horizon", "Foretold points", o.horizon, (1, room), decimals=0) if movable else made


def forecast_table(o: Outlook, note: str) -> TableBlock | None:
    """Every point foretold with its bands."""
    if not o.horizon:
        return None
    unit, d = o.series.column.unit or "", digits(o)
    rows = []
    for k in range(o.horizon):
        cells = q.row(
            time=q.name(o.series.label(o.series.n + k), time_of(o.series)),
            forecast=q.num(float(o.middle[k]), d, "Foretold", unit=unit, why=BEYOND),
        )
        for level, (low, high) in o.bands.items():
            key = f"{level * 100:.0f}"
            cells[f"low_{key}"] = q.num(float(low[k]), d, f"{key}% from", why=BEYOND)
            cells[f"high_{key}"] = q.num(float(high[k]), d, f"{key}% to", why=BEYOND)
        if o.se is not None and o.se_full is not None:
            cells["se"] = q.num(float(o.se[k]), d + 1, "SE, parameters known")
            cells["se_full"] = q.num(float(o.se_full[k]), d + 1, "SE in all")
        rows.append(cells)
    return q.table("forecasts", "Forecasts", rows, note=note, folded=o.horizon > 12)


def yardstick_table(o: Outlook) -> TableBlock | None:
    """Errors on the held-out end, beside those of simple ways."""
    if o.strongest is None:
        return None
    unit = o.series.column.unit or ""
    mine = [(o.name, o.mine)] if o.mine else []
    every = [*mine, *((one.name, error) for one, error in o.yardsticks)]
    least = min(e.rmse for _, e in every)
    d = decimals_of(least / 30)
    none = "no error at all"
    rows = [
        q.row(
            way=q.name(name, "Foretold by"),
            mae=q.num(e.mae, d, "Mean absolute error", unit=unit),
            rmse=q.num(e.rmse, d, "Root mean square error", unit=unit),
            ratio=q.num(e.rmse / least, 2, "Of the least") if least > 0 else q.gone(none, "Of the least"),
        )
        for name, e in every
    ]
    first = o.series.labels[o.series.n - o.held]
    note = f"All are fitted to what comes before {first} and foretell {counted(o.held, 'point')} at once. One end of"
    note += " one series is one trial: small differences say little."
    return q.table("yardsticks", "On the held-out end", rows, note=note, strong=[])


def beats_check(o: Outlook, remedies: list[Remedy] | None = None) -> Check | None:
    """Whether the model foretells the held-out end better than the best of simple ways."""
    if o.strongest is None:
        return None
    title, end = "Foretells better than simple ways", f"On the last {counted(o.held, 'point')}"
    if o.mine is None:
        text = "The model cannot be fitted to what comes before the end, or foretells what has no value there."
        return Check(id="foretells", title=title, verdict=Verdict.unknown, text=text)
    name = lower(o.strongest[0].name)
    if o.ratio < 1:
        text = f"{end} its error is {share(o.ratio)} of that by {name}, the best of them."
        return Check(id="foretells", title=title, verdict=Verdict.holds, text=text)
    size = "as large as" if o.ratio < 1.005 else f"{number(o.ratio, 2)} times" if np.isfinite(o.ratio) else "above"
    text = f"{end} its error is {size} that by {name}: there the model earns nothing. One end is one trial; hold out"
    text += " another length before you drop it."
    return Check(id="foretells", title=title, verdict=Verdict.doubtful, text=text, remedies=remedies or [])


def held_facts(o: Outlook) -> dict[str, float]:
    """Numbers by name: errors on the held-out end, and the first points foretold."""
    out: dict[str, float] = {"held_out": o.held}
    if o.mine:
        out |= {"held.rmse": o.mine.rmse, "held.mae": o.mine.mae}
    for one, error in o.yardsticks:
        out |= {f"yardstick.{one.key}.rmse": error.rmse, f"yardstick.{one.key}.mae": error.mae}
    low, high = o.bands[LEVELS[-1]]
    for k in range(min(o.horizon, 60)):
        out |= {f"forecast_{k + 1}": o.middle[k], f"forecast_{k + 1}.low": low[k], f"forecast_{k + 1}.high": high[k]}
        if o.se is not None:
            out[f"forecast_{k + 1}.se"] = o.se[k]
    return out


def held_words(o: Outlook) -> str:
    """The held-out end for the write-up; nothing where none was held out."""
    if o.mine is None or o.strongest is None:
        return ""
    one, error = o.strongest
    d = decimals_of(o.mine.rmse / 30)
    text = f" On the last {counted(o.held, 'point')}, held out, root mean square error was {number(o.mine.rmse, d)}"
    return text + f"{after(o.series.column.unit)} ({lower(one.name)}: {number(error.rmse, d)})."
