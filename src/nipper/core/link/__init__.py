"""The link to a BMS: register maps as data, one small interface to devices, and the stand-in that
ships.
"""
