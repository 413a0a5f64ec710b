"""Bench files: JSON with a published schema, and zips of a bench with its files."""

from __future__ import annotations

import io
import json
import zipfile
import zlib
from typing import Any

from pydantic import ValidationError

from jukai.core.errors import FileProblem
from jukai.core.json_data import JsonObject
from jukai.core.recipe.bench import Bench
from jukai.core.recipe.versions import brought_up_to_date
from jukai.core.validation import first_error

__all__ = ["bench_schema", "read_bench", "read_bench_zip", "write_bench", "write_bench_zip"]

MOST_BYTES = 32 * 1024 * 1024
MOST_UNPACKED = 512 * 1024 * 1024
_ENDING = ".jukai.json"


def read_bench(data: bytes) -> Bench:
    """Read a bench file; older versions are brought up to date.

    Raises
    ------
    FileProblem
        Naming the place in the document.
    """
    if not data.strip():
        raise FileProblem("The file is empty.")
    if len(data) > MOST_BYTES:
        raise FileProblem(f"The file has {len(data) // 1_000_000} MB; {MOST_BYTES // 1_000_000} MB are the most.")

    def constant(word: str) -> Any:
        raise FileProblem(f"{word} is no number in a bench file.")

    try:
        doc = json.loads(data.decode("utf-8-sig"), parse_constant=constant)
    except UnicodeDecodeError as e:
        raise FileProblem(f"The file is not UTF-8 text, at byte {e.start}.") from None
    except json.JSONDecodeError as e:
        raise FileProblem(f"The JSON is broken at line {e.lineno}, column {e.colno}: {e.msg}.") from None
    except RecursionError:
        raise FileProblem("The JSON is nested too deep.") from None
    return bench_from(doc)


def bench_from(doc: object) -> Bench:
    """Make a bench of a parsed document, brought up to date."""
    if not isinstance(doc, dict) or doc.get("format") != "jukai-bench":
        raise FileProblem("This is no bench file: its format is not 'jukai-bench'.")
    doc = brought_up_to_date(doc)
    try:
        return Bench.model_validate(doc)
    except ValidationError as e:
        raise FileProblem(_where(e)) from None


def _where(e: ValidationError) -> str:
    loc, text = first_error(e)
    place = "".join(f"[{p}]" if isinstance(p, int) else f".{p}" for p in loc if p not in ("float", "int", "str"))
    where = f"At {place.lstrip('.')}: " if place else ""
    more = f" ({e.error_count() - 1} more)" if e.error_count() > 1 else ""
    return f"{where}{text}{more}."


def write_bench(bench: Bench) -> bytes:
    """Write a bench file; the same bench gives the same bytes."""
    return (json.dumps(bench.to_json(), indent=1, ensure_ascii=False) + "\n").encode()


def bench_schema() -> JsonObject:
    """Return the JSON Schema of bench files (draft 2020-12)."""
    schema = Bench.model_json_schema(by_alias=True)
    required = {"format", "version", "name", "unit"}
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", "title": "Jukai bench", **schema,
            "required": sorted(required & set(schema["properties"]))}  # fmt: skip


def write_bench_zip(bench: Bench, files: dict[str, bytes]) -> bytes:
    """Write a bench with the files it imports as one zip."""
    from jukai.core.formats.writing import write_zip

    stem = "".join(c if c.isalnum() or c in "-_ " else "_" for c in bench.name).strip() or "bench"
    return write_zip({f"{stem}{_ENDING}": write_bench(bench), **files})


def read_bench_zip(data: bytes) -> tuple[Bench, dict[str, bytes]]:
    """Read a zip of one bench file and what it imports.

    Folders, links and names that lead elsewhere are refused; nothing is written to disk.
    """
    try:
        archive = zipfile.ZipFile(io.BytesIO(data))
        entries = archive.infolist()
        if len(entries) > 1000:
            raise FileProblem(f"The zip holds {len(entries)} files; 1000 are the most.")
        if sum(e.file_size for e in entries) > MOST_UNPACKED:
            raise FileProblem("The zip is too large when unpacked; 512 MB are the most.")
        files: dict[str, bytes] = {}
        for e in entries:
            if e.is_dir() or "/" in e.filename or "\\" in e.filename or e.filename.startswith("."):
                raise FileProblem(f"The zip holds '{e.filename[:80]}': only files without folders are read.")
            with archive.open(e) as f:
                files[e.filename] = f.read(e.file_size + 1)
    except (zipfile.BadZipFile, RuntimeError, EOFError, OSError, ValueError, KeyError, zlib.error) as e:
        raise FileProblem(f"The zip can't be read: {e}.") from None
    benches = [n for n in files if n.endswith(_ENDING)]
    if len(benches) != 1:
        raise FileProblem(f"The zip holds {len(benches)} bench files; one is wanted.")
    return read_bench(files.pop(benches[0])), files
