"""The simulated pack: one compiled kernel holds all the physics Nipper uses.

Nothing else in the project simulates.
"""
