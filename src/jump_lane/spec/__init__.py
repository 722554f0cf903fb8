"""What is asked: the converter file, validated strictly."""

from jump_lane.spec.file import Spec, load, parse_spec, schema, tables_of
from jump_lane.spec.ranges import VoltageRange
from jump_lane.spec.tables import Damping, Margin
from jump_lane.spec.terminals import Output

__all__ = ["Damping", "Margin", "Output", "Spec", "VoltageRange", "load", "parse_spec", "schema", "tables_of"]
