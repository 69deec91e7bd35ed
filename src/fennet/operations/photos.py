"""Photos: taken in, made anew without what the camera wrote into them, kept in the database."""

from __future__ import annotations

import io
from dataclasses import dataclass
from datetime import UTC, datetime
from zoneinfo import ZoneInfo

from PIL import ExifTags, Image, ImageOps, UnidentifiedImageError
from sqlalchemy import Connection, insert, select, update

from fennet.journal.times import localize, zone_of
from fennet.operations.acting import Refusal, WriteContext
from fennet.operations.logging import checked_time
from fennet.storage import queries
from fennet.storage import tables as t
from fennet.storage.mapping import table_of

#: Longest side of a kept photo and of its thumbnail, pixels; and the largest picture that is opened at all.
LONGEST_PX, THUMB_PX, MOST_PIXELS = 1600, 240, 60_000_000
KINDS = ("JPEG", "PNG", "WEBP", "GIF")


@dataclass(frozen=True)
class Photo:
    id: int
    thing: str
    taken_at: datetime
    by: str | None
    width_px: int
    height_px: int


@dataclass(frozen=True)
class Remade:
    """A picture made anew: JPEG bytes, its thumbnail's, its size, and when the camera says it was taken (local, naive)."""

    image: bytes
    thumbnail: bytes
    width_px: int
    height_px: int
    taken: datetime | None


def remake(data: bytes) -> Remade:
    """A picture turned upright, scaled down and written anew, so that nothing but the picture is left. Raises Refusal."""
    try:
        with Image.open(io.BytesIO(data), formats=KINDS) as opened:
            if opened.width * opened.height > MOST_PIXELS:
                raise Refusal(f"That picture has {opened.width} × {opened.height} points; accepted: up to 60 million.", "photo")
            taken = _taken(opened)
            upright = ImageOps.exif_transpose(opened).convert("RGB")
    except (UnidentifiedImageError, OSError, ValueError, SyntaxError, Image.DecompressionBombError):
        raise Refusal("That file is not a picture Fennet can read; accepted: JPEG, PNG, WebP and GIF.", "photo") from None
    upright.thumbnail((LONGEST_PX, LONGEST_PX))
    small = upright.copy()
    small.thumbnail((THUMB_PX, THUMB_PX))
    return Remade(_jpeg(upright, 85), _jpeg(small, 80), upright.width, upright.height, taken)


def _jpeg(image: Image.Image, quality: int) -> bytes:
    # A fresh canvas carries no metadata along.
    clean = Image.new("RGB", image.size)
    clean.paste(image)
    out = io.BytesIO()
    clean.save(out, "JPEG", quality=quality, optimize=True)
    return out.getvalue()


def _taken(image: Image.Image) -> datetime | None:
    exif = image.getexif()
    text = exif.get_ifd(ExifTags.IFD.Exif).get(ExifTags.Base.DateTimeOriginal) or exif.get(ExifTags.Base.DateTime)
    try:
        return datetime.strptime(str(text), "%Y:%m:%d %H:%M:%S") if text else None
    except ValueError:
        return None


def add(w: WriteContext, thing: str, made: Remade, at: datetime | None) -> int | None:
    """Keep a photo of a tray, batch or place: its number. The time is the one given, else the camera's, else now. Raises
    Refusal for what is no picture or for a thing that is not there."""
    taken = checked_time(at, w.now) if at is not None else _camera_time(made, zone_of(w.actor.ref.garden.timezone), w.now)
    if thing not in queries.things(w.c, w.garden_id):
        raise Refusal(f"There is no {thing} in this garden.", "thing", thing)
    row = {
        "garden_id": w.garden_id, "thing": thing, "taken_at": taken, "mime": "image/jpeg", "width_px": made.width_px,
        "height_px": made.height_px, "image": made.image, "thumbnail": made.thumbnail, "by": w.actor.name, "recorded_at": w.now,
    }  # fmt: skip
    p = table_of(t.PhotoRow)
    return int(w.c.execute(insert(p).values(**row).returning(p.c.id)).scalar_one())


def _camera_time(made: Remade, zone: ZoneInfo, now: datetime) -> datetime:
    if made.taken is None:
        return now
    try:
        at = localize(made.taken, zone)
    except ValueError:
        return now
    # A camera whose clock is off by years is not believed.
    return at if datetime(2000, 1, 1, tzinfo=UTC) < at <= now else now


def of_things(c: Connection, garden_id: int, things: list[str]) -> list[Photo]:
    """Photos of some things in order of time, so that growth shows."""
    p = table_of(t.PhotoRow)
    columns = (p.c.id, p.c.thing, p.c.taken_at, p.c.by, p.c.width_px, p.c.height_px)
    where = (p.c.garden_id == garden_id, p.c.thing.in_(things), p.c.withdrawn.is_(False))
    return [Photo(*row) for row in c.execute(select(*columns).where(*where).order_by(p.c.taken_at, p.c.id))]


def content(c: Connection, garden_id: int, number: int, thumbnail: bool) -> bytes | None:
    p = table_of(t.PhotoRow)
    column = p.c.thumbnail if thumbnail else p.c.image
    found = c.execute(select(column).where(p.c.garden_id == garden_id, p.c.id == number)).first()
    return bytes(found[0]) if found else None


def withdraw(w: WriteContext, number: int, back: bool = False) -> None:
    """Take a photo out of sight, or bring it back. Raises Refusal when there is none."""
    p = table_of(t.PhotoRow)
    done = w.c.execute(update(p).where(p.c.garden_id == w.garden_id, p.c.id == number).values(withdrawn=not back))
    if not done.rowcount:
        raise Refusal("There is no such photo in this garden.", "photo", str(number))
