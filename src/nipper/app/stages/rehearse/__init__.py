"""Rehearse: run the settings before typing them in."""
