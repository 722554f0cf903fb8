"""What surrounds the power stage: adjustable outputs, banks of capacitors, filters, gate drive, protection."""
