"""Files of a zip, of which nothing is believed."""

import zipfile
import zlib

#: How a zip begins (PKWARE APPNOTE, 4.3.7), and what reading one may raise.
BEGINS = b"PK\x03\x04"
BROKEN = (zipfile.BadZipFile, NotImplementedError, RuntimeError, EOFError, zlib.error, OSError, ValueError)


def bounded(file: zipfile.ZipFile, info: zipfile.ZipInfo) -> bytes:
    """A file of a zip, and no more of it than it says it is. Raises one of `BROKEN`."""
    with file.open(info) as opened:
        data = opened.read(info.file_size + 1)
    if len(data) > info.file_size:
        raise zipfile.BadZipFile("larger than it says")
    return data
