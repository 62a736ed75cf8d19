"""NumPy, imported when it is first used: the window stands before it does.

    from juxtanote.core.later import np

What the window imports before it is shown takes it from here; all else imports NumPy as everybody does.
"""

from importlib import import_module
from typing import TYPE_CHECKING, Any

__all__ = ["np"]


class _Later:
    """Stands for a module until something of it is wanted."""

    def __init__(self, name: str) -> None:
        self._name = name

    def __getattr__(self, name: str) -> Any:
        value = getattr(import_module(self._name), name)
        setattr(self, name, value)  # the next time it costs nothing
        return value


if TYPE_CHECKING:
    import numpy as np
else:
    np = _Later("numpy")
