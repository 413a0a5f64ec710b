"""The files beside a bench, as steps ask for them: by name, read when they are needed."""

from __future__ import annotations

import hashlib
from functools import cached_property

from jukai.app.ports import BenchStore, NotThere
from jukai.core.formats.pictures import PICTURES

__all__ = ["BenchFiles"]


class BenchFiles:
    """Files of a bench in the store; the list is read when it is first looked at, bytes when they are asked for."""

    def __init__(self, store: BenchStore, bench_id: str) -> None:
        self._store, self._bench = store, bench_id

    @cached_property
    def _hashes(self) -> dict[str, str]:
        return {row.name: row.hash for row in self._store.file_rows(self._bench)}

    def hash_of(self, name: str) -> str | None:
        """Return the hash of a file's bytes; None where there is no such file."""
        return self._hashes.get(name)

    def read(self, name: str) -> bytes:
        """Return a file's bytes."""
        return self._store.blob(self._hashes[name])

    def all(self) -> dict[str, bytes]:
        """Return the bytes of all files, by name."""
        return {name: self.read(name) for name in self._hashes}

    def free_name(self, name: str, data: bytes) -> str:
        """Return a name under which bytes can be kept: the one given, with a number where another file has it."""
        digest = hashlib.blake2b(data, digest_size=16).hexdigest()
        stem, dot, ending = name.rpartition(".")
        n = 2
        while self._hashes.get(name, digest) != digest:
            name = f"{stem} {n}{dot}{ending}"
            n += 1
        return name

    def picture(self, name: str) -> tuple[str, bytes]:
        """Return a picture: its media type and bytes.

        Raises
        ------
        NotThere
            When there is none of that name.
        """
        if name.rsplit(".", 1)[-1].lower() not in PICTURES or self.hash_of(name) is None:
            raise NotThere(f"picture '{name[:60]}'")
        return ("image/png" if name.lower().endswith("png") else "image/jpeg"), self.read(name)
