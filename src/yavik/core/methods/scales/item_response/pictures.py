"""Pictures of a test: curves of its items, what they tell, expected scores that are read off by lines."""

import numpy as np

from yavik.core.answers import FigureBlock
from yavik.core.answers.wording import counted, number
from yavik.core.figures.items import answer_curves, over_ability
from yavik.core.figures.plots import block
from yavik.core.methods.kit import touch
from yavik.core.methods.scales.item_response.compute import GRID, Response

MOST_CURVES = 15
MOST_ANSWERED = 4
"""Graded items whose single answers are drawn, a tab each."""


def curves(r: Response) -> FigureBlock:
    """Chances of a right answer, or expected answers of graded items."""
    shown = r.drawn[:MOST_CURVES]
    lines = [(_name(r, j), r.expected(j)) for j in shown]
    marks = [(_name(r, j), float(b)) for j in shown for b in r.difficulty(j)] if r.spec.mark_difficulty else []
    y = "Expected answer, lowest 0" if r.graded else "Chance of a right answer"
    top = float(max(r.scored.levels[j] - 1 for j in shown))
    title = f"Curves of {counted(len(shown), 'item')}" if r.spec.shown or len(shown) < r.k else "Curves of the items"
    return block("figure", title, answer_curves(GRID, lines, marks, y, top, 400))


def _name(r: Response, j: int) -> str:
    title, name = r.scored.titles[j], r.scored.names[j]
    return title if len(title) <= 28 else name


def answers(r: Response) -> list[FigureBlock]:
    """Of graded items: the chance of each answer, an item under each tab."""
    if not r.graded:
        return []
    chance = r.on_grid
    parts = []
    for j in r.drawn[:MOST_ANSWERED]:
        lines = [(w, chance[j, k]) for k, w in enumerate(r.scored.words[j])]
        drawn = answer_curves(GRID, lines, [], "Chance of each answer", 1.0, 400)
        parts.append((r.scored.names[j], [block(f"answers_{j + 1}", r.scored.titles[j], drawn)]))
    return touch.tabs("answers", parts)  # type: ignore[return-value]


def tells(r: Response) -> list[FigureBlock]:
    """Information of the test and its standard error; of the items drawn."""
    total = r.information.sum(axis=0)
    at = number(float(GRID[int(np.argmax(total))]), 1)
    se = np.where(total > 0.05, 1 / np.sqrt(np.maximum(total, 0.05)), np.nan)
    whole = over_ability(
        GRID, total, "Information", f"Information of the test over ability, most at {at}.", area=True
    )
    error = over_ability(GRID, se, "Standard error", f"Standard error of an ability, least at {at}.")
    lines = [(_name(r, j), r.information[j]) for j in r.drawn[:MOST_CURVES]]
    top = float(max(1e-3, max(float(v.max()) for _, v in lines))) * 1.05
    items = answer_curves(GRID, lines, [], "Information", top, 250, 160, key=False)
    return [
        block("information", "Information of the test", whole, small=True),
        block("se", "SE of an ability", error, small=True),
        block("item_information", "Information of each item", items, small=True),
    ]


def scores(r: Response) -> FigureBlock:
    """Expected score over ability, with a line for each way of reading it."""
    total = r.score_at(GRID)
    alt = f"Expected score of {r.most} over ability, from {number(float(total[0]), 1)} to"
    alt += f" {number(float(total[-1]), 1)}."
    made = block(
        "scores", "Expected score, read off both ways", over_ability(GRID, total, "Expected score", alt, width=330)
    )
    made = touch.handle(made, "ability", "At ability", r.spec.ability, (-4, 4), decimals=1, words="ability")
    low, high = float(np.ceil(total.min() * 10 + 1) / 10), float(np.floor(total.max() * 10 - 1) / 10)
    at = r.spec.score if r.spec.score is not None else float(r.score_at(r.spec.ability)[0])
    return touch.handle(made, "score", "At score", round(at, 1), (low, high), axis="y", decimals=1, words="score")
