"""Words of captions: what is drawn, said from the description and the data."""

from typing import Any

from yavik.core.answers.wording import grouped as whole
from yavik.core.answers.wording import listing
from yavik.core.figures.describe import Figure


def counts_words(n: Any) -> str:
    """How many values the groups hold."""
    if len(n) == 1:
        return f"n = {whole(int(n[0]))}"
    if len(set(n.tolist())) == 1:
        return f"n = {whole(int(n[0]))} each"
    if len(n) <= 8:
        return f"n = {listing([whole(int(x)) for x in n], 8)}"
    return f"n = {whole(int(n.min()))} to {whole(int(n.max()))} per group, {whole(int(n.sum()))} in all"


def whisker_words(figure: Figure) -> str:
    """What whiskers reach to."""
    if figure.whiskers == "range":
        return "the smallest and largest value"
    if figure.whiskers == "percentiles":
        return f"the {ordinal(figure.low_percentile)} and {ordinal(figure.high_percentile)} percentile"
    return "the furthest values within 1.5 interquartile ranges of the box"


def mean_words(figure: Figure, what: str = "bars") -> str:
    """', bars their 95% confidence intervals': what stands around a mean."""
    words = {
        "none": "",
        "sd": f", {what} one standard deviation either way",
        "se": f", {what} one standard error either way",
    }
    return words.get(figure.interval, f", {what} their {100 * figure.level:g}% confidence intervals")


def ordinal(x: float) -> str:
    """'5th', '22nd'."""
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
