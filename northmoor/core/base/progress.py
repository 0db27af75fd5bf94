"""How far work is, in words, and where it can be counted in numbers too."""


class CountedProgress(str):
    """How far work is, in words: so much is done, of how much. It is reported like any other progress."""

    done: int
    of: int

    def __new__(cls, words: str, done: int, of: int) -> "CountedProgress":
        """Make it."""
        made = super().__new__(cls, words)
        made.done, made.of = done, of
        return made
