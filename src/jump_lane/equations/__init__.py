"""Lines of a derivation: formulas that are printed, evaluated and checked for their dimensions."""
