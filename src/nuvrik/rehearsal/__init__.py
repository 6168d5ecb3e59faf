"""The link in virtual time: the same Handset and Machine, a medium with faults, and a verdict.

``recording`` reads what a pilot did, ``pilot`` makes such recordings, ``medium`` loses, delays and damages
frames, ``plant`` is what hangs on the machine. ``world`` runs both ends from one event to the next, ``beam``
a remote and its receiver. ``faults`` lists what can go wrong on purpose, ``verdict`` says what must hold when
it does. ``soak`` drives for hours, ``search`` tries every state and every event, ``testing`` is for a
builder's own tests.
"""
