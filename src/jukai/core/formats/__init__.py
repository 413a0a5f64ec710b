"""Files in and out. Bytes in, bytes out: nothing here opens a path or follows a link."""

from jukai.core.formats.common import FORMATS, ReadMesh, WriteOptions
from jukai.core.formats.reading import read_mesh
from jukai.core.formats.writing import ExportPart, write_parts

__all__ = ["FORMATS", "ExportPart", "ReadMesh", "WriteOptions", "read_mesh", "write_parts"]
