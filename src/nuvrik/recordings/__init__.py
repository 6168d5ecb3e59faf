"""What a pilot's hands did, as raw readings over time.

``recording`` is the form and reads it from CSV, ``pilot`` makes recordings to order, ``table`` reads CSV
rows. The live loops play recordings, the rehearsal plays them in virtual time, calibration looks at them.
"""
