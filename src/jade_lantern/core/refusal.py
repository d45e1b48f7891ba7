"""The one error a person is meant to read."""


class Refusal(ValueError):
    """An edit, a file or a request that cannot be taken, with a reason somebody can act on."""
