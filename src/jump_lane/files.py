"""Files are written whole or not at all, and an existing one is not overwritten unasked."""

from __future__ import annotations

import contextlib
import os
import shutil
import stat
import tempfile
from codecs import BOM_UTF8
from collections.abc import Callable, Iterable, Iterator
from pathlib import Path

from jump_lane.errors import InputError

LARGEST = 8_000_000
"""Bytes of a file that is read."""


def read_text(path: Path, newline: str | None = None) -> str:
    """Return the text of a regular file in UTF-8.

    Raises
    ------
    InputError
        If it is no regular file, larger than any that can be meant, cannot be read, or is not such text.
    """
    try:
        if not path.is_file():
            what = "a folder" if path.is_dir() else "no regular file" if path.exists() else "No such file"
            raise InputError(f"{path}: {what}; expected a text file")
        if path.stat().st_size > LARGEST:
            raise InputError(
                f"{path}: larger than {LARGEST // 1_000_000} MB; expected a text file written by hand"
            )
        with path.open(encoding="utf-8-sig", newline=newline) as stream:
            return stream.read()
    except (OSError, ValueError) as error:
        if isinstance(error, UnicodeDecodeError):
            raise InputError(
                f"{path}: not a text file in UTF-8: {error.reason} at byte {error.start}"
            ) from None
        reason = error.strerror if isinstance(error, OSError) else str(error)
        raise InputError(f"{path}: {reason or error}") from None


def require_apart(inputs: Iterable[Path | None], outputs: Iterable[Path | None]) -> None:
    """Refuse outputs of one name, or one that would replace an input.

    Raises
    ------
    InputError
        Saying which.
    """
    read = {p.resolve() for p in inputs if p is not None}
    written: set[Path] = set()
    for path in outputs:
        if path is None:
            continue
        if path.resolve() in read:
            raise InputError(f"{path} is read by this command; expected another name for what it writes")
        if path.resolve() in written:
            raise InputError(f"{path} is named for two outputs; expected a name for each")
        written.add(path.resolve())


def require_free(path: Path, overwrite: bool) -> None:
    """Refuse a path that exists (unless it may be overwritten) or whose folder does not.

    Raises
    ------
    InputError
        Saying which, before any work is done.
    """
    if path.is_dir():
        raise InputError(f"{path} is a folder, a file name was expected")
    if path.exists() and not overwrite:
        raise InputError(f"{path} exists; --overwrite replaces it")
    if not path.parent.is_dir():
        raise InputError(f"{path}: the folder {path.parent} does not exist")


def write_whole(path: Path, data: bytes | str, overwrite: bool = False) -> None:
    """Write a file so that a reader sees the old one or the whole new one.

    Raises
    ------
    InputError
        If the path exists and may not be overwritten, or cannot be written.
    """
    require_free(path, overwrite)
    content = data.encode("utf-8") if isinstance(data, str) else data
    try:
        target = path.resolve()
        handle, name = tempfile.mkstemp(dir=target.parent, prefix=".writing-")
        try:
            with os.fdopen(handle, "wb") as stream:
                stream.write(content)
                stream.flush()
                os.fsync(handle)
            _like(target, name)
            Path(name).replace(target)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise
    except OSError as error:
        raise InputError(f"{path}: {error.strerror or error}") from None


@contextlib.contextmanager
def whole_folder(folder: Path, names: Iterable[str]) -> Iterator[Path]:
    """Yield a folder to write into, whose named files, as far as they are made, then appear in `folder` together, or not at all.

    Raises
    ------
    InputError
        If that cannot be written.
    """
    try:
        folder.parent.mkdir(parents=True, exist_ok=True)
        made = Path(tempfile.mkdtemp(dir=folder.parent, prefix=".making-"))
    except OSError as error:
        raise InputError(f"{folder}: {error.strerror or error}") from None
    try:
        yield made
        try:
            if folder.exists():
                for name in names:
                    if (made / name).exists():
                        (made / name).replace(folder / name)
            else:
                made.chmod(0o777 & ~_mask())
                made.replace(folder)
        except OSError as error:
            raise InputError(f"{folder}: {error.strerror or error}") from None
    finally:
        shutil.rmtree(made, ignore_errors=True)


def edit(path: Path, change: Callable[[str], str]) -> bool:
    """Change a text file in place, its line ends and byte order mark kept; tell whether anything changed.

    Raises
    ------
    InputError
        If it cannot be read or written.
    """
    text = read_text(path, newline="")
    changed = change(text)
    if "\r\n" in text:
        changed = changed.replace("\r\n", "\n").replace("\n", "\r\n")
    if changed == text:
        return False
    marked = path.read_bytes().startswith(BOM_UTF8)
    write_whole(path, (BOM_UTF8 if marked else b"") + changed.encode("utf-8"), overwrite=True)
    return True


def _mask() -> int:
    """Return which permissions a new file of this process does not get."""
    mask = os.umask(0)
    os.umask(mask)
    return mask


def _like(target: Path, name: str) -> None:
    """Give a new file the mode and owner of the one it replaces, or what a new file usually gets."""
    if not target.exists():
        Path(name).chmod(0o666 & ~_mask())
        return
    known = target.stat()
    Path(name).chmod(stat.S_IMODE(known.st_mode))
    if hasattr(os, "chown") and (known.st_uid, known.st_gid) != (os.getuid(), os.getgid()):
        with contextlib.suppress(OSError):
            os.chown(name, known.st_uid, known.st_gid)
