"""Photographs: only pictures, upright, small enough, without the place they were taken at."""

from __future__ import annotations

import io
import struct
import threading
import time
import zlib
from concurrent.futures import ThreadPoolExecutor

import pytest
from PIL import Image

from mesotrope.errors import InvalidInput, NotFound
from mesotrope.knowledge import knowledge
from mesotrope.services import photographs
from mesotrope.services.jobs import take_in
from mesotrope.services.photographs import (
    add_photograph,
    develop,
    list_photographs,
    read_photograph,
    remove_photograph,
)


def picture(width=40, height=30, kind="JPEG", place=False, turned=1, **more):
    out = io.BytesIO()
    image = Image.linear_gradient("L").resize((width, height)).convert("RGB")
    exif = Image.Exif()
    exif[0x0112] = turned
    if place:
        exif.get_ifd(0x8825)[2] = (51.0, 28.0, 38.0)
        exif[0x010F] = "Somebody's camera"
    image.save(out, kind, exif=exif, **more)
    return out.getvalue()


def claiming(width, height, kind):
    """A small picture whose head says that it is larger: what is refused for its size is refused before it is read."""
    data = bytearray(picture(kind=kind, lossless=True))
    if kind == "PNG":
        data[16:24] = struct.pack(">II", width, height)
        data[29:33] = struct.pack(">I", zlib.crc32(data[12:29]))
    else:  # of its canvas, and of what is on it
        canvas, drawn = data.index(b"VP8X") + 12, data.index(b"VP8L") + 9
        data[canvas : canvas + 6] = (width - 1).to_bytes(3, "little") + (height - 1).to_bytes(3, "little")
        data[drawn : drawn + 4] = struct.pack("<I", (width - 1) | (height - 1) << 14)
    return bytes(data)


@pytest.fixture
def job(database, someone, clock):
    who = someone()
    return who, take_in(
        database, knowledge(), label="Red van", kind="car", registration="", odometer_km=None, usage="", complaint="",
        by=who, now=clock(),
    )  # fmt: skip


def test_a_picture_is_kept_with_corner_and_stage(database, job, clock):
    who, number = job
    kept = add_photograph(database, number, "rear_left", "look", picture(), by=who, now=clock())
    [shot] = list_photographs(database, number, by=who)
    assert (shot.id, shot.corner, shot.stage, shot.width, shot.height) == (kept, "rear_left", "look", 40, 30)
    assert read_photograph(database, number, kept, small=False, by=who)[:2] == b"\xff\xd8"


def test_place_and_camera_are_gone():
    assert b"camera" in picture(place=True)
    developed = develop(picture(place=True))
    assert len(Image.open(io.BytesIO(developed.picture)).getexif()) == 0
    assert b"camera" not in developed.picture


def test_a_picture_taken_on_its_side_is_turned_upright():
    developed = develop(picture(40, 30, turned=6))
    assert (developed.width, developed.height) == (30, 40)


def test_a_large_picture_is_made_smaller_and_keeps_its_shape():
    developed = develop(picture(4000, 2000))
    assert (developed.width, developed.height) == (1600, 800)
    assert max(Image.open(io.BytesIO(developed.small)).size) == 320


@pytest.mark.parametrize("kind", ["JPEG", "PNG", "WEBP"])
def test_every_permitted_kind_becomes_a_jpeg(kind):
    assert develop(picture(kind=kind)).picture[:2] == b"\xff\xd8"


@pytest.mark.parametrize(
    ("data", "message"),
    [
        (b"", "up to 12 MB are allowed"),
        (b"<svg onload='x'/>", "it is not a whole JPEG, PNG or WebP picture"),
        (b"GIF89a" + b"\0" * 40, "it is not a whole"),
        (picture()[:200], "it is not a whole"),
        (b"\0" * 12_000_001, "up to 12 MB are allowed"),
        (claiming(8000, 7600, "PNG"), "8000 × 7600 pixels.*up to 60 megapixels are allowed"),
        (claiming(14_000, 13_000, "PNG"), "14000 × 13000 pixels.*up to 60 megapixels are allowed"),
        (claiming(5000, 4500, "WEBP"), "5000 × 4500 pixels.*up to 20 megapixels are allowed of WEBP"),
    ],
)
def test_what_is_no_picture_is_refused_with_the_reason(data, message):
    with pytest.raises(InvalidInput, match=message):
        develop(data)


def test_a_picture_of_too_many_pixels_is_refused_before_it_is_unpacked(monkeypatch):
    monkeypatch.setattr(photographs, "LARGEST_PIXELS", {"JPEG": 1000})
    with pytest.raises(InvalidInput, match="megapixels are allowed"):
        develop(picture(100, 100))


def test_at_most_two_pictures_are_unpacked_at_once(monkeypatch):
    at_once, most, lock = 0, 0, threading.Lock()
    small = photographs._made_small

    def counted(opened):
        nonlocal at_once, most
        with lock:
            at_once += 1
            most = max(most, at_once)
        time.sleep(0.02)
        with lock:
            at_once -= 1
        return small(opened)

    monkeypatch.setattr(photographs, "_made_small", counted)
    with ThreadPoolExecutor(6) as crowd:
        list(crowd.map(develop, [picture(40 + n) for n in range(6)]))
    assert most == 2


def test_the_same_picture_twice_is_kept_once(database, job, clock):
    who, number = job
    twice = [add_photograph(database, number, "rear_left", "look", picture(), by=who, now=clock()) for _ in range(2)]
    assert twice[0] == twice[1]
    assert len(list_photographs(database, number, by=who)) == 1


def test_a_job_keeps_only_so_many(database, job, clock, monkeypatch):
    who, number = job
    monkeypatch.setattr(photographs, "MOST_A_JOB", 1)
    add_photograph(database, number, "rear_left", "look", picture(40), by=who, now=clock())
    with pytest.raises(InvalidInput, match="a job keeps at most 1"):
        add_photograph(database, number, "rear_left", "look", picture(41), by=who, now=clock())


def test_a_picture_can_be_taken_away_and_only_by_its_workshop(database, job, someone, clock):
    who, number = job
    kept = add_photograph(database, number, "rear_left", "look", picture(), by=who, now=clock())
    stranger = someone()
    for use in (
        lambda: read_photograph(database, number, kept, small=True, by=stranger),
        lambda: remove_photograph(database, number, kept, by=stranger),
        lambda: add_photograph(database, number, "rear_left", "look", picture(), by=stranger, now=clock()),
    ):
        with pytest.raises(NotFound):
            use()
    remove_photograph(database, number, kept, by=who)
    assert list_photographs(database, number, by=who) == []
