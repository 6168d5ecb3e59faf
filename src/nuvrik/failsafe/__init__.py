"""Who may move, and when.

``table`` is the whole rule as a table, ``watch`` the few lines that keep the timers and look things
up in it. docs/failsafe.md says the same in prose; nothing else in Nuvrik decides who may move.
"""
