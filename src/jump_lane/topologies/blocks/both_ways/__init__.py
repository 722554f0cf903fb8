"""Transformers that are driven both ways, behind every secondary side they can have."""

from jump_lane.topologies.blocks.both_ways import secondaries, stages
from jump_lane.topologies.blocks.both_ways.drive import Drive

__all__ = ["Drive", "secondaries", "stages"]
