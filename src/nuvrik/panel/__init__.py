"""The panel: a page in a browser that is the handset, and shows what the link does.

``room`` has the rules by which a page may drive, ``doors`` those by which it gets in, ``messages`` what may
be said, ``described`` and ``seen`` what a page is told; ``player`` puts what pages say to a handset, and
``server`` is the web server around it all."""
