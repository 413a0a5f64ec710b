"""Files in and out. Bytes in, bytes out: nothing here opens a path or follows a link.

``reading`` and ``writing`` are the doors; the formats behind them are loaded when they are needed.
"""

from jukai.core.formats.common import FORMATS, ReadMesh, WriteOptions
from jukai.core.formats.reading import read_mesh

__all__ = ["FORMATS", "ReadMesh", "WriteOptions", "read_mesh"]
