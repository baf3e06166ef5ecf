"""An effect, or a splice, and its pictures in one file: a zip of the document and its assets."""

import hashlib
import io
import zipfile
from collections.abc import Callable
from typing import TypeVar

from whorl.effect import BadEffect, Effect, read_text, write_text
from whorl.effect.document import Asset
from whorl.effect.places import parts
from whorl.effect.problems import Problem
from whorl.effect.splices import Splice, read_splice, write_splice
from whorl.effect.stage import MeshFile
from whorl.images.decode import BadImage, Decoded, decode
from whorl.images.library import Library
from whorl.images.sequence import MOST_PIXELS as MOST_PLAYED
from whorl.images.sequence import Played, is_sequence, read_sequence
from whorl.images.solid import BadSolid, read_solid

DOCUMENT, SPLICE, ASSETS = "effect.whorl.json", "splice.whorl-splice.json", "assets/"
#: What a bundle may come to once it is unpacked, and its document.
MOST_BYTES, MOST_DOCUMENT = 512 * 1024 * 1024, 8 * 1024 * 1024
#: What its pictures may come to, each counted once.
MOST_PIXELS = 128 * 1024 * 1024


def write_bundle(effect: Effect, library: Library) -> bytes:
    """The bundle of an effect; pictures are stored as they are, the same input giving the same bytes."""
    return _packed(DOCUMENT, write_text(effect), effect, library)


def write_spliced(splice: Splice, library: Library) -> bytes:
    """The bundle of a splice."""
    return _packed(SPLICE, write_splice(splice), splice.effect, library)


def _packed(named: str, text: str, effect: Effect, library: Library) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as z:
        files = [(named, text.encode(), zipfile.ZIP_DEFLATED)]
        for digest in sorted({digest for _, _, digest, _ in files_of(effect)}):
            data = library.data(digest)
            if data is not None:
                files.append((ASSETS + digest, data, zipfile.ZIP_STORED))
        for name, data, how in files:
            entry = zipfile.ZipInfo(name, (2026, 1, 1, 0, 0, 0))
            entry.compress_type = how
            z.writestr(entry, data)
    return out.getvalue()


def files_of(effect: Effect) -> list[tuple[str, str, str, Callable[[bytes], object]]]:
    """The files an effect needs: the place that names each, its name, its hash, and what reads it."""
    return [
        (place, part.name, part.hash, _read_picture if isinstance(part, Asset) else read_solid)
        for place, part in parts(effect)
        if isinstance(part, Asset | MeshFile)
    ]


def _read_picture(data: bytes) -> Decoded | Played:
    return read_sequence(data) if is_sequence(data) else decode(data)


def read_file(data: bytes, library: Library) -> Effect:
    """An effect from a document or a bundle; a bundle's pictures are kept in `library`.

    Raises BadEffect, and keeps nothing then.
    """
    return _read(data, library, DOCUMENT, read_text, lambda effect: effect)


def read_spliced(data: bytes, library: Library) -> Splice:
    """A splice from a document or a bundle; a bundle's pictures are kept in `library`.

    Raises BadEffect, and keeps nothing then.
    """
    return _read(data, library, SPLICE, read_splice, lambda splice: splice.effect)


T = TypeVar("T")


def _read(
    data: bytes, library: Library, named: str, reads: Callable[[bytes], T], effect_of: Callable[[T], Effect]
) -> T:
    if data[:4] != b"PK\x03\x04":
        return reads(data)
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as z:
            made = reads(_document(z, named))
            pictures = _unpacked(z, effect_of(made))
    except (zipfile.BadZipFile, EOFError, NotImplementedError, RuntimeError, ValueError, OSError) as e:
        if isinstance(e, BadEffect):
            raise
        raise _bad("the zip file is damaged, or packed in a way that is not read") from e
    for picture in pictures:
        library.keep(picture)
    return made


def _document(z: zipfile.ZipFile, named: str) -> bytes:
    sizes = {i.filename: i.file_size for i in z.infolist()}
    if named not in sizes:
        raise _bad(f"a bundle holds '{named}'; this one does not")
    if sizes[named] > MOST_DOCUMENT or sum(sizes.values()) > MOST_BYTES:
        raise _bad(f"the bundle comes to more than the {MOST_BYTES // 2**20} MiB that are taken")
    return z.read(named)


def _unpacked(z: zipfile.ZipFile, effect: Effect) -> list[bytes]:
    sizes = {i.filename: i.file_size for i in z.infolist()}
    pictures: dict[str, bytes] = {}
    total = played = 0
    for place, name, digest, reader in files_of(effect):
        # Many may name one file; it is read once.
        if digest in pictures:
            continue
        if ASSETS + digest not in sizes:
            raise _bad(f"the file of '{name}' is not in the bundle", place)
        data = z.read(ASSETS + digest)
        if hashlib.sha256(data).hexdigest() != digest:
            raise _bad(f"the file of '{name}' is not the one the effect was made with", place)
        try:
            made = reader(data)
        except (BadImage, BadSolid) as e:
            raise _bad(str(e), place) from e
        pictures[digest] = data
        total += made.width * made.height if isinstance(made, Decoded) else 0
        played += made.width * made.height * made.frames if isinstance(made, Played) else 0
        for many, most, what in ((total, MOST_PIXELS, "pictures"), (played, MOST_PLAYED, "sequences")):
            if many > most:
                words = f"the bundle's {what} come to more than the {most // 2**20} megapixels that are taken"
                raise _bad(words, place)
    return list(pictures.values())


def _bad(words: str, place: str = "") -> BadEffect:
    return BadEffect([Problem(place=place, words=words)])
