"""What commands read: ``files`` of every form, ``captures`` of bytes, and ``lines`` that are open ports.

Commands import this, and never each other.
"""
