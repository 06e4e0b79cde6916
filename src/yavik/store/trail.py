"""The trail of a question that is a model: each model it has had, once, with its fit, in the order they came."""

from typing import Any

from sqlalchemy import Engine, delete, select, update
from sqlalchemy.dialects.sqlite import insert
from sqlalchemy.orm import Session

from yavik.core.methods.registry import get, parse_spec
from yavik.store.models import TrailRound, now
from yavik.store.versions import key_of

SHOWN = ("kind", "said", "terms", "fit", "n")
"""What of a model's card the trail keeps."""


def model_key(method: str, spec: dict[str, Any]) -> str:
    """The same for specs that mean the same model, wherever it is looked at or cut."""
    return key_of("model", method, get(method).same_model(parse_spec(method, spec)))


class Trail:
    def __init__(self, engine: Engine) -> None:
        self.engine = engine

    def note(self, item_id: str, answer: dict[str, Any]) -> None:
        """Keeps the model of an answer, unless the trail has it or the answer is no model."""
        card = answer.get("model")
        if not card:
            return
        method, parsed = answer["method"], parse_spec(answer["method"], answer["spec"])
        values = {
            "item_id": item_id,
            "key": model_key(method, answer["spec"]),
            "spec": parsed.model_dump(mode="json", exclude_defaults=True),
            "card": {k: card[k] for k in SHOWN},
            "at": now(),
        }
        self.put(values)

    def put(self, values: dict[str, Any]) -> None:
        """Keeps a round of a model's trail."""
        with self.engine.begin() as connection:
            connection.execute(insert(TrailRound).values(**values).on_conflict_do_nothing())

    def rounds(self, item_id: str) -> list[TrailRound]:
        """The rounds of a model, in order."""
        with Session(self.engine, expire_on_commit=False) as session:
            return list(
                session.scalars(select(TrailRound).where(TrailRound.item_id == item_id).order_by(TrailRound.id))
            )

    def name(self, item_id: str, round_id: int, name: str | None) -> None:
        """Raises LookupError."""
        self._one(update(TrailRound).values(name=name), item_id, round_id)

    def drop(self, item_id: str, round_id: int) -> None:
        """Raises LookupError."""
        self._one(delete(TrailRound), item_id, round_id)

    def forget(self, item_id: str) -> None:
        """Takes all rounds away."""
        with self.engine.begin() as connection:
            connection.execute(delete(TrailRound).where(TrailRound.item_id == item_id))

    def _one(self, statement: Any, item_id: str, round_id: int) -> None:
        with self.engine.begin() as connection:
            done = connection.execute(statement.where(TrailRound.item_id == item_id, TrailRound.id == round_id))
            if not done.rowcount:
                raise LookupError(str(round_id))
