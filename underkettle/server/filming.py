"""Routes that make films of pictures the page sends: what is seen is what the film shows."""

from __future__ import annotations

import io
import itertools
import time
from threading import Lock

import numpy as np
from fastapi import FastAPI, HTTPException, Request, Response
from PIL import Image
from pydantic import BaseModel, Field
from starlette.concurrency import run_in_threadpool

from underkettle.case.faults import fault
from underkettle.formats.film import KINDS, Film
from underkettle.server.answers.reading import FilmCount
from underkettle.server.answers.shared import Identity
from underkettle.server.opened import Raw

MOST_OPEN = 4
MOST_PICTURES = 20_000
LARGEST = 20_000_000  # bytes of one picture
PICTURE = {
    "requestBody": {
        "required": True,
        "content": {
            kind: {"schema": {"type": "string", "format": "binary"}}
            for kind in ("image/png", "image/jpeg")
        },
    }
}
FORGOTTEN = 600.0  # s without a picture after which a film is dropped


class Begin(BaseModel):
    width: int = Field(ge=16, le=4096)
    height: int = Field(ge=16, le=4096)
    per_second: float = Field(gt=0.1, le=120)
    kind: str = "mp4"


class _Open:
    """Films that are being made."""

    def __init__(self) -> None:
        self.films: dict[str, tuple[Film, Lock, list[float]]] = {}
        self.numbers = itertools.count(1)

    def begin(self, asked: Begin) -> str:
        self.forget()
        if len(self.films) >= MOST_OPEN:
            raise fault(
                "the film",
                f"{MOST_OPEN} films are being made already",
                "Wait for one of them, or stop it.",
            )
        if asked.kind not in KINDS:
            raise fault(
                "kind", "this is no kind of film", f"Choose from {', '.join(KINDS)}.", asked.kind
            )
        name = str(next(self.numbers))
        film = Film(
            asked.width - asked.width % 2,
            asked.height - asked.height % 2,
            asked.per_second,
            asked.kind,
        )
        self.films[name] = (film, Lock(), [time.monotonic()])
        return name

    def get(self, name: str) -> tuple[Film, Lock, list[float]]:
        if name not in self.films:
            raise HTTPException(404, "There is no such film.")
        return self.films[name]

    def forget(self) -> None:
        for name, (film, _, last) in list(self.films.items()):
            if time.monotonic() - last[0] > FORGOTTEN:
                del self.films[name]
                film.drop()


def film_routes(app: FastAPI) -> None:
    made = _Open()

    @app.post("/api/films", operation_id="begin_film")
    def begin(asked: Begin) -> Identity:
        """Begin a film; pictures follow one by one."""
        return Identity(id=made.begin(asked))

    @app.post("/api/films/{film}/pictures", operation_id="add_picture", openapi_extra=PICTURE)
    async def add(film: str, request: Request) -> FilmCount:
        """The next picture, as PNG or JPEG."""
        return await run_in_threadpool(added, film, await request.body())

    def added(film: str, body: bytes) -> FilmCount:
        found, turn, last = made.get(film)
        if len(body) > LARGEST or found.count >= MOST_PICTURES:
            raise fault("the film", "the picture is too large, or there are too many of them")
        with turn:
            last[0] = time.monotonic()
            try:
                image = Image.open(io.BytesIO(body), formats=["PNG", "JPEG"])
                if image.width > 4097 or image.height > 4097:
                    raise ValueError("it is larger than 4096 pixels")
                whole = np.asarray(image.convert("RGB"))
                found.add(whole[: found.height, : found.width])
            except (OSError, ValueError, Image.DecompressionBombError, SyntaxError) as error:
                raise fault("the picture", f"it cannot be read: {error}") from error
        return FilmCount(count=found.count)

    @app.post("/api/films/{film}/finish", operation_id="finish_film", response_class=Raw)
    def finish(film: str) -> Response:
        """The film itself."""
        found, turn, _ = made.get(film)
        with turn:
            del made.films[film]
            try:
                data = found.finish()
            except ValueError as error:
                raise fault("the film", str(error), "Send pictures first.") from error
        return Response(data, media_type="video/mp4" if found.kind == "mp4" else "image/gif")

    @app.delete("/api/films/{film}", operation_id="drop_film")
    def drop(film: str) -> Identity:
        """Stop making it."""
        found, turn, _ = made.get(film)
        with turn:
            del made.films[film]
            found.drop()
        return Identity(id=film)
