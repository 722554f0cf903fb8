"""The keys of the converter file explained: one of them, or all as a page of the documentation.

``python -m jump_lane.report.keys`` prints that page.
"""

from __future__ import annotations

from typing import Any

from jump_lane.catalogue.kinds import KINDS
from jump_lane.errors import InputError, nearest
from jump_lane.report.table import Table, View
from jump_lane.spec.keys import Key, key, keys
from jump_lane.study.template import DEMONSTRATION, example
from jump_lane.topologies import pages

PART_KEYS = {
    "part": "Name of a part of a catalogue; figures beside it replace those of the part",
    "count": "Pieces: capacitors in parallel, inductors in series",
    "kind": "Kind of the part, where the figures alone describe it: " + ", ".join(KINDS),
}
"""What the table of a part may say besides figures."""

FORMATTED = """\
# The converter file

One TOML file describes one converter. Quantities are text as an engineer types them (`"22u"`, `"85 µH"`, `"250 kHz"`,
`"20mV"`, `"5 %"`) or plain numbers in SI units. Nothing derived is kept in it: what replaces a derived value stands under
`[chosen]`, real parts under `[parts]`. `jumplane explain KEY` shows one key, `jumplane schema` prints the JSON Schema.

"""


def explain_view(name: str) -> View:
    """Explain a key of the converter file, a table of it, or a figure of a part.

    Raises
    ------
    InputError
        If there is no such key, with the nearest one.
    """
    figure = _figure(name)
    if figure is not None:
        return figure
    found = key(name)
    rows = [
        ("meaning", found.meaning),
        ("expected", found.expected),
        ("default", _default(found)),
        ("typed", f"{found.path.rpartition('.')[2]} = {_typed(found)}" if found.example else ""),
        ("stands in", f"[{found.table}]" if found.table else "the file, before its tables"),
    ]
    tables = [Table("", (found.path, ""), tuple(r for r in rows if r[1]))]
    inner = [k for k in keys().values() if k.table == found.path or k.table.startswith(f"{found.path}.")]
    if inner:
        columns = ("key", "meaning", "expected", "default")
        tables.append(
            Table("Its keys", columns, tuple((k.path, k.meaning, k.expected, _default(k)) for k in inner))
        )
    data = {"key": found.path, "meaning": found.meaning, "expected": found.expected, "default": found.default,
            "example": found.example or None, "required": found.required, "keys": [k.path for k in inner]}  # fmt: skip
    return View("explain", data, tuple(tables))


def _default(found: Key) -> str:
    if found.default is not None:
        return found.default
    return "has to be given" if found.required else "none"


def _typed(found: Key) -> str:
    return found.example if found.expected == "a whole number" else f'"{found.example}"'


def _figure(name: str) -> View | None:
    """Explain ``parts.NAME.FIGURE``, by the kinds of parts that have it; None for anything else."""
    parts = name.split(".")
    if parts[0] != "parts" or len(parts) != 3:
        return None
    figure = parts[2]
    kinds = {
        kind: model.model_fields[figure] for kind, model in KINDS.items() if figure in model.model_fields
    }
    known = {f for model in KINDS.values() for f in model.model_fields}
    if figure in PART_KEYS:
        rows: tuple[tuple[str, str], ...] = (("meaning", PART_KEYS[figure]),)
    elif kinds:
        meanings = {f.description or "" for f in kinds.values()}
        rows = (("meaning", "; ".join(sorted(meanings))), ("of", ", ".join(kinds)))
    else:
        raise InputError(f"{name}: no such figure of a part; {nearest(figure, known | set(PART_KEYS))}")
    data: dict[str, Any] = {"key": name, "meaning": rows[0][1], "expected": "a quantity", "default": None,
                            "example": None, "required": False, "keys": []}  # fmt: skip
    return View("explain", data, (Table("", (name, ""), rows),))


def documentation() -> str:
    """Return the page of the documentation about the converter file, in Markdown."""
    lines = [FORMATTED + f"```toml\n{example(DEMONSTRATION).rstrip()}\n```", ""]
    tables: dict[str, list[Key]] = {}
    for found in keys().values():
        if not _is_table(found):
            tables.setdefault(found.table, []).append(found)
    for table, members in tables.items():
        head = keys().get(table.removesuffix(".DEVICE").removesuffix(".NAME"))
        title = f"`[[{table}]]`" if table == "output" else f"`[{table}]`" if table else "Before all tables"
        lines += [f"## {title}", ""]
        if head is not None and head.meaning:
            lines += [f"{head.meaning.rstrip('.')}.", ""]
        lines += ["| key | meaning | expected | default | typed |", "|---|---|---|---|---|"]
        lines += [_row(k) for k in members]
        lines.append("")
    return "\n".join(lines + _names_and_parts())


def _is_table(found: Key) -> bool:
    return found.expected.startswith(("a table {", "a list: a table", "a table by name: a table"))


def _row(found: Key) -> str:
    name = found.path.rpartition(".")[2]
    typed = f"`{name} = {_typed(found)}`" if found.example else ""
    expected = found.expected.replace("|", "\\|")
    return f"| `{name}` | {found.meaning} | {expected} | {_default(found)} | {typed} |"


def _names_and_parts() -> list[str]:
    """Return the names of topologies and of the figures that a part may have."""
    lines = [
        "## Topologies",
        "",
        "`topology` is one of " + ", ".join(f"`{p.name}`" for p in pages()) + ".",
        "",
    ]
    lines += [
        "## Parts",
        "",
        'Under `[parts]` a component is a name of a catalogue (`S1 = "sample-fet-80v-24m"`) or a table of figures.',
        "",
        "| key | meaning | of |",
        "|---|---|---|",
    ]
    lines += [f"| `{name}` | {meaning} | any |" for name, meaning in PART_KEYS.items()]
    figures: dict[tuple[str, str], list[str]] = {}
    for kind, model in KINDS.items():
        for name, field in model.model_fields.items():
            if name not in PART_KEYS:
                figures.setdefault((name, field.description or ""), []).append(kind)
    lines += [f"| `{name}` | {meaning} | {', '.join(kinds)} |" for (name, meaning), kinds in figures.items()]
    return [*lines, ""]


if __name__ == "__main__":
    print(documentation(), end="")
