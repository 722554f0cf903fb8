"""Converters whose tank rings: sized by gain, controlled by frequency."""
