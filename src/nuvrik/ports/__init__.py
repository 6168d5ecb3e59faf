"""The only real input and output in the library: ports, clocks and the two live loops.

Everything here is thin: it moves bytes, readings and time between the world outside and the same
Handset and Machine that the rehearsal and the tests use. ``open`` finds the port for a name, ``live`` runs
either end on it, ``connection`` lets a program drive, ``hello`` asks who is there.
"""
