"""The cold: baths that prove a cutoff, the proof itself, thermistors against a meter, and waking a
pack the cold has shut off.
"""
