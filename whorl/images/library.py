"""Picture and mesh files by the hash of their content: in memory, and in a folder where one is given."""

import hashlib
import io
import logging
import os
import re
import tempfile
import threading
import zipfile
from pathlib import Path
from typing import Any

from cachetools import LRUCache, cached

from whorl.images.around import around_of, evenly
from whorl.images.decode import BadImage, Decoded, decode
from whorl.images.sequence import Played, frame_of, is_sequence, read_sequence, taken
from whorl.images.sheet import Reading, Sheet, sheet_of
from whorl.images.solid import Solid, read_solid
from whorl.refused import Refused

LOG = logging.getLogger("whorl.library")
_HASH = re.compile(r"[0-9a-f]{64}")


class NotKept(Refused):
    """A file that is not here, or not what it was."""


class Library:
    """Files that never change, since their name is their content."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder
        self.files: dict[str, bytes] = {}
        #: Files of sequences that were found to be what they are called, with when they were written.
        self.known: dict[str, int] = {}
        self.lock = threading.Lock()

    def add(self, data: bytes) -> tuple[str, Decoded]:
        """Keep a picture; gives its hash. Raises BadImage, and keeps nothing then."""
        decoded = decode(data)
        return self.keep(data), decoded

    def add_played(self, data: bytes) -> tuple[str, Decoded | Played]:
        """Keep a picture, or a sequence of several; gives its hash. Raises BadImage, and keeps nothing then."""
        sequence = taken(data)
        if sequence is None:
            return self.add(data)
        made = read_sequence(sequence)
        return self.keep(sequence), made

    def add_solid(self, data: bytes) -> tuple[str, Solid]:
        """Keep a mesh; gives its hash. Raises BadSolid, and keeps nothing then."""
        made = read_solid(data)
        return self.keep(data), made

    def keep(self, data: bytes) -> str:
        """Keep a file that was read; gives its hash. One that was damaged since is written anew."""
        digest = hashlib.sha256(data).hexdigest()
        if self.folder is None:
            self.files[digest] = data
        elif self.data(digest) is None:
            self.folder.mkdir(parents=True, exist_ok=True)
            handle, part = tempfile.mkstemp(dir=self.folder, suffix=".part")
            try:
                with os.fdopen(handle, "wb") as f:
                    f.write(data)
                    f.flush()
                    os.fsync(f.fileno())
                os.replace(part, self.folder / digest)
            except BaseException:
                Path(part).unlink(missing_ok=True)
                raise
        return digest

    def data(self, digest: str) -> bytes | None:
        """The file with this hash, or None: also where what stands there is something else."""
        if not _HASH.fullmatch(digest):
            return None
        if digest in self.files:
            return self.files[digest]
        path = self.folder / digest if self.folder else None
        if path is None or not path.exists():
            return None
        data = path.read_bytes()
        if hashlib.sha256(data).hexdigest() != digest:
            LOG.warning("the file %s is damaged", path)
            return None
        return data

    def has(self, digest: str) -> bool:
        """Whether the file is here."""
        known = digest in self.files
        return known or bool(_HASH.fullmatch(digest) and self.folder and (self.folder / digest).exists())

    def sheet(self, digest: str, read: Reading, frame: int = 0) -> Sheet:
        """The levels of a picture, or of a frame of a sequence. Raises NotKept where it is not here, BadImage where it
        is no picture."""
        return _sheet(self, digest, read, frame)

    def picture(self, digest: str, frame: int) -> bytes | None:
        """The file of a picture; of a sequence that of one frame, without reading the others. Raises BadImage."""
        path = self.folder / digest if self.folder and digest not in self.files else None
        if path is None or not self.has(digest) or not _begins_as_sequence(path):
            data = self.data(digest)
            return _frame(io.BytesIO(data), frame) if data and is_sequence(data) else data
        written = path.stat().st_mtime_ns
        if self.known.get(digest) != written:
            # Looked at whole once; from then on each frame's own checksum tells.
            if self.data(digest) is None:
                return None
            self.known[digest] = written
        return _frame(path, frame)

    def even_sky(self, digest: str) -> tuple[tuple[float, ...], ...]:
        """A panorama as a sky of three colours; see `images.around`. Raises as `sheet` does."""
        return _even(self, digest)


def _begins_as_sequence(path: Path) -> bool:
    with path.open("rb") as file:
        return is_sequence(file.read(4))


def _frame(file: Path | io.BytesIO, frame: int) -> bytes:
    try:
        with zipfile.ZipFile(file) as opened:
            return frame_of(opened, frame)
    except zipfile.BadZipFile as e:
        raise BadImage("the zip is damaged, or of a kind that is not read") from e


#: Sheets in memory, up to so many bytes of texels.
_SHEETS: LRUCache[Any, Sheet] = LRUCache(768 * 1024 * 1024, getsizeof=lambda sheet: sheet.image.pixels.nbytes)


@cached(_SHEETS, lock=threading.RLock())
def _sheet(library: Library, digest: str, read: Reading, frame: int) -> Sheet:
    data = library.picture(digest, frame)
    if data is None:
        raise NotKept("the file of a picture is damaged or gone; bring it in once more")
    made = decode(data)
    return around_of(made) if read == "around" else sheet_of(made, read == "colour")


@cached(LRUCache(256), lock=threading.RLock())
def _even(library: Library, digest: str) -> tuple[tuple[float, ...], ...]:
    data = library.data(digest)
    if data is None:
        raise NotKept("the file of a picture is damaged or gone; bring it in once more")
    return evenly(decode(data))


#: The files of this process; a server or the command line gives it its folder.
library = Library()
