"""Scenes as `.estompe` files: a zip of readable JSON and stored arrays. docs/file-format.md describes it."""

import inspect
import io
import os
import re
import zipfile
import zlib
from pathlib import Path
from typing import IO, Any

import msgspec
import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from estompe.document.check import SceneError, check
from estompe.document.migrations import migrate
from estompe.document.names import clean_name, printable
from estompe.document.paths import files_of, pictures_of, with_paths
from estompe.document.project import Project, asset_name, assets_of
from estompe.document.renaming import with_unique_names
from estompe.document.scene import Scene
from estompe.document.variants import Variants
from estompe.files.atomic import written_whole
from estompe.files.places import is_open, place_of
from estompe.files.regular import check_answers
from estompe.kinds.registry import FAMILIES, decode_kind, encode_kind, family_of, kinds

VERSION = 10
ENDING = ".estompe"
_SCENE = "scene.json"
_ASSET = re.compile(r"^(?:assets|blobs)/([0-9a-f]{64})\.npy$")
MOST_JSON = 64 * 2**20
MOST_ASSET = 8 * 2**30
MOST_ENTRIES = 20_000
# A fixed time stamp keeps two saves of one scene the same, byte for byte.
_STAMP = (1980, 1, 1, 0, 0, 0)
# A stored array is never compressed by us; one that is may unpack to so many times its size in the file, no more.
_MOST_COMPRESSION = 64


class FileError(ValueError):
    """A file that cannot be read or written; the text names the file, the problem and its place."""


class _Envelope(Struct, frozen=True, forbid_unknown_fields=True):
    format: str
    version: int
    scene: Scene
    variants: Variants = ()


class _Header(Struct, frozen=True):
    format: str
    version: int


def save(project: Project, path: Path) -> None:
    """Write a project, whole or not at all.

    Raises FileError where the file cannot be written, could not be read again, or is one that the scene reads.
    """
    _check_not_read(project.scene, path)
    try:
        whole = with_paths(
            _Envelope("estompe", VERSION, project.scene, project.variants), lambda name: _relative(name, path.parent)
        )
        text = msgspec.json.encode(whole, enc_hook=encode_kind)
        text = msgspec.json.format(text, indent=1)
        parse_scene(text)
    except (FileError, UnicodeError) as error:
        raise FileError(f"{path}: not written, since it could not be opened again: {error}") from None
    try:
        with written_whole(path) as part, zipfile.ZipFile(part, "w") as archive:
            archive.writestr(zipfile.ZipInfo(_SCENE, _STAMP), text, zipfile.ZIP_DEFLATED)
            for name in sorted(assets_of(project.scene, project.variants) & set(project.assets)):
                # Arrays of floats hardly shrink, and packing them would take a person's time at each save.
                entry = zipfile.ZipInfo(f"assets/{name}.npy", _STAMP)
                with archive.open(entry, "w", force_zip64=True) as stream:
                    np.lib.format.write_array(stream, np.asarray(project.assets[name]), allow_pickle=False)
    except OSError as error:
        raise FileError(f"{path}: cannot be written ({error.strerror or error})") from error


def _check_not_read(scene: Scene, path: Path) -> None:
    target = os.path.realpath(path)
    if any(os.path.realpath(place_of(name)) == target for name in (*files_of(scene), *pictures_of(scene))):
        raise FileError(f"{path}: the scene reads this file, so it is not written over: choose another name")


def load(path: Path) -> Project:
    """Read a project. Raises FileError for anything that is not a whole, sound scene of this or an older version.

    An asset that is missing is not an error: the scene opens and the shape that needs it says so. Those that the scene does
    not refer to are not read.
    """
    if path.is_dir():
        raise FileError(f"{path}: is a folder, not a scene file")
    try:
        check_answers(path)
        with zipfile.ZipFile(path) as archive:
            entries = _checked_entries(archive)
            whole = _parsed(_read(archive, entries[_SCENE], MOST_JSON))
            wanted = assets_of(whole.scene, whole.variants)
            assets = {
                match[1]: _asset(archive, entry, match[1])
                for name, entry in entries.items()
                if (match := _ASSET.match(name)) and match[1] in wanted
            }
    except FileNotFoundError:
        raise FileError(f"{path}: there is no such file") from None
    except zipfile.BadZipFile as error:
        raise FileError(f"{path}: not a scene file, or damaged ({printable(str(error))})") from None
    except (SceneError, msgspec.MsgspecError) as error:
        raise FileError(f"{path}: {printable(_place(str(error)))}") from None
    except (OSError, EOFError, NotImplementedError, RuntimeError, MemoryError, UnicodeError, zlib.error) as error:
        raise FileError(f"{path}: cannot be read ({printable(str(error))})") from None
    whole = with_paths(whole, lambda name: _absolute(name, path.parent))
    whole = msgspec.structs.replace(whole, scene=with_unique_names(whole.scene))
    return Project(whole.scene, assets, whole.variants)


def _relative(name: str, folder: Path) -> str:
    """A file as seen from a scene's folder; as it is where that is on another drive."""
    try:
        return os.path.relpath(name, folder.absolute()) if os.path.isabs(name) else name
    except ValueError:
        return name


def _absolute(name: str, folder: Path) -> str:
    return name if not name or os.path.isabs(name) or is_open(name) else os.path.normpath(folder.absolute() / name)


def parse_scene(text: bytes) -> Scene:
    """A scene from the JSON of a scene file. Raises FileError."""
    try:
        return _parsed(text).scene
    except UnicodeDecodeError as error:
        raise FileError(f"cannot be read ({printable(str(error))})") from None
    except (SceneError, msgspec.MsgspecError) as error:
        raise FileError(_place(str(error))) from None


def encode_scene(scene: Scene) -> bytes:
    """A scene as the JSON of a scene file, with the paths of files as they are."""
    return msgspec.json.encode(_Envelope("estompe", VERSION, scene), enc_hook=encode_kind)


def parse_asset(data: bytes, name: str) -> NDArray[Any]:
    """An array from the bytes of a stored one. Raises FileError where it is not sound or not the one of that name."""
    try:
        array = _array(io.BytesIO(data), name, len(data))
    except (SceneError, OSError, EOFError, MemoryError) as error:
        raise FileError(f"an array cannot be read ({printable(str(error))})") from None
    if asset_name(array) != name:
        raise FileError("an array is damaged: its content does not match its name")
    array.setflags(write=False)
    return array


def schema() -> dict[str, Any]:
    """The JSON schema of scene.json, made from the types (draft 2020-12). Kinds are defined under family and tag."""

    def hook(field: type) -> dict[str, Any]:
        family = family_of(field)
        return {"oneOf": [{"$ref": _reference(family, tag)} for tag in kinds(family)]}

    template = "#/$defs/{name}"
    _, parts = msgspec.json.schema_components([_Envelope], schema_hook=hook, ref_template=template)
    top = {**parts.pop("_Envelope"), "title": f"Estompe scene, version {VERSION}"}
    for family in FAMILIES:
        for tag, kind in kinds(family).items():
            (own,), inner = msgspec.json.schema_components([kind], schema_hook=hook, ref_template=template)
            parts[_reference(family, tag).removeprefix("#/$defs/")] = inner.pop(own["$ref"].removeprefix("#/$defs/"))
            parts.update(inner)
    for part in (top, *parts.values()):
        if "description" in part:
            # The library keeps the indentation of docstrings in some versions and removes it in others.
            part["description"] = inspect.cleandoc(part["description"])
    return {"$schema": "https://json-schema.org/draft/2020-12/schema", **top, "$defs": dict(sorted(parts.items()))}


def _reference(family: type, tag: str) -> str:
    return f"#/$defs/{family.__name__}.{tag}"


def _parsed(text: bytes) -> _Envelope:
    text.decode("utf-8")  # the library has words of its own for this, others in each version
    header = msgspec.json.decode(text, type=_Header)
    if header.format != "estompe":
        raise SceneError(f"its format is “{header.format[:40]}”, not “estompe” - at `$.format`")
    if header.version > VERSION:
        raise SceneError(
            f"it is of version {header.version}, this program reads up to {VERSION}: update to open it - at `$.version`"
        )
    if header.version < 1:
        raise SceneError(f"version {header.version} does not exist - at `$.version`")
    try:
        raw = msgspec.json.decode(text)
        if header.version < VERSION:
            raw["scene"] = migrate(raw["scene"], header.version)
            for variant in raw.get("variants", ()):
                variant["scene"] = migrate(variant["scene"], header.version)
            raw["version"] = VERSION
        _clean(raw.get("scene"))
        whole: _Envelope = msgspec.convert(raw, _Envelope, dec_hook=decode_kind)
    except (KeyError, TypeError, AttributeError, RecursionError) as error:
        raise SceneError(f"it is no sound scene of version {header.version} ({error!r})") from None
    for scene in (whole.scene, *(variant.scene for variant in whole.variants)):
        check(scene)
    return whole


def _clean(scene: Any) -> None:
    """Names from other programs, or older versions, without what cannot be printed or written."""
    for family in ("shapes", "controls", "falloffs"):
        for item in scene.get(family, ()):
            if isinstance(item, dict) and isinstance(item.get("name"), str) and item["name"]:
                item["name"] = clean_name(item["name"]) if len(item["name"]) <= 200 else item["name"]


def _place(text: str) -> str:
    """Two places of one error (a kind inside a scene) joined into one."""
    places = re.findall(r" - at `\$?([^`]*)`", text)
    if not places:
        return text
    return f"{re.sub(r' - at `[^`]*`', '', text)} - at `${''.join(reversed(places))}`"


def _checked_entries(archive: zipfile.ZipFile) -> dict[str, zipfile.ZipInfo]:
    entries = archive.infolist()
    if len(entries) > MOST_ENTRIES:
        raise SceneError(f"it holds {len(entries)} entries, more than the {MOST_ENTRIES} that are allowed")
    for entry in entries:
        if entry.filename != _SCENE and not _ASSET.match(entry.filename):
            raise SceneError(f"it holds “{printable(entry.filename[:80])}”, which does not belong in a scene file")
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


def _asset(archive: zipfile.ZipFile, entry: zipfile.ZipInfo, name: str) -> NDArray[Any]:
    if entry.file_size > MOST_ASSET:
        raise SceneError(f"{entry.filename} is larger than {MOST_ASSET // 2**30} GB")
    if entry.file_size > max(entry.compress_size, 2**20) * _MOST_COMPRESSION:
        raise SceneError(f"{entry.filename} unpacks to more than {_MOST_COMPRESSION} times its size")
    with archive.open(entry) as stream:
        array = _array(stream, entry.filename, entry.file_size)
    if asset_name(array) != name:
        raise SceneError(f"{entry.filename} is damaged: its content does not match its name")
    array.setflags(write=False)
    return array


def _array(stream: IO[bytes], name: str, most: int) -> NDArray[Any]:
    try:
        version = np.lib.format.read_magic(stream)
        read = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
        shape, by_columns, dtype = read(stream)
        if dtype.kind not in "fiub" or dtype.itemsize not in (1, 4, 8):
            raise ValueError("it does not hold plain numbers of a known size")
        if not shape or (by_columns and len(shape) > 1):
            raise ValueError("it is no list, or stored by columns")
        size = int(np.prod(shape, dtype=object)) * dtype.itemsize
        if any(side < 0 for side in shape) or size > most:
            raise ValueError("its header promises more than it holds")
        data = stream.read(size)
        return np.frombuffer(bytearray(data), dtype).reshape(shape)
    except (OSError, EOFError, zipfile.BadZipFile, zlib.error, MemoryError):
        raise
    except (ValueError, SyntaxError, TypeError, io.UnsupportedOperation) as error:
        raise SceneError(f"{name} is not a sound array ({error})") from None
    except Exception as error:  # NumPy's reader of headers evaluates literals: a damaged one can make it raise anything
        raise SceneError(f"{name} is not a sound array ({type(error).__name__})") from None
