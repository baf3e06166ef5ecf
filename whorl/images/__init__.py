"""Pictures that effects bring in: read within bounds, kept by their content, filtered by levels."""

from whorl.images.decode import BadImage, Decoded, decode
from whorl.images.library import Library, library
from whorl.images.sheet import Sheet, sheet_of

__all__ = ["BadImage", "Decoded", "Library", "Sheet", "decode", "library", "sheet_of"]
