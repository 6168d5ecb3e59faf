"""The link in virtual time: the same Handset and Machine, a medium with faults, and a verdict.

``recording`` reads what a pilot did, ``pilot`` makes such recordings, ``medium`` loses, delays and
damages frames, ``world`` runs both ends from one event to the next, ``faults`` says what can go
wrong on purpose, and ``verdict`` what must hold when it does.
"""
