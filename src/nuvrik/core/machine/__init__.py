"""The machine: who may move, what channels come to at each output, and what the pins do."""
