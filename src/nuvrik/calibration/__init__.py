"""What finds numbers in recordings and logs: ``controls`` ranges and dead zones in a sweep, ``motors`` start
duty and duty curve in a log of duty and speed, ``remotes`` the keys of a remote control in its timings.
"""
