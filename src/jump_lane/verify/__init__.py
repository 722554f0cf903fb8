"""Derived against simulated against asked, corner by corner."""
