"""The command ``jumplane``: its verbs, and the one place where errors become messages."""

from __future__ import annotations

import json
import os
import sys
from typing import Annotated

import typer

from jump_lane import __version__
from jump_lane.cli import circuit, compare, damp, demo, design, fit, losses, measure, pick, study, waves
from jump_lane.errors import JumpLaneError

os.environ.setdefault("OPENBLAS_NUM_THREADS", "1")
"""Matrices are small here; threads of the linear algebra library only cost start-up time."""

os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
"""No plugin is used; looking for them costs start-up time."""

app = typer.Typer(
    name="jumplane",
    help="From a ripple specification to a power converter proven by switched simulation.",
    no_args_is_help=True,
    add_completion=False,
    pretty_exceptions_enable=False,
    rich_markup_mode=None,
)
for module in (design, fit, waves, measure, study, losses, pick, compare, damp, circuit, demo):
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


def main() -> None:
    """Run the command line; every error raised on purpose ends as one message and an exit status."""
    try:
        app()
    except JumpLaneError as error:
        if "--json" in sys.argv:
            print(
                json.dumps(
                    {"format": "jumplane/error/1", "code": error.code, "message": str(error)}, indent=2
                )
            )
        print(f"jumplane: {error}", file=sys.stderr)
        sys.exit(error.exit_status)
    except KeyboardInterrupt:
        print("jumplane: interrupted", file=sys.stderr)
        sys.exit(130)
    except BrokenPipeError:
        sys.stderr.close()
        sys.exit(0)
