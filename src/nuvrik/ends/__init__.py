"""The two ends, built from the rooms below: readings to bytes, and bytes to demands.

Neither does any I/O nor knows what time it is: bytes, readings and ``now_ms`` come in, bytes,
events and demands go out. The same two objects serve the live link, the rehearsal and the tests.
``sensors`` and ``cues`` are about what comes back; ``asking`` (the handset's side), ``desk`` (the machine's)
and ``motions`` about what is asked for, at most once.
"""
