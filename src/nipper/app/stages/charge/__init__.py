"""Charge: profile, rates by temperature, PV strings, other chargers, the open-loop sheet and the energy budget."""
