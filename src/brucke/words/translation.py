"""Words in the user's language. Each is looked up once: the standard library searches the disk every time."""

from functools import cache
from gettext import gettext

_ = cache(gettext)
