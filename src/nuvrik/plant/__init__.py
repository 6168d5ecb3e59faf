"""What hangs on a machine, simulated: ``motors`` turn with stiction, ``plant`` puts them on a battery and is
moved by the levels of the machine's pins. The rehearsal and the port ``sim`` use the same one.
"""
