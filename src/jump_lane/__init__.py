"""Jump Lane: from a ripple specification to a converter proven by switched simulation."""

__version__ = "0.1.0"
