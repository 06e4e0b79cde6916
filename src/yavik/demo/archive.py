"""The stand-in archive: a small service on loopback that plays a public data archive, with a listing and files."""

import io
import tempfile
import threading
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
from fastapi import FastAPI, HTTPException, Response

from yavik.core.files import columnar, package, xlsx
from yavik.core.table import Column, Kind, Level, Table
from yavik.core.table.table import make_table
from yavik.demo.table import TOWNS

NAME = "Quillmoor open data"
WORDS = "A stand-in for a public archive: it runs on this computer and holds made-up files."


@dataclass(frozen=True)
class Held:
    title: str
    description: str
    filename: str
    year: int
    data: bytes


def weather() -> bytes:
    """Daily means for 2024: a yearly wave of ±8 °C around 9, SD 2.5; rain is gamma."""
    rng = np.random.default_rng(801)
    day = np.arange(366)
    degrees = 9 - 8 * np.cos(2 * np.pi * day / 366) + rng.normal(0, 2.5, 366)
    rain = np.where(rng.random(366) < 0.45, rng.gamma(1.2, 4, 366), 0)
    lines = ["day;mean temperature;rain"]
    lines += [
        f"{np.datetime64('2024-01-01') + int(d)};{t:.1f};{r:.1f}".replace(".", ",")
        for d, t, r in zip(day, degrees, rain, strict=True)
    ]
    return ("\n".join(lines) + "\n").encode("cp1252")


def inhabitants() -> Table:
    rng = np.random.default_rng(802)
    towns = np.repeat(np.arange(9), 3)
    levels = tuple(Level(value=str(i + 1), label=t) for i, t in enumerate(TOWNS))
    columns = [
        Column(name="town", kind=Kind.category, label="Town", levels=levels),
        Column(name="year", kind=Kind.count, label="Year of the count"),
        Column(name="people", kind=Kind.count, label="Inhabitants", unit="people"),
        Column(name="readers", kind=Kind.measure, label="Share with a library card", unit="%", decimals=1),
    ]
    arrays: list[Any] = [
        pa.DictionaryArray.from_arrays(pa.array(towns, pa.int32()), pa.array([lv.value for lv in levels])),
        pa.array(np.tile([2014, 2019, 2024], 9)),
        pa.array(rng.integers(900, 14_000, 27)),
        pa.array(np.round(rng.normal(31, 6, 27), 1)),
    ]
    return make_table(columns, arrays)


def _written(write: Any, *more: Any) -> bytes:
    with tempfile.TemporaryDirectory(prefix="yavik-") as folder:
        path = Path(folder) / "out"
        write(inhabitants(), path, *more)
        return path.read_bytes()


def holdings() -> dict[str, Held]:
    return {
        "weather-2024": Held(
            "Weather of the valley, 2024",
            "Mean temperature and rain for every day. Semicolons, decimal commas.",
            "weather-2024.csv",
            2024,
            weather(),
        ),
        "inhabitants": Held(
            "Inhabitants of the towns",
            "Three counts, with labels and units, as a data package.",
            "inhabitants.zip",
            2024,
            _written(package.write, "Inhabitants"),
        ),
        "inhabitants-sheet": Held(
            "Inhabitants of the towns (workbook)",
            "The same counts as a workbook with its dictionary.",
            "inhabitants.xlsx",
            2024,
            _written(xlsx.write),
        ),
        "inhabitants-parquet": Held(
            "Inhabitants of the towns (Parquet)",
            "The same counts as Parquet.",
            "inhabitants.parquet",
            2024,
            _written(columnar.write_parquet),
        ),
    }


def archive_app() -> FastAPI:
    app = FastAPI(title=NAME, docs_url=None, redoc_url=None, openapi_url=None)
    held = holdings()

    @app.get("/listing")
    def listing(q: str = "") -> list[dict[str, Any]]:
        words = q.casefold().split()
        found = {
            k: h for k, h in held.items() if all(w in f"{h.title} {h.description} {h.year}".casefold() for w in words)
        }
        return [
            {
                "id": k,
                "title": h.title,
                "description": h.description,
                "filename": h.filename,
                "size": len(h.data),
                "year": h.year,
            }
            for k, h in found.items()
        ]

    @app.get("/files/{file_id}")
    def file(file_id: str) -> Response:
        if file_id not in held:
            raise HTTPException(404)
        return Response(io.BytesIO(held[file_id].data).getvalue(), media_type="application/octet-stream")

    return app


def start(port: int = 0) -> str:
    """Starts the service on a free port of this computer and gives its address; it ends with the process."""
    import socket

    import uvicorn

    listener = socket.socket()
    listener.bind(("127.0.0.1", port))
    server = uvicorn.Server(uvicorn.Config(archive_app(), log_level="error"))
    threading.Thread(target=lambda: server.run(sockets=[listener]), daemon=True).start()
    return f"http://127.0.0.1:{listener.getsockname()[1]}"
