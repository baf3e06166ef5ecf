"""Picture and mesh files by the hash of their content: in memory, and in a folder where one is given."""

import hashlib
import os
import re
import tempfile
import threading
from functools import lru_cache
from pathlib import Path

from whorl.images.decode import Decoded, decode
from whorl.images.pyramid import Pyramid, pyramid_of
from whorl.images.solid import Solid, read_solid

_HASH = re.compile(r"[0-9a-f]{64}")


class Library:
    """Files that never change, since their name is their content."""

    def __init__(self, folder: Path | None = None) -> None:
        self.folder = folder
        self.files: dict[str, bytes] = {}
        self.lock = threading.Lock()

    def add(self, data: bytes) -> tuple[str, Decoded]:
        """Keep a picture; gives its hash. Raises BadImage, and keeps nothing then."""
        decoded = decode(data)
        return self.keep(data), decoded

    def add_solid(self, data: bytes) -> tuple[str, Solid]:
        """Keep a mesh; gives its hash. Raises BadSolid, and keeps nothing then."""
        made = read_solid(data)
        return self.keep(data), made

    def keep(self, data: bytes) -> str:
        """Keep a file that was read; gives its hash."""
        digest = hashlib.sha256(data).hexdigest()
        if self.folder is None:
            self.files[digest] = data
        elif not (path := self.folder / digest).exists():
            self.folder.mkdir(parents=True, exist_ok=True)
            handle, part = tempfile.mkstemp(dir=self.folder, suffix=".part")
            with os.fdopen(handle, "wb") as f:
                f.write(data)
            os.replace(part, path)
        return digest

    def data(self, digest: str) -> bytes | None:
        """The file with this hash, or None."""
        if not _HASH.fullmatch(digest):
            return None
        if digest in self.files:
            return self.files[digest]
        path = self.folder / digest if self.folder else None
        return path.read_bytes() if path and path.exists() else None

    def has(self, digest: str) -> bool:
        """Whether the file is here."""
        known = digest in self.files
        return known or bool(_HASH.fullmatch(digest) and self.folder and (self.folder / digest).exists())

    def pyramid(self, digest: str, srgb: bool) -> Pyramid:
        """The levels of a picture; KeyError where it is not here."""
        return _pyramid(self, digest, srgb)


@lru_cache(maxsize=16)
def _pyramid(library: Library, digest: str, srgb: bool) -> Pyramid:
    data = library.data(digest)
    if data is None:
        raise KeyError(digest)
    return pyramid_of(decode(data), srgb)


#: The files of this process; a server or the command line gives it its folder.
library = Library()
