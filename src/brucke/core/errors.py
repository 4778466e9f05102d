"""The root of everything that Brucke refuses."""


class BruckeError(Exception):
    """One sentence that a person can act on: what, where in it, why. `code` names the kind for programs and logs."""

    code = "refused"
