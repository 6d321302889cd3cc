"""Logs: readers, column mapping, clocks and units, cleaning, charges and rests."""
