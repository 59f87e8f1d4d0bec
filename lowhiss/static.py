"""Where the files lie that ship with the package and are no Python: the built front end, and the face of papers.

The build puts them there (`scripts/setup.sh`); in a checkout that was never built they are missing.
"""

from pathlib import Path

_STATIC = Path(__file__).resolve().parent / "static"
WEB = _STATIC / "web"
FONTS = _STATIC / "fonts"
