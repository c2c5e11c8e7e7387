"""What cannot be done with people and their access, told in words."""


class Refused(ValueError):
    """Something asked for that cannot be done; its text says why and what to do."""
