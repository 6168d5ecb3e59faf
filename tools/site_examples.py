"""Examples in docstrings as blocks of code: how they are written is no Markdown."""

import re
from typing import Any

from griffe import Extension

EXAMPLE = re.compile(r"^>>> .*?(?=\n\n|\Z)", re.MULTILINE | re.DOTALL)


class Examples(Extension):
    """Each gets a fence around it; the two colons before indented code become one."""

    def on_instance(self, *, obj: Any, **_: Any) -> None:
        """For each documented thing."""
        if obj.docstring:
            fenced = EXAMPLE.sub(lambda found: f"```python\n{found[0]}\n```", obj.docstring.value)
            obj.docstring.value = re.sub(r"::$", ":", fenced, flags=re.MULTILINE)
