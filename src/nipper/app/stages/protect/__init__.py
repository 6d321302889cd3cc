"""Protect: limits of voltage, current and temperature that hold together."""
