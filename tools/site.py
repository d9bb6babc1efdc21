"""What the documentation site needs beyond its settings: links to files of the source.

mkdocs loads it as a hook: see mkdocs.yml.
"""

import re

SOURCE = "https://lumek.example/source/"
"""Where the source can be seen; a made-up address until there is a real one."""


def on_page_markdown(markdown: str, **_: object) -> str:
    """Let links out of docs/ lead to the source."""
    return re.sub(r"\]\((?:\.\./)+((?!docs/)[^)]+)\)", rf"]({SOURCE}\1)", markdown)
