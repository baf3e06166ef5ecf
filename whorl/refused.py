"""How input is refused."""


class Refused(ValueError):
    """Input that cannot be used, in one line for people. Other ValueErrors are faults of the program."""
