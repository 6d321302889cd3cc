"""What settings will do to this pack: simulated copies with what the diagnosis measured.

Above both the simulator and the diagnosis.
"""
