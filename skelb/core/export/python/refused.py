"""What cannot be written as Python, and where it stands."""

from skelb.core.language.tree import Expression


class Refused(Exception):  # noqa: N818 - it ends the writing of one rule, whose line is then told
    """A part of a rule that cannot be written, and why."""

    def __init__(self, node: Expression | None, why: str) -> None:
        super().__init__(why)
        self.node, self.why = node, why
