"""The command ``jumplane``: its verbs, and the one place where errors become messages."""

from __future__ import annotations

import copy
import errno
import functools
import gc
import json
import os
import sys
import traceback
from pathlib import Path
from typing import Annotated, Any

import typer
from typer.main import get_command, get_command_name
from typer.models import CommandInfo

from jump_lane import __version__
from jump_lane.cli import (
    around,
    chain,
    circuit,
    compare,
    convert,
    damp,
    demo,
    design,
    fit,
    loops,
    losses,
    pick,
    scale,
    size,
    streams,
    study,
    tanks,
    waves,
    wind,
)
from jump_lane.errors import JumpLaneError
from jump_lane.harmless import harmless

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
"""Matrices are small here; threads of the linear algebra library only cost start-up time."""

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
"""No plugin is used; looking for them costs start-up time."""

FAULT, INTERRUPTED = 70, 130
"""Exit statuses besides 0 (all that was asked holds), 1 (something is not met), 2 (wrong call or file), 3 (no result)."""

UNWRITTEN = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG, errno.EIO, errno.EBADF)
"""Why an output takes nothing more."""

app = typer.Typer(
    name="jumplane",
    help="From a ripple specification to a power converter proven by switched simulation.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
for module in (
    design,
    size,
    fit,
    waves,
    study,
    tanks,
    loops,
    scale,
    losses,
    pick,
    wind,
    around,
    compare,
    damp,
    circuit,
    convert,
    chain,
    demo,
):
    module.register(app)


def _version(wanted: bool) -> None:
    if wanted:
        print(f"jumplane {__version__}")
        raise typer.Exit


@app.callback()
def root(
    version: Annotated[
        bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version and stop.")
    ] = False,
) -> None:
    """From a ripple specification to a power converter proven by switched simulation."""


YOUNG = 500_000
"""Objects made between two searches for cycles: modules and compiled code make most of them, and those stay."""


def main() -> None:
    """Run the command line and end with its exit status."""
    gc.set_threshold(YOUNG, 10, 10)
    status = run(sys.argv[1:])
    gc.freeze()  # the process ends here: nothing is searched once more on the way out
    try:
        sys.stdout.flush()
    except OSError as error:
        status = _unwritten(error)
    sys.exit(status)


def run(arguments: list[str]) -> int:
    """Run the command line; whatever happens ends as one message and an exit status, which is returned."""
    streams.prepare()
    _announce_compiling()
    as_json = "--json" in arguments
    try:
        status = dispatch(arguments)
        return status if isinstance(status, int) else 0
    except JumpLaneError as error:
        return _report(error.code, str(error), error.exit_status, as_json)
    except (KeyboardInterrupt, typer.Abort):
        return _report("interrupted", "interrupted", INTERRUPTED, as_json)
    except BrokenPipeError:
        streams.abandon(sys.stdout)
        return 0
    except OSError as error:
        return _unwritten(error) if error.errno in UNWRITTEN else _fault(error, as_json)
    except Exception as error:
        if hasattr(error, "format_message"):
            return _misused(error, as_json)
        return _fault(error, as_json)


def dispatch(arguments: list[str]) -> Any:
    """Call the command that the arguments name; an interruption is left to whoever calls this."""
    parser = _parser(arguments[0] if arguments else "")
    try:
        with parser.make_context("jumplane", list(arguments)) as context:
            return parser.invoke(context)
    except typer.Exit as ended:
        return ended.exit_code


@functools.cache
def _parser(name: str) -> Any:
    """Return what reads the arguments of one command, or of all where there is none of that name: reading 30 takes 0.1 s."""
    one = copy.copy(app)
    named = [c for c in app.registered_commands if _name(c) == name]
    one.registered_commands = named or app.registered_commands
    return get_command(one)


def _name(command: CommandInfo) -> str:
    return command.name or get_command_name(getattr(command.callback, "__name__", ""))


def _announce_compiling() -> None:
    from jump_lane.library.compiling import tell

    tell(lambda text: print(text, file=sys.stderr))


def _report(code: str, message: str, status: int, as_json: bool) -> int:
    """Say why the command ends, for a reader and, if asked, for a program."""
    if as_json:
        print(json.dumps({"format": "jumplane/error/1", "code": code, "message": message}, indent=2))
    print(f"jumplane: {harmless(message)}", file=sys.stderr)
    return status


def _misused(error: Any, as_json: bool) -> int:
    """Report options or arguments that the command does not have."""
    context = getattr(error, "ctx", None)
    if context is not None and not as_json:
        print(context.get_usage(), file=sys.stderr)
    hint = f" ({context.command_path} --help lists what there is)" if context is not None else ""
    return _report("usage", f"{error.format_message()}{hint}", 2, as_json)


def _unwritten(error: OSError) -> int:
    """Report an output that takes nothing more."""
    streams.abandon(sys.stdout)
    return _report("output", f"the output cannot be written: {error.strerror}", 2, False)


def _fault(error: BaseException, as_json: bool) -> int:
    """Report a fault of the program itself, with where it happened."""
    last = traceback.extract_tb(error.__traceback__)[-1:]
    where = f" ({Path(last[0].filename).name}, line {last[0].lineno})" if last else ""
    text = (
        f"a fault of Jump Lane itself: {type(error).__name__}: {error}{where}; please report it with the file"
    )
    return _report("fault", text, FAULT, as_json)
