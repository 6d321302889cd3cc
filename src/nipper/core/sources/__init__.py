"""What charges the bank: rates by temperature, PV strings, and the values an inverter needs when
nobody talks to it.
"""
