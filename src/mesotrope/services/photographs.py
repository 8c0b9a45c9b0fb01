"""Photographs of pads, rotors and boots: verified, resized, stripped of everything but the picture."""

from __future__ import annotations

import datetime
import hashlib
import io
import threading
from dataclasses import dataclass

from PIL import Image, ImageOps
from sqlalchemy import delete, func, select
from sqlalchemy.orm import undefer

from mesotrope.core.language.saying import said, verbatim
from mesotrope.errors import InvalidInput, NotFound
from mesotrope.services.again import done_again
from mesotrope.services.findings import job_of, model_of
from mesotrope.services.signing_in import Who
from mesotrope.store.session import Database
from mesotrope.store.tables import Photograph

#: What may be sent, and what is kept of it.
LARGEST_BYTES, MOST_A_JOB = 12_000_000, 60
LONG_EDGE, SMALL_EDGE, QUALITY = 1600, 320, 82

#: Pixels of each form that is taken: WebP is held four times over while it is unpacked, the others once.
LARGEST_PIXELS = {"JPEG": 60_000_000, "PNG": 60_000_000, "WEBP": 20_000_000}

#: The library's own limit warns, and from double on refuses; ours refuses before anything is unpacked, and says why.
Image.MAX_IMAGE_PIXELS = None

#: A large picture takes much memory while it is unpacked: so many at once.
_unpacked_at_once = threading.BoundedSemaphore(2)


@dataclass(frozen=True)
class Shot:
    """A photograph as it is listed: where it was taken, by whom, when. The picture itself is fetched by its number."""

    id: int
    corner: str
    stage: str
    taken_at: datetime.datetime
    width: int
    height: int


#: What the stage of a photograph begins with that was taken at a step of the work card.
AT_STEP = "step:"


@dataclass(frozen=True)
class Developed:
    """A picture as it is kept: JPEG, upright, without any of the file's own notes (place, camera, time)."""

    picture: bytes
    small: bytes
    width: int
    height: int


def develop(data: bytes) -> Developed:
    """Verify that data is a picture, turn it upright, resize it and encode it anew. Raises `InvalidInput`.

    Unpacked it is held once, and made small before it is turned or converted.
    """
    if not 0 < len(data) <= LARGEST_BYTES:
        raise InvalidInput(
            "photograph",
            f"{len(data)} bytes",
            said("up to {most} MB are allowed", most=verbatim(LARGEST_BYTES // 1000000)),
        )
    picture = None
    try:
        opened = Image.open(io.BytesIO(data), formats=tuple(LARGEST_PIXELS))
        most = LARGEST_PIXELS[str(opened.format)]
        if opened.width * opened.height <= most:
            with _unpacked_at_once:
                picture = _made_small(opened)
    except Exception as error:  # whatever a decoder stumbles over in foreign data
        raise InvalidInput("photograph", "the file", "it is not a whole JPEG, PNG or WebP picture") from error
    if picture is None:
        allowed = f"up to {most // 1_000_000} megapixels are allowed of {opened.format}"
        raise InvalidInput("photograph", f"{opened.width} × {opened.height} pixels", allowed)
    small = picture.copy()
    small.thumbnail((SMALL_EDGE, SMALL_EDGE))
    return Developed(_jpeg(picture), _jpeg(small), picture.width, picture.height)


def _made_small(opened: Image.Image) -> Image.Image:
    """A picture at the size it is kept at, upright, and nothing but the picture."""
    if opened.mode in ("P", "1", "LA", "PA", "I;16", "I"):
        opened = opened.convert("RGB")
    opened.thumbnail((LONG_EDGE, LONG_EDGE))
    upright = ImageOps.exif_transpose(opened).convert("RGB")
    return Image.frombytes("RGB", upright.size, upright.tobytes())


def _jpeg(image: Image.Image) -> bytes:
    out = io.BytesIO()
    image.save(out, "JPEG", quality=QUALITY, optimize=True)
    return out.getvalue()


@done_again
def add_photograph(
    database: Database, job_id: int, corner: str, stage: str, data: bytes, *, by: Who, now: datetime.datetime
) -> int:
    """Keep a photograph with its corner and stage. The same picture again changes nothing. Returns its number.

    Raises `InvalidInput` for what is not a picture or too much of it, `NotFound`.
    """
    model_of(corner)  # refuses what is no place
    developed = develop(data)
    digest = hashlib.sha256(developed.picture).hexdigest()
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job_of(session, job_id, for_writing=True)
        known = session.scalar(select(Photograph.id).where(Photograph.job_id == job_id, Photograph.digest == digest))
        if known is not None:
            return known
        count = session.scalar(select(func.count(Photograph.id)).where(Photograph.job_id == job_id)) or 0
        if count >= MOST_A_JOB:
            raise InvalidInput("photograph", "one more", said("a job keeps at most {most}", most=verbatim(MOST_A_JOB)))
        row = Photograph(
            job_id=job_id,
            corner=corner,
            stage=stage[:60],
            taken_by=by.person_id,
            taken_at=now,
            width=developed.width,
            height=developed.height,
            digest=digest,
            picture=developed.picture,
            small=developed.small,
        )
        session.add(row)
        session.flush()
        return row.id


def list_photographs(database: Database, job_id: int, *, by: Who) -> list[Shot]:
    """The photographs of a job of one's own workshop, the first first; of another's there are none."""
    shot = Photograph
    columns = select(shot.id, shot.corner, shot.stage, shot.taken_at, shot.width, shot.height)
    with database.of_workshop(by.workshop_id) as session:
        rows = session.execute(columns.where(shot.job_id == job_id).order_by(shot.id))
        return [Shot(*row) for row in rows]


def read_photograph(database: Database, job_id: int, photograph_id: int, *, small: bool, by: Who) -> bytes:
    """One picture as JPEG. Raises `NotFound`, also for another workshop's."""
    with database.of_workshop(by.workshop_id) as session:
        row = session.scalar(
            select(Photograph)
            .options(undefer(Photograph.small if small else Photograph.picture))
            .where(Photograph.id == photograph_id, Photograph.job_id == job_id)
        )
        if row is None:
            raise NotFound("photograph")
        return row.small if small else row.picture


@done_again
def remove_photograph(database: Database, job_id: int, photograph_id: int, *, by: Who) -> None:
    """Take a photograph away. Raises `NotFound`."""
    with database.of_workshop(by.workshop_id) as session, session.begin():
        job_of(session, job_id, for_writing=True)
        gone = session.execute(delete(Photograph).where(Photograph.id == photograph_id, Photograph.job_id == job_id))
        if gone.rowcount == 0:  # type: ignore[attr-defined]
            raise NotFound("photograph")
