"""Fuses, leads and what flows in a fault: formulas and tables, each with its source.

Local code and makers' sheets decide.
"""
