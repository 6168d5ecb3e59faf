"""What explains bytes. Nothing here lies on the way of a frame.

``describe`` puts frames into words, ``diagnosis`` says why nothing decodes (``uart`` shows what a wrong
speed does), ``statistics`` counts what came, ``bulk`` reads whole captures at once, ``undetected`` tries
what damage a frame style lets pass."""
