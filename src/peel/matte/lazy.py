"""Values computed on first use, without a lock."""

from collections.abc import Callable
from typing import Any, Generic, TypeVar, overload

__all__ = ["lazy"]

_T = TypeVar("_T")


class lazy(Generic[_T]):  # noqa: N801 - read as the decorator that it is
    """A property computed on first use and kept in its object.

    Up to Python 3.11 `functools.cached_property` holds one lock for all objects while it computes: threads that read
    different windows would take turns, and one that waits for another while it holds the lock would wait forever. Here
    two threads that ask the same object at once both compute; the later result is kept.
    """

    def __init__(self, compute: Callable[[Any], _T]) -> None:
        self._compute = compute
        self.__doc__ = compute.__doc__

    def __set_name__(self, owner: type, name: str) -> None:
        self._name = name

    @overload
    def __get__(self, instance: None, owner: type) -> "lazy[_T]": ...
    @overload
    def __get__(self, instance: object, owner: type) -> _T: ...
    def __get__(self, instance: object | None, owner: type) -> "lazy[_T] | _T":
        if instance is None:
            return self
        value = instance.__dict__[self._name] = self._compute(instance)
        return value
