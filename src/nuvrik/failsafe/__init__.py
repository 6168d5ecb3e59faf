"""Who may move, and when. Nothing else in Nuvrik decides it.

How this works. A machine is in one of five states, and only in ARMED do outputs follow the handset. What
may happen to it are eight events, and ``table`` says for each of them, in each state, what follows.
``commands`` sorts a command into its event, ``watch`` keeps the timers and looks events up, ``arming`` is
the handset's half (when arm is sent on, when only stops are sent), and ``why`` says, as a code, what holds
a link back. Outputs, motions and ports ask for the state; they never change it. docs/failsafe.md says the
same in prose, and its table is made from this one.

The theory. Three things have to be true at once before a motor may turn: the frames are good (check, pair,
layout, sequence), they are fresh (a drive frame within ``timeout_ms``), and somebody has just decided it
(arm seen off, then on, with everything that turns at rest). Each can be lost alone, and the way back
depends on which it was; that is all the states are for. Time is judged before any byte is looked at, so
that a frame that comes just too late cannot hide the silence before it.

Rules for whoever edits this.

* A new rule goes into the table, not into an ``if`` beside it. If it does not fit, the events are wrong.
* Whatever is missing (a reading, a frame, a clock that tells) counts as the safe thing, never as the last
  known.
* No event may make an output turn that did not turn before, but the one cell that leads into ARMED from rest.
* After any change run ``tests/test_search.py`` whole (NUVRIK_THOROUGH=1): it tries every event in every
  state, and breaks the table in eighteen ways to see that it would notice.

Tried and given up: methods with flags in place of a table (nobody could say what a flag meant in which
state); reasons as words (verdicts then hung on their spelling); forgetting the sequence number at every
call of a long silence (an old echo was accepted three times); counting every frame of a backlog (a hundred
queued frames are not a hundred in a row); a plain "at rest" test at arming with small values let through (a
start duty then turned motors at once).
"""
