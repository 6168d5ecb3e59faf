"""Where an end has no way to send."""


class Silent:
    """Listens as another does, and sends nothing."""

    def __init__(self, line):
        self.line = line

    def listen(self, hears):
        """As it does."""
        self.line.listen(hears)

    def send(self):
        """Nothing."""
