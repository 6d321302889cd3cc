"""The window around the stages: rail, top line, What follows, command finder, start and import
pages.
"""
