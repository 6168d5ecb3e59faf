"""Puts checked mode on, if it is asked for, before anything imports core. To be imported before all else."""

import os

if os.environ.get("NUVRIK_CHECKED"):
    from nuvrik.export import checked

    checked.install()
