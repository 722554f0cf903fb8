"""One operating point of one design: the circuit solved, its output held, its balances closed, its mode named."""
