"""Numbers and sentences in words: the one place where a number becomes text.

Decimals follow the data's precision, p has no leading zero and is never .000, minus is a real minus.
"""

import math
import re
from collections.abc import Callable, Sequence

from yavik.core.answers.answer import Span
from yavik.core.table.written import THIN, written
from yavik.core.table.written import grouped as grouped


class NoNumber(ValueError):
    """A number that is none was to be put into words. A method that can meet one says why instead."""


def _there(x: float) -> float:
    """The number itself. Raises NoNumber for NaN and infinities: no sentence may print them."""
    if not math.isfinite(x):
        raise NoNumber(f"{x} has no words")
    return x


def number(x: float, decimals: int) -> str:
    """Fixed decimals, with all digits that a double carries; very large and very small sizes as a power of ten."""
    if _there(x) != 0 and (abs(x) >= 1e15 or (abs(x) < 0.5 * 10.0**-decimals and abs(x) < 1e-4)):
        return significant(x, 6 if abs(x) >= 1e15 else 4)
    if abs(x) >= 1e7:  # no more digits than a double has to give
        decimals = min(decimals, max(0, 15 - math.floor(math.log10(abs(x))) - 1))
    text = f"{x:,.{decimals}f}" if abs(x) >= 10_000 else f"{x:.{decimals}f}"
    if float(text.replace(",", "")) == 0:
        text = text.lstrip("-")
    return text.replace(",", THIN).replace("-", "−")


def given(x: float) -> str:
    """A number that was given or found in the data, with every digit it has: '12 500.75', '−0.00005'. The last bits
    that a sum leaves are none of them."""
    text = written(float(f"{_there(x):.15g}"))
    if "e" in text:
        return significant(x, 4)
    whole, _, part = text.lstrip("-").partition(".")
    grouped_whole = f"{int(whole):,}".replace(",", THIN) if len(whole) > 4 else whole
    return ("−" if x < 0 else "") + grouped_whole + (f".{part}" if part else "")


def fixed(x: float, decimals: int) -> str:
    """Fixed decimals with all their digits, also of very large and very small numbers: for equations."""
    text = f"{_there(x):,.{decimals}f}".replace(",", THIN)
    return (text.rstrip("0").rstrip(".") if "." in text and len(text) > 16 else text).replace("-", "−")


def finer(decimals: int, largest: float) -> int:
    """Decimals for means and spreads: one more than the data have, but none that only look exact on large numbers."""
    return decimals if abs(largest) >= 1000 else decimals + 1


def told(decimals: int, *errors: float) -> int:
    """Decimals for a difference or a mean: the data's, one at least, and more where many rows know it better, so that
    the first digit of its standard error is seen and no end of an interval is rounded to nought."""
    fine = [e for e in errors if math.isfinite(e) and e > 0]
    need = -math.floor(math.log10(min(fine))) if fine else 0
    return max(decimals, 1, min(need, decimals + 6))


def decimals_of(se: float, value: float = 0.0) -> int:
    """Decimals that show two digits of a standard error, whatever the data's own: for coefficients."""
    size = se if math.isfinite(se) and se > 0 else abs(value) / 100
    if size <= 0 or not math.isfinite(size):
        return 2
    return min(max(1 - math.floor(math.log10(size)), 0), 12)


SUPERSCRIPT = str.maketrans("-0123456789", "⁻⁰¹²³⁴⁵⁶⁷⁸⁹")


def significant(x: float, digits: int = 3) -> str:
    """That many significant digits; powers of ten as × 10ⁿ."""
    if _there(x) == 0:
        return "0"
    mantissa, exponent = f"{x:.{digits - 1}e}".split("e")  # rounded first: 9.9996 is 10.00, a power higher
    power = int(exponent)
    if -5 < power < 7:
        return (
            number(x, max(0, digits - 1 - power)) if power > -4 else f"{x:.{digits - 1 - power}f}".replace("-", "−")
        )
    return f"{mantissa.replace('-', '−')} × 10{str(power).translate(SUPERSCRIPT)}"


def statistic(x: float) -> str:
    """Test statistics: two decimals, fewer when large."""
    if abs(_there(x)) >= 1000:
        return number(x, 0)
    return number(x, 1 if abs(x) >= 100 else 2)


def df(x: float) -> str:
    """Degrees of freedom: whole, or with one decimal."""
    return grouped(round(_there(x))) if abs(x - round(x)) < 1e-9 else number(x, 1)


def p_bare(p: float) -> str:
    """'.083', '< .001', '> .999': for a column headed p."""
    if _there(p) < 0.001:
        return "< .001"
    text = f"{p:.3f}"
    return "> .999" if text == "1.000" else text[1:]


def p_words(p: float) -> str:
    """'= .083' or '< .001', to stand after a p."""
    text = p_bare(p).replace(" ", "\u00a0")  # never broken from its sign at a line's end
    return text if text[0] in "<>" else f"=\u00a0{text}"


def share(x: float) -> str:
    """A size between −1 and 1 without its leading zero: '.24'."""
    text = f"{_there(x):.2f}"
    if abs(float(text)) >= 1:  # also beyond what a share can be, as an estimate of one that lies far below nought
        return text.replace("-", "−")
    return text.replace("0.", ".", 1).replace("-.00", ".00").replace("-", "−")


def share_fine(x: float) -> str:
    """Three decimals without the leading zero, where two models are told apart: '.680'."""
    if not math.isfinite(x):
        return "–"
    text = f"{abs(x):.3f}"
    return ("−" if x < 0 and float(text) else "") + (text[1:] if text.startswith("0") else text)


def percent(x: float) -> str:
    """A share in per cent with one decimal."""
    return f"{100 * _there(x):.1f}%"


def percent_fine(x: float, gap: float) -> str:
    """A share in per cent with as many decimals as a gap to another needs to be seen."""
    digits = max(1, int(1 - math.floor(math.log10(max(abs(_there(gap)) * 100, 1e-12)))))
    return f"{100 * _there(x):.{min(digits, 8)}f}%"


def span(low: float, high: float, words: Callable[[float], str]) -> str:
    """'1.2 to 3.4', or 'above 1.2' and 'below 3.4' where an end is open."""
    if math.isinf(high):
        return f"above {words(low)}"
    return f"below {words(high)}" if math.isinf(low) else f"{words(low)} to {words(high)}"


def interval(low: float, high: float, decimals: int) -> str:
    """'1.2 to 3.4'."""
    return f"{number(low, decimals)} to {number(high, decimals)}"


def level_words(alpha: float) -> str:
    """'95%' for α = .05."""
    return f"{100 * (1 - alpha):.10g}%"


def after(unit: str | None) -> str:
    """A unit as it follows a value: with a space that does not break, the percent sign without any."""
    return "" if not unit else "%" if unit == "%" else f"\u00a0{unit}"


def after_difference(unit: str | None) -> str:
    """A unit as it follows a difference: of percentages in percentage points, which 1.5% would not say."""
    return "\u00a0percentage points" if unit == "%" else after(unit)


def alpha_words(alpha: float) -> str:
    """α as people print it: without the leading zero, with all its digits."""
    return f"{alpha:.10g}".removeprefix("0")


def listing(words: Sequence[str], most: int = 4, joint: str = "and") -> str:
    """'a, b and c'; beyond ``most`` 'a, b, c and 4 more'."""
    if len(words) <= 1:
        return "".join(words)
    if len(words) > most:
        return f"{', '.join(words[: most - 1])} {joint} {len(words) - most + 1} more"
    return f"{', '.join(words[:-1])} {joint} {words[-1]}"


def capital(text: str) -> str:
    """The text as the start of a sentence."""
    return text[:1].upper() + text[1:]


def begun(name: str) -> str:
    """A level's name at the start of a sentence: an ordinary word gets a capital, a sign such as pH or m2 stays, and a
    bare yes or no, which would be read as an answer, stands in quotation marks."""
    if name.lower() in ("yes", "no"):
        return f"“{capital(name)}”"
    return capital(name) if re.match(r"[^\W\d_]{3,}(?!\w)", name) and name.split()[0].islower() else name


def counted(n: int, one: str, many: str | None = None) -> str:
    """'1 row', '12 rows'."""
    return f"{grouped(n)} {one if n == 1 else many or one + 's'}"


def among(rows: int) -> str:
    """Where something was looked for."""
    return "in the one row there is" if rows == 1 else f"among these {rows} rows"


def them(n: int) -> str:
    """What was just counted, again."""
    return "it" if n == 1 else "them"


SPELLED = ("no", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def spelled(n: int) -> str:
    """'two' up to ten, then '11'."""
    return SPELLED[n] if n < len(SPELLED) else grouped(n)


def in_quotes(text: str, most: int = 60) -> str:
    """A wording in quotes, short enough for a sentence."""
    return f"“{text if len(text) <= most else text[: most - 1].rstrip() + '…'}”"


def say(*parts: str | Span) -> list[Span]:
    """A sentence from plain texts and styled runs."""
    return [p if isinstance(p, Span) else Span(t=p) for p in parts if p]


def italic(text: str) -> Span:
    """A run in italics."""
    return Span(t=text, style="italic")


def sub(text: str) -> Span:
    """A run below the line."""
    return Span(t=text, style="sub")


def bold(text: str) -> Span:
    """A run in bold."""
    return Span(t=text, style="bold")


def plain(spans: Sequence[Span]) -> str:
    """A sentence as one text, with ordinary spaces."""
    return "".join(s.t for s in spans).replace("\u00a0", " ")
