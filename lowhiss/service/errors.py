"""What a use case refuses, with a stable code, one sentence and, where it helps, the field.

ServiceError
 ├─ NotFoundError   there is no such thing
 ├─ ConflictError   it is there already with other content
 └─ RefusedError    the input cannot be accepted
"""

from __future__ import annotations


class ServiceError(Exception):
    """``code`` is stable; ``sentence`` says what is wrong and what to do; ``field`` names the input."""

    def __init__(self, code: str, sentence: str, field: str = "") -> None:
        self.code = code
        self.sentence = sentence
        self.field = field
        super().__init__(sentence)


class NotFoundError(ServiceError):
    """There is no such thing."""


class ConflictError(ServiceError):
    """It is there already, with other content."""


class RefusedError(ServiceError):
    """The input cannot be accepted."""
