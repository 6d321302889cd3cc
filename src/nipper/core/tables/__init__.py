"""Any file as a table of text: what it is packed in, where its header stands, how its numbers are
written. What the columns mean is for :mod:`nipper.core.logs` to say.
"""
