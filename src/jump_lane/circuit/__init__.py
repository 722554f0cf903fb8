"""Elements, gate patterns and circuits, and the circuit file."""
