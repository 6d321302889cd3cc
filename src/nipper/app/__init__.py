"""The window. Qt only here; no arithmetic: what is shown is computed in the core."""
