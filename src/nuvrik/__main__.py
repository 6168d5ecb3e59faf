"""``python -m nuvrik``."""

from nuvrik.cli import main

main()
