"""The switched simulator: exact propagation between events, steady states by Newton iteration."""
