"""Words in the user's language, from the catalogue `brucke` that the language of the desktop names.

Catalogues stand in `locale/` of the package (`LANGUAGE/LC_MESSAGES/brucke.mo`); `BRUCKE_LOCALE` names another folder,
to try a translation. Without one everything is said in English. `CONTRIBUTING.md` says how one is made.
"""

import os
from functools import cache
from gettext import translation
from pathlib import Path

DOMAIN = "brucke"
FOLDER = Path(__file__).parents[1] / "locale"
_catalogue = translation(DOMAIN, os.environ.get("BRUCKE_LOCALE") or FOLDER, fallback=True)

_ = cache(_catalogue.gettext)
