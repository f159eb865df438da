"""Archives that somebody sends."""

import lzma
import zipfile
import zlib

BROKEN = (zipfile.BadZipFile, zlib.error, lzma.LZMAError, EOFError, OSError, RuntimeError)
"""What reading an archive raises that is cut off, damaged, locked, or packed in a way that is not known."""
