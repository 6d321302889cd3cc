"""Diagnose: which cell strays, why, how sure, and what to do."""
