"""What every answer keeps to, whatever it was asked: its words, and its cells beside the numbers they stand for.

Each function gives what breaks the law, with where it stands; nothing where all is well.
"""

import math
import re
from collections.abc import Iterator
from functools import lru_cache

from yavik.core.answers import Answer, TableBlock
from yavik.core.answers.answer import Cell
from yavik.core.answers.quantities import LINES

PRINTED = re.compile(
    r"(?P<than>[<>≥≤]\s*)?(?P<minus>[−-]?)(?P<whole>\d{0,3}(?:\u2009\d{3})+|\d*)(?P<part>\.\d+)?"
    r"(?:\s*×\s*10(?P<power>[⁻⁰¹²³⁴⁵⁶⁷⁸⁹]+))?\s*(?P<percent>%)?"
)
"""A number as it is printed: '.399', '−1.2 × 10⁻⁵', '12 004', '69.4%', '<.001'."""
RAISED = str.maketrans("⁻⁰¹²³⁴⁵⁶⁷⁸⁹", "-0123456789")
SMALL = re.compile(r"[.] ([a-z]{3,})(?![\w.])")
"""A sentence that begins in small letters; signs such as pH or m2 may."""
SLIPS = {
    r"\bnan\b|\bNone\b|\binf\b|\bTrue\b|\bFalse\b": "a value of the language",
    r"\S  +\S|^\s|\s$": "a space too many",
    r" [.,;](?!\d)|\.\.(?!\.)|[;,]\.|\( | \)|\(\)": "a mark out of place",
    r"[{}]": "a brace",
    r"\d[eE][-+]?\d\d": "a power of ten as machines write it",
    r"(?<![.\d\u2009])\b1 (rows|groups|levels|values|columns|samples|pairs|terms|items|times|units)\b": "one of several",
}


@lru_cache(100_000)  # answers to one question with other settings say much the same
def _slips(text: str) -> tuple[str, ...]:
    found = [f"{what}: {text!r}" for pattern, what in SLIPS.items() if re.search(pattern, text)]
    return *found, *([f"a bracket left open: {text!r}"] if text.count("(") != text.count(")") else [])


def slips(text: str) -> list[str]:
    """What no sentence of an answer may hold."""
    return list(_slips(text))


def words_of(found: Answer) -> Iterator[tuple[str, str]]:
    """Every text of an answer with its place; the second lines of a table that are set in are left as they are."""
    yield "headline", found.headline
    for check in found.checks:
        yield f"check {check.id}", check.text
        for remedy in check.remedies:
            yield f"remedy of {check.id}", remedy.label
    for said in found.settings:
        yield "setting", said
    for block in found.blocks:
        if isinstance(block, TableBlock):
            yield f"title of {block.id}", block.title
            if block.note:
                yield f"note of {block.id}", block.note
            for row in block.rows:
                for key, cell in row.items():
                    yield f"{block.id}.{key}", cell.s.strip()
                    yield f"{block.id}.{key}, why", cell.why or ""
        elif block.type == "figure":
            yield f"title of {block.id}", block.title
            yield f"words of {block.id}", block.alt
        else:
            yield f"note {block.id}", block.text


def in_its_words(found: Answer) -> list[str]:
    """Slips of the pen anywhere; checks that are no sentences."""
    broken = [f"{place}: {slip}" for place, text in words_of(found) for slip in slips(text)]
    said = [("headline", found.headline), *((f"check {c.id}", c.text) for c in found.checks)]
    broken += [f"{place} begins small: {text!r}" for place, text in said if SMALL.search(text)]
    for check in found.checks:
        if not check.text.rstrip().endswith((".", "?", "”", ")")):
            broken.append(f"check {check.id} does not end: {check.text[-60:]!r}")
    return broken


def beside_its_number(cell: Cell) -> bool | None:
    """Whether a cell's text is its number, rounded to the digits shown; None where the text is no bare number."""
    if not isinstance(cell.v, int | float) or isinstance(cell.v, bool):
        return None
    said = PRINTED.fullmatch(cell.s.strip())
    if not said or not (said["whole"] or said["part"]):
        return None
    power = int(said["power"].translate(RAISED)) if said["power"] else 0
    unit = 10.0**power / (100 if said["percent"] else 1)
    shown = float((said["whole"] or "0").replace("\u2009", "") + (said["part"] or "")) * unit
    shown = -shown if said["minus"] else shown
    if said["than"]:
        return cell.v <= shown + 1e-12 if said["than"][0] in "<≤" else cell.v >= shown - 1e-12
    half = 0.5 * 10.0 ** -(len(said["part"] or ".") - 1) * unit
    return abs(shown - cell.v) <= half * (1 + 1e-6) + 1e-12 * abs(shown)


def in_its_cells(found: Answer) -> list[str]:
    """Cells that print another number than they hold."""
    return [
        f"{block.id}.{key}: {cell.s!r} beside {cell.v}"
        for block in found.blocks
        if isinstance(block, TableBlock)
        for row in block.rows
        for key, cell in row.items()
        if beside_its_number(cell) is False
    ]


ENDS = (("ci_low", "ci_high"), ("low", "high"), ("pi_low", "pi_high"))


def in_its_intervals(found: Answer) -> list[str]:
    """Intervals whose ends stand the wrong way round."""
    broken = []
    for block in found.blocks:
        for row in block.rows if isinstance(block, TableBlock) else ():
            numbers = {k: c.v for k, c in row.items() if isinstance(c.v, int | float) and not isinstance(c.v, bool)}
            for low, high in ENDS:
                if low in numbers and high in numbers and numbers[low] > numbers[high]:
                    broken.append(f"{block.id}: from {numbers[low]} to {numbers[high]}")
    return broken


ESTIMATES = ("estimate", "difference", "mean")
UNDER_NOTHING = {"kappa"}
"""Tables whose standard errors are for intervals, while their tests take that under no agreement at all."""


def in_its_parts(found: Answer) -> list[str]:
    """Rows whose cells do not follow from one another: a mean square that is no sum of squares by its df, a test that
    is no estimate by its standard error, an interval, of the estimate or of its exponential, that leaves it out."""
    broken = []
    for block in found.blocks:
        for row in block.rows if isinstance(block, TableBlock) else ():
            numbers = {k: c.v for k, c in row.items() if isinstance(c.v, int | float) and not isinstance(c.v, bool)}
            ss, df, ms = (numbers.get(k, math.nan) for k in ("ss", "df", "ms"))
            if df > 0 and not math.isnan(ss + ms) and not math.isclose(ms, ss / df, rel_tol=1e-9):
                broken.append(f"{block.id}: {ms} is not {ss} / {df}")
            for key in ESTIMATES:
                broken += [f"{block.id}: {said}" for said in _of_an_estimate(numbers, key, block.id)]
    return broken


def _of_an_estimate(numbers: dict[str, float], key: str, block: str) -> Iterator[str]:
    if key not in numbers:
        return
    value = numbers[key]
    for test in ("t", "z"):
        # A difference may be tested against another one than nought.
        if key == "estimate" and test in numbers and numbers.get("se", 0) > 0 and block not in UNDER_NOTHING:
            ratio = value / numbers["se"]
            if not math.isclose(numbers[test], ratio, rel_tol=1e-6, abs_tol=1e-6):
                yield f"{test} is {numbers[test]}, not {value} / {numbers['se']}"
    low, high = numbers.get("ci_low", -math.inf), numbers.get("ci_high", math.inf)
    scales = [value, math.exp(value) if value < 700 else math.inf]
    if not any(low - 1e-9 * abs(low) <= v <= high + 1e-9 * abs(high) for v in scales):
        yield f"{value} does not lie from {low} to {high}"


def in_its_p(found: Answer) -> list[str]:
    """Values of p beyond what a chance can be."""
    return [
        f"{block.id}.{head.key}: {row[head.key].v}"
        for block in found.blocks
        if isinstance(block, TableBlock)
        for head in block.columns
        if head.role == "p"
        for row in block.rows
        if isinstance(value := row[head.key].v, int | float) and not 0 <= value <= 1
    ]


def in_its_size(found: Answer) -> list[str]:
    """Tables that nobody reads: longer than a table of an answer may be."""
    tables = (b for b in found.blocks if isinstance(b, TableBlock))
    return [f"{b.id} has {len(b.rows)} lines" for b in tables if len(b.rows) > LINES]


LAWS = (in_its_words, in_its_cells, in_its_intervals, in_its_parts, in_its_p, in_its_size)


def broken_by(found: Answer) -> list[str]:
    """Everything that an answer breaks."""
    return [said for law in LAWS for said in law(found)]
