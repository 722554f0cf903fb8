"""Files are written whole or not at all, and an existing one is not overwritten unasked."""

from __future__ import annotations

import os
import tempfile
from pathlib import Path

from jump_lane.errors import InputError


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
        handle, name = tempfile.mkstemp(dir=path.parent, prefix=f".{path.name}.")
        try:
            with os.fdopen(handle, "wb") as stream:
                stream.write(content)
            Path(name).chmod(0o644)
            Path(name).replace(path)
        except BaseException:
            Path(name).unlink(missing_ok=True)
            raise
    except OSError as error:
        raise InputError(f"{path}: {error.strerror or error}") from None
