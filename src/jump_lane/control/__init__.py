"""Control: networks and controllers as pages, loops designed and proven, runs over time."""
