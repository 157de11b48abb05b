"""What is answered where the consequences of a plan cannot be computed."""


class Unreckonable(Exception):
    """What follows from a plan cannot be computed; `touched` is what the edit was about."""

    def __init__(self, touched: tuple[str, str] | None) -> None:
        super().__init__(touched)
        self.touched = touched
