"""Groups of equations, circuits and gates that several topologies share, each with its source."""
