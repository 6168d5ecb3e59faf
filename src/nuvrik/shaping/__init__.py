"""Raw readings to levels to channels.

``controls`` holds one small object for each kind of control: it takes raw readings and knows its
level; ``channels`` builds the values that travel from those levels.
"""
