"""Worlds that the diagnosis was not built in: cells of other physics, kept as files."""
