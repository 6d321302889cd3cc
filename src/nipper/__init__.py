"""Nipper: the bench companion of a lithium battery pack builder."""

__version__ = "0.1.0"
