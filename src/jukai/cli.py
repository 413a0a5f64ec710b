"""The command line: build, check, operators, serve, demo."""

from __future__ import annotations

import argparse
import hashlib
import json
import os
import sys
import warnings
from collections.abc import Sequence
from pathlib import Path
from time import perf_counter
from typing import TYPE_CHECKING, Any, NoReturn, cast

from jukai.core.errors import CoreError, FileProblem, ValueProblem
from jukai.core.json_data import JsonObject
from jukai.memory import keep_freed_memory

if TYPE_CHECKING:
    from jukai.core.recipe.bench import Bench
    from jukai.core.recipe.evaluate import Evaluation

__all__ = ["main", "run"]

_MESHES = ("obj", "stl", "ply", "glb", "off", "3mf")


class _Parser(argparse.ArgumentParser):
    def error(self, message: str) -> NoReturn:
        raise ValueProblem(f"{message[:1].upper()}{message[1:]}.", hint=f"See {self.prog} --help.")


def run() -> None:
    """Entry point of the installed command."""
    keep_freed_memory()
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")  # none are used, and looking for them takes time
    sys.exit(main(sys.argv[1:]))


def main(arguments: Sequence[str]) -> int:
    """Run a command; 0, or 2 with one line on standard error."""
    warnings.simplefilter("ignore")  # standard error holds our sentence and nothing else
    try:
        options = _parser().parse_args(arguments)
        text = options.run(options)
        if text:
            sys.stdout.write(text + "\n")
    except CoreError as e:
        return _fail(e.sentence())
    except BrokenPipeError:
        return 2
    except KeyboardInterrupt:
        return _fail("Stopped.")
    except Exception as e:  # noqa: BLE001 - no traceback reaches a user
        return _fail(f"Something went wrong inside Jukai ({type(e).__name__}: {str(e)[:200]}). This is a bug.")
    return 0


def _fail(sentence: str) -> int:
    sys.stderr.write(" ".join(sentence.split()) + "\n")
    return 2


def _parser() -> argparse.ArgumentParser:
    parser = _Parser(prog="jukai", description="Parametric operators and shapes, with every number live.")
    commands = parser.add_subparsers(title="commands", required=True, metavar="COMMAND", parser_class=_Parser)

    build = commands.add_parser("build", help="work out a part of a bench file")
    build.add_argument("bench", type=Path, help="a .jukai.json file, or a .jukai.zip with its imports")
    build.add_argument("--part", help="name or id of the part; needed when there are several")
    build.add_argument("--upto", metavar="STEP", help="id of the last step to take")
    build.add_argument(
        "-o", "--out", type=Path, metavar="OUT", help="write the mesh: .obj, .stl, .ply, .glb, .off or .3mf"
    )
    build.add_argument("--json", action="store_true", help="print the report as JSON")
    build.set_defaults(run=_build)

    curves = commands.add_parser("curves", help="draw curves of a bench file as SVG or DXF, or list those of a drawing")
    curves.add_argument("file", type=Path, help="a bench file, or a drawing: .svg or .dxf")
    curves.add_argument("--curve", action="append", default=[], help="name or id of a curve; all without")
    curves.add_argument("-o", "--out", type=Path, metavar="OUT", help="write the drawing: .svg or .dxf")
    curves.add_argument("--json", action="store_true", help="print the curves as JSON, as they stand in a bench file")
    curves.set_defaults(run=_curves)

    check = commands.add_parser("check", help="read a mesh file and report on its soundness")
    check.add_argument("mesh", type=Path, help="an OBJ, STL, PLY or GLB file")
    check.add_argument("--json", action="store_true", help="print the report as JSON")
    check.set_defaults(run=_check)

    listing = commands.add_parser("operators", help="list the operators")
    listing.add_argument("--json", action="store_true", help="print their schemas as JSON")
    listing.set_defaults(run=_operators)

    serve = commands.add_parser("serve", help="start the server")
    serve.add_argument("--port", type=int, default=8137, help="port on 127.0.0.1 (8137)")
    serve.add_argument("--host", default="127.0.0.1", help="address; anything but loopback needs a token")
    serve.add_argument("--token", help="the token that requests must carry when not on loopback")
    serve.add_argument("--data", type=Path, default=Path("data"), metavar="DIR", help="folder of the database (data)")
    serve.set_defaults(run=_serve, demo=False)

    compact = commands.add_parser(
        "compact", help="make a database smaller, with --empty also without the benches that were removed"
    )
    compact.add_argument("--data", type=Path, default=Path("data"), metavar="DIR", help="folder of the database (data)")
    compact.add_argument("--empty", action="store_true", help="delete removed benches for good")
    compact.set_defaults(run=_compact)

    demo = commands.add_parser("demo", help="start the server with the demo bench")
    demo.add_argument("--port", type=int, default=8137, help="port on 127.0.0.1 (8137)")
    demo.add_argument("--data", type=Path, default=Path("data"), metavar="DIR", help="folder of the database (data)")
    demo.set_defaults(run=_serve, demo=True, host="127.0.0.1", token=None)
    return parser


def _bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except FileNotFoundError:
        raise FileProblem(f"There is no file '{path}'.") from None
    except IsADirectoryError:
        raise FileProblem(f"'{path}' is a folder.") from None
    except OSError as e:
        raise FileProblem(f"'{path}' can't be read: {e.strerror}.") from None


def _build(options: argparse.Namespace) -> str:
    from jukai.core.recipe.evaluate import evaluate
    from jukai.core.recipe.report import part_report

    start = perf_counter()
    if options.out is not None and options.out.suffix.lower().lstrip(".") not in _MESHES:
        raise FileProblem(
            f"'{options.out.name}' is no mesh file.", hint="The name must end in .obj, .stl, .ply, .glb, .off or .3mf."
        )
    bench, files = _bench(options.bench)
    name = options.part
    if name is None:
        if len(bench.parts) != 1:
            known = ", ".join(p.name for p in bench.parts) or "none"
            raise ValueProblem(f"The bench has {len(bench.parts)} parts.", hint=f"Choose one with --part: {known}.")
        name = bench.parts[0].id
    evaluation = evaluate(bench, name, upto=options.upto, files=files)
    if evaluation.misplaced is not None:
        raise evaluation.misplaced
    failed = evaluation.failed
    if failed is not None and failed.error is not None:
        raise ValueProblem(
            f"Step {failed.step.id} ({failed.step.operator}): {failed.error.message}", hint=failed.error.hint
        )
    if evaluation.mesh is None:
        raise ValueProblem(
            f"'{evaluation.part.name}' has no body: it has no step that is on.", hint="Begin with a blank."
        )
    if options.out is not None:
        _write(bench, evaluation, options.out)
    report = part_report(evaluation)
    report["milliseconds"] = round((perf_counter() - start) * 1000, 1)
    return json.dumps(report) if options.json else _told(report)


def _bench(path: Path) -> tuple[Bench, Any]:
    """Return a bench file and the files beside it."""
    from jukai.core.formats.bench_file import read_bench, read_bench_zip

    data = _bytes(path)
    return read_bench_zip(data) if data[:2] == b"PK" else (read_bench(data), _Beside(path.parent))


def _curves(options: argparse.Namespace) -> str:
    from jukai.core.formats.curves_reading import read_curves
    from jukai.core.formats.curves_writing import CURVE_FORMATS, drawing_of

    if options.file.suffix.lower().lstrip(".") in CURVE_FORMATS:
        if options.out is not None or options.curve:
            raise FileProblem("A drawing is only listed.", hint="--curve and -o are for bench files.")
        rows = read_curves(options.file.name, _bytes(options.file))
    else:
        bench, _ = _bench(options.file)
        ending = "dxf" if options.out is None else options.out.suffix.lower().lstrip(".")
        if ending not in CURVE_FORMATS:
            raise FileProblem(f"'{options.out.name}' is no drawing.", hint="The name must end in .svg or .dxf.")
        if options.out is not None:
            _kept(options.out, drawing_of(bench, options.curve, ending))
        chosen = [c for c in bench.curves if not options.curve or {c.id, c.name} & set(options.curve)]
        rows = [c.model_dump(mode="json", by_alias=True, exclude_none=True) for c in chosen]
    if options.json:
        return json.dumps(rows)
    told = [
        f"{r['name']}: {r['kind']}, {'closed' if r.get('closed') else 'open'}, {len(cast('list[Any]', r['points']))} points"
        for r in rows
    ]
    return "\n".join(told) or "no curves"


class _Beside:
    """Files beside the bench file, read when asked for."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def _path(self, name: str) -> Path | None:
        path = self.folder / name
        return path if path.is_file() and path.resolve().parent == self.folder.resolve() else None

    def hash_of(self, name: str) -> str | None:
        """Return the hash of a file's bytes; None where there is no such file."""
        path = self._path(name)
        return None if path is None else hashlib.blake2b(_bytes(path), digest_size=16).hexdigest()

    def read(self, name: str) -> bytes:
        """Return a file's bytes."""
        path = self._path(name)
        if path is None:
            raise FileProblem(f"There is no file '{name}' beside the bench.")
        return _bytes(path)


def _write(bench: Bench, evaluation: Evaluation, out: Path) -> None:
    from jukai.core.formats.common import WriteOptions
    from jukai.core.formats.glb import GlbMaterial
    from jukai.core.formats.writing import ExportPart, write_parts

    finish = bench.finish_of(evaluation.part)
    looks = {f.name: GlbMaterial(f.name, f.colour, f.metal, f.roughness, f.clear, f.refraction) for f in bench.finishes}
    part = ExportPart(
        evaluation.part.name, evaluation.placed_mesh(), looks[finish.name] if finish else None, tuple(looks.values())
    )
    files = write_parts([part], out.suffix.lower().lstrip("."), WriteOptions(), out.stem)
    for i, body in enumerate(files.values()):
        _kept(out if i == 0 else out.with_suffix(".mtl"), body)


def _kept(out: Path, data: bytes) -> None:
    """Write a file whole or not at all."""
    beside = out.with_name(f".{out.name}.part")
    try:
        beside.write_bytes(data)
        beside.replace(out)
    except OSError as e:
        raise FileProblem(f"'{out}' can't be written: {e.strerror}.") from None


def _check(options: argparse.Namespace) -> str:
    from jukai.core.formats.reading import format_of, read_mesh
    from jukai.core.recipe.report import mesh_report

    start = perf_counter()
    read = read_mesh(_bytes(options.mesh), format_of(options.mesh.name))
    notes = [{"level": "warning", "step": None, "text": text} for text in read.notes]
    report = mesh_report(read.mesh, options.mesh.stem, notes)
    named = {name: int((read.face_group == i).sum()) for i, name in enumerate(read.groups)}
    report["groups"] = named
    report["milliseconds"] = round((perf_counter() - start) * 1000, 1)
    return json.dumps(report) if options.json else _told(report)


def _told(report: JsonObject) -> str:
    low, high = report["bounds"]
    size = " × ".join(f"{b - a:.6g}" for a, b in zip(low, high, strict=True))
    volume = "not closed" if report["volume"] is None else f"{report['volume']:.6g} mm³"
    failures = [n["text"] for n in report["notes"] if n["level"] == "failure"]
    lines = [
        f"{report['part']}: {report['points']} points, {report['edges']} edges, {report['faces']} faces",
        f"size {size} mm, volume {volume}, area {report['area']:.6g} mm²",
        "sound" if not failures else "not sound",
        *(f"{n['level']}: {n['text']}" for n in report["notes"]),
    ]
    return "\n".join(lines)


def _operators(options: argparse.Namespace) -> str:
    from jukai.core.operators.registry import describe, operators

    rows = [describe(op) for op in operators().values()]
    if options.json:
        return json.dumps(rows)
    return "\n".join(f"{r['id']:<12} {r['kind']:<8} {r['description']}" for r in rows)


def _serve(options: argparse.Namespace) -> str:
    from jukai.main import serve

    serve(host=options.host, port=options.port, data=options.data, token=options.token, demo=options.demo)
    return ""


def _compact(options: argparse.Namespace) -> str:
    from jukai.store import SqliteStore

    path = options.data / "jukai.db"
    if not path.exists():
        raise FileProblem(f"There is no database in '{options.data}'.")
    store = SqliteStore(path)
    before = path.stat().st_size
    if options.empty:
        gone, _ = store.empty_removed()
    else:
        gone = 0
        store.compact()
    store.close()
    saved = max(0, before - path.stat().st_size)
    told = f"{gone} removed bench{'' if gone == 1 else 'es'} deleted, " if options.empty else ""
    return f"{told}{saved / 1e6:.1f} MB given back; {path.stat().st_size / 1e6:.1f} MB are left."
