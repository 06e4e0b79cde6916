"""“Write this up”: a paragraph on the method and one on the result, of words that are edited and live words that
renew themselves."""

import re
from typing import Any
from uuid import uuid4

from yavik import __version__
from yavik.core.answers import Answer, Span, TableBlock, Verdict
from yavik.core.answers.wording import alpha_words, counted, grouped, listing, plain
from yavik.core.report.phrases import Phrase, holds, phrases

MOST_PAIRS = 6
MOST_EFFECTS = 2
MOST_CHECKS = 4
DRAWN = re.compile(r"random|permutation|bootstrap|simulat|wild|fold", re.IGNORECASE)
"""Words of a method or statement that rests on random numbers."""


def write_up(answer: Answer, question: str, asked: str) -> list[dict[str, Any]]:
    """Nodes for the report.

    Args:
        question: the question's id, which live words point to.
        asked: the question in words, as its sentence reads with its slots filled.
    """
    known = {p.key: p for p in phrases(answer)}
    writer = _Writer(answer, question, known)
    return [
        {"type": "paragraph", "content": writer.method(asked)},
        {"type": "paragraph", "content": writer.result()},
    ]


class _Writer:
    def __init__(self, answer: Answer, question: str, known: dict[str, Phrase]) -> None:
        self.answer, self.question, self.known = answer, question, known
        self.out: list[dict[str, Any]] = []

    def words(self, text: str) -> None:
        """Adds words that are edited."""
        if not text:
            return
        if self.out and self.out[-1]["type"] == "text" and not self.out[-1].get("marks"):
            self.out[-1]["text"] += text
        else:
            self.out.append({"type": "text", "text": text})

    def live(self, key: str) -> bool:
        """Adds a live word; False where the answer has none of that key."""
        found = self.known.get(key)
        if found is None:
            return False
        attrs: dict[str, Any] = {"uid": uuid4().hex[:8], "question": self.question, "key": key, "said": found.text}
        if key.startswith("test|"):
            attrs["holds"] = holds(self.answer)
        self.out.append({"type": "live", "attrs": attrs})
        return True

    def method(self, asked: str) -> list[dict[str, Any]]:
        """The paragraph on the method."""
        self.out = []
        a = self.answer
        self.words(
            f"We asked: {asked[0].lower() + asked[1:] if asked[:1].isupper() and asked[1:2].islower() else asked} "
        )
        alpha = a.spec.get("alpha")
        how = [s for s in a.settings if s]
        level = f"α = {alpha_words(alpha)}" if isinstance(alpha, float) else ""
        if how:
            self.words(f"Method: {'; '.join([*how, level] if level else how)}. ")
        elif level:
            self.words(f"Tests and intervals are at {level}. ")
        judged = [c for c in a.checks if c.verdict in (Verdict.fails, Verdict.doubtful)] or [
            c for c in a.checks if c.verdict == Verdict.holds
        ][:2]
        for check in judged[:MOST_CHECKS]:
            self.words(f"{check.title}: ")
            self.live(f"check|{check.id}")
            self.words(" ")
        self._rows()
        if a.seed is not None and DRAWN.search(" ".join([*a.settings, a.headline])):
            self.words("Random numbers began with seed ")
            self.live("seed")
            self.words(". ")
        self.words(f"Computed with Yavik {__version__}.")
        return self.out

    def _rows(self) -> None:
        """How many rows the answer rests on; a plan for rows that are still to come rests on none."""
        rows = self.answer.rows
        left = rows.total - rows.used
        if not rows.used:
            return
        self.live("rows|used")
        self.words(f" of {grouped(rows.total)} rows {'was' if rows.used == 1 else 'were'} used")
        if left:
            why = listing([f"{counted(x.n, 'row')}: {x.why}" for x in rows.left_out if x.n], 4)
            self.words(f"; {grouped(left)} {'was' if left == 1 else 'were'} left out{f' ({why})' if why else ''}")
        self.words(". ")

    def result(self) -> list[dict[str, Any]]:
        """The paragraph on the result."""
        self.out = []
        self._statement()
        self._pairs()
        self._effects()
        return self.out

    def _statement(self) -> None:
        """The statement: its first sentence in words around its numbers, further ones whole."""
        first = "headline|1" if "headline|1" in self.known else "headline"
        self._around_numbers(self.known[first].spans)
        n = 2
        while f"headline|{n}" in self.known:
            self.words(" ")
            self.live(f"headline|{n}")
            n += 1

    def _around_numbers(self, spans: list[Span]) -> None:
        text = plain(spans)
        tests = [p for k, p in self.known.items() if k.startswith(("test|", "estimate|")) and len(p.text) > 8]
        found = max((p for p in tests if p.text in text), key=lambda p: len(p.text), default=None)
        if found is None:
            self.live("headline|1" if "headline|1" in self.known else "headline")
            return
        before, _, after = text.partition(found.text)
        self.words(before)
        self.live(found.key)
        self.words(after)

    def _pairs(self) -> None:
        table = next((b for b in self.answer.blocks if isinstance(b, TableBlock) and b.id == "pairs"), None)
        if table is None:
            return
        tests = [k for k in self.known if k.startswith("test|pairs|")][:MOST_PAIRS]
        estimates = [k.replace("test|", "estimate|", 1) for k in tests]
        if not any(k in self.known for k in estimates):
            return  # a p of each pair alone says nothing that a reader could use
        how = table.title.partition(",")[2].strip()
        self.words(f" Pairs{f' ({how})' if how else ''}: ")
        for i, key in enumerate(tests):
            self.words("; " if i else "")
            self.words(f"{key.split('|')[2]}, ")
            estimate, test = self.known.get(estimates[i]), self.known[key].text
            if estimate and estimate.text.split(" ")[0] in test:  # the statistic is the estimate: r
                self.words("r\u00a0= ")
                self.live(estimates[i])
                self.words(", p" + test.rpartition("p")[2])
                continue
            if self.live(estimates[i]):
                self.words(", ")
            self.live(key)
        if len(table.rows) > len(tests):
            self.words(f"; and {counted(len(table.rows) - len(tests), 'more pair')}")
        self.words(".")

    def _effects(self) -> None:
        keys = [k for k in self.known if k.startswith("estimate|effects|")][:MOST_EFFECTS]
        for key in keys:
            self.words(f" {_capital(key.split('|')[2])}: ")
            self.live(key)
            self.words(".")


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:] if text[:1].isascii() and text[1:2].islower() else text
