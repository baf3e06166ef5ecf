"""A folder's files as one zip, made while it is sent."""

import io
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any


class _Passing(io.RawIOBase):
    """A place to write a zip to that gives away what it gets."""

    def __init__(self) -> None:
        self.parts: list[bytes] = []

    def writable(self) -> bool:
        return True

    def write(self, data: Any) -> int:
        self.parts.append(bytes(data))
        return len(data)

    def taken(self) -> bytes:
        whole, self.parts = b"".join(self.parts), []
        return whole


def zipped(folder: Path, names: list[str]) -> Iterator[bytes]:
    """The bytes of a zip of these files, file by file."""
    passing = _Passing()
    # Frames are compressed already.
    with zipfile.ZipFile(passing, "w", zipfile.ZIP_STORED) as archive:
        for name in names:
            archive.write(folder / name, name)
            yield passing.taken()
    yield passing.taken()
