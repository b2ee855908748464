"""Scenes as `.estompe` files: a zip of readable JSON and array blobs. docs/file-format.md describes it."""

import io
import re
import zipfile
from pathlib import Path
from typing import IO, Any

import msgspec
import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.document.atomic import written_whole
from estompe.document.check import SceneError, check
from estompe.document.kinds import EffectSettings, Source, decode_kind, kinds
from estompe.document.project import Project, blob_name, blobs_of
from estompe.document.scene import Scene

VERSION = 1
ENDING = ".estompe"
_SCENE = "scene.json"
_BLOB = re.compile(r"^blobs/([0-9a-f]{64})\.npy$")
_MOST_JSON = 64 * 2**20
_MOST_BLOB = 8 * 2**30
_MOST_ENTRIES = 20_000
# A fixed time stamp keeps two saves of one scene the same, byte for byte.
_STAMP = (1980, 1, 1, 0, 0, 0)


class FileError(ValueError):
    """A file that cannot be read or written; the text names the file, the problem and its place."""


class _Envelope(Struct, frozen=True, forbid_unknown_fields=True):
    format: str
    version: int
    scene: Scene


class _Header(Struct, frozen=True):
    format: str
    version: int


def save(project: Project, path: Path) -> None:
    """Write a project, whole or not at all. Raises FileError where the file cannot be written, or could not be read again."""
    text = msgspec.json.format(msgspec.json.encode(_Envelope("estompe", VERSION, project.scene)), indent=1)
    try:
        parse_scene(text)
    except FileError as error:
        raise FileError(f"{path}: not written, since it could not be opened again: {error}") from None
    try:
        with written_whole(path) as part, zipfile.ZipFile(part, "w") as archive:
            archive.writestr(zipfile.ZipInfo(_SCENE, _STAMP), text, zipfile.ZIP_DEFLATED)
            for name in sorted(blobs_of(project.scene) & set(project.blobs)):
                # Arrays of floats hardly shrink, and packing them would take a person's time at each save.
                entry = zipfile.ZipInfo(f"blobs/{name}.npy", _STAMP)
                with archive.open(entry, "w", force_zip64=True) as stream:
                    np.lib.format.write_array(stream, np.asarray(project.blobs[name]), allow_pickle=False)
    except OSError as error:
        raise FileError(f"{path}: cannot be written ({error.strerror or error})") from error


def load(path: Path) -> Project:
    """Read a project. Raises FileError for anything that is not a whole, sound scene of this or an older version.

    A blob that is missing is not an error: the scene opens and the shape that needs it says so.
    """
    try:
        with zipfile.ZipFile(path) as archive:
            entries = _checked_entries(archive)
            scene = _parsed(_read(archive, entries[_SCENE], _MOST_JSON))
            blobs = {
                match[1]: _blob(archive, entry, match[1])
                for name, entry in entries.items()
                if (match := _BLOB.match(name))
            }
    except FileNotFoundError:
        raise FileError(f"{path}: there is no such file") from None
    except IsADirectoryError:
        raise FileError(f"{path}: is a folder, not a scene file") from None
    except zipfile.BadZipFile as error:
        raise FileError(f"{path}: not a scene file, or damaged ({error})") from None
    except (SceneError, msgspec.MsgspecError) as error:
        raise FileError(f"{path}: {_place(str(error))}") from None
    except (OSError, EOFError, NotImplementedError, RuntimeError, zipfile.zlib.error) as error:  # type: ignore[attr-defined]
        raise FileError(f"{path}: cannot be read ({error})") from None
    return Project(scene, blobs)


def parse_scene(text: bytes) -> Scene:
    """A scene from the JSON of a scene file. Raises FileError."""
    try:
        return _parsed(text)
    except (SceneError, msgspec.MsgspecError) as error:
        raise FileError(_place(str(error))) from None


def schema() -> dict[str, Any]:
    """The JSON schema of scene.json, made from the types (draft 2020-12)."""

    def hook(kind: type) -> dict[str, Any]:
        return {"oneOf": [{"$ref": f"#/$defs/{struct.__name__}"} for struct in kinds(kind).values()]}

    every = [_Envelope, *kinds(Source).values(), *kinds(EffectSettings).values()]
    _, parts = msgspec.json.schema_components(every, schema_hook=hook, ref_template="#/$defs/{name}")
    top = parts.pop("_Envelope")
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Estompe scene, version 1",
        **top,
        "$defs": parts,
    }


def _parsed(text: bytes) -> Scene:
    header = msgspec.json.decode(text, type=_Header)
    if header.format != "estompe":
        raise SceneError(f"its format is “{header.format[:40]}”, not “estompe” - at `$.format`")
    if header.version > VERSION:
        raise SceneError(
            f"it is of version {header.version}, this program reads up to {VERSION}: update to open it - at `$.version`"
        )
    if header.version < 1:
        raise SceneError(f"version {header.version} does not exist - at `$.version`")
    scene = msgspec.json.decode(text, type=_Envelope, dec_hook=decode_kind).scene
    check(scene)
    return scene


def _place(text: str) -> str:
    """Two places of one error (a kind inside a scene) joined into one."""
    places = re.findall(r" - at `\$?([^`]*)`", text)
    if not places:
        return text
    return f"{re.sub(r' - at `[^`]*`', '', text)} - at `${''.join(reversed(places))}`"


def _checked_entries(archive: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    entries = archive.infolist()
    if len(entries) > _MOST_ENTRIES:
        raise SceneError(f"it holds {len(entries)} entries, more than the {_MOST_ENTRIES} that are allowed")
    for entry in entries:
        if entry.filename != _SCENE and not _BLOB.match(entry.filename):
            raise SceneError(f"it holds “{entry.filename[:80]}”, which does not belong in a scene file")
    names = [entry.filename for entry in entries]
    if len(set(names)) != len(names):
        raise SceneError("it holds the same entry twice")
    if _SCENE not in names:
        raise SceneError(f"it holds no {_SCENE}")
    return {entry.filename: entry for entry in entries}


def _read(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, most: int) -> bytes:
    with archive.open(entry) as stream:
        data = stream.read(most + 1)
    if len(data) > most:
        raise SceneError(f"{entry.filename} is larger than {most // 2**20} MB")
    return data


def _blob(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, name: str) -> NDArray[Any]:
    if entry.file_size > _MOST_BLOB:
        raise SceneError(f"{entry.filename} is larger than {_MOST_BLOB // 2**30} GB")
    with archive.open(entry) as stream:
        array = _array(stream, entry)
    if blob_name(array) != name:
        raise SceneError(f"{entry.filename} is damaged: its content does not match its name")
    array.setflags(write=False)
    return array


def _array(stream: IO[bytes], entry: zipfile.ZipInfo) -> NDArray[Any]:
    try:
        version = np.lib.format.read_magic(stream)
        read = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
        shape, by_columns, dtype = read(stream)
        if dtype.kind not in "fiub":
            raise ValueError("it does not hold plain numbers")
        if by_columns and len(shape) > 1:
            raise ValueError("it is stored by columns")
        size = int(np.prod(shape, dtype=object)) * dtype.itemsize
        if any(side < 0 for side in shape) or size > entry.file_size:
            raise ValueError("its header promises more than it holds")
        data = stream.read(size)
        return np.frombuffer(bytearray(data), dtype).reshape(shape)
    except (ValueError, SyntaxError, io.UnsupportedOperation) as error:
        raise SceneError(f"{entry.filename} is not a sound array ({error})") from None
