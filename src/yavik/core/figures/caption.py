"""Captions that say what is drawn: n, what boxes, whiskers and bars are, where letters come from."""

from yavik.core.answers import Marks, Span
from yavik.core.answers.wording import grouped as whole
from yavik.core.answers.wording import listing, say
from yavik.core.figures.data import Grouped
from yavik.core.figures.describe import Figure


def write_caption(figure: Figure, data: Grouped, marks: Marks | None, points: int) -> list[Span]:
    n = data.groups.n
    counts = (
        f"n = {whole(int(n[0]))} each"
        if len(set(n.tolist())) == 1
        else f"n = {listing([whole(int(x)) for x in n], 8)}"
        if len(n) <= 8
        else f"n = {whole(int(n.min()))} to {whole(int(n.max()))} per group, {whole(int(n.sum()))} in all"
    )
    subject = listing(list(data.groups.names), 6) if figure.samples else f"{data.value} by {lower(data.group)}"
    parts = [f"{subject} ({counts})."]
    if "box" in figure.show:
        parts.append(f"Boxes show medians and quartiles, whiskers {whisker_words(figure)}.")
    if "points" in figure.show:
        total = int(n.sum())
        parts.append(
            "Each point is one value, spread sideways only to be seen."
            if points >= total
            else f"Points are a random {whole(points)} of {whole(total)} values."
        )
    elif "box" in figure.show and figure.whiskers != "range":
        parts.append("Points are the values beyond the whiskers.")
    if "mean" in figure.show:
        parts.append(f"Diamonds show means{mean_words(figure)}.")
    if marks and marks.letters and figure.letters:
        parts.append(marks.letters_note)
    return say(" ".join(parts))


def whisker_words(figure: Figure) -> str:
    if figure.whiskers == "range":
        return "the smallest and largest value"
    if figure.whiskers == "percentiles":
        return f"the {ordinal(figure.low_percentile)} and {ordinal(figure.high_percentile)} percentile"
    return "the furthest values within 1.5 interquartile ranges of the box"


def mean_words(figure: Figure) -> str:
    words = {
        "none": "",
        "sd": ", bars one standard deviation either way",
        "se": ", bars one standard error either way",
    }
    return words.get(figure.interval, f", bars their {100 * figure.level:g}% confidence intervals")


def ordinal(x: float) -> str:
    text = f"{x:g}"
    ending = (
        "th"
        if "." in text or text[-2:] in ("11", "12", "13")
        else {"1": "st", "2": "nd", "3": "rd"}.get(text[-1], "th")
    )
    return text + ending


def lower(text: str) -> str:
    """'Reading room' inside a sentence, but 'pH' and 'NDVI' as they are."""
    return text[0].lower() + text[1:] if len(text) > 1 and text[0].isupper() and text[1].islower() else text
