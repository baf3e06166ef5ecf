"""Files that appear whole or not at all."""

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path


@contextmanager
def whole(path: Path) -> Iterator[Path]:
    """A place to write to; what is written there takes its final name when all went well."""
    part = path.with_name(f".{path.name}.part{path.suffix}")
    try:
        yield part
        with part.open("rb") as f:
            os.fsync(f.fileno())
        os.replace(part, path)
    finally:
        part.unlink(missing_ok=True)
