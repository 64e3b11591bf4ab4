"""A cache bounded by bytes, shared by threads."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass
from threading import Lock
from typing import Any, Protocol, TypeVar

from numpy.typing import NDArray

from prism.formats.planes import PlaneFolder


class Sized(Protocol):
    """Anything that says how much memory it holds."""

    @property
    def byte_count(self) -> int:
        """Bytes in memory."""


@dataclass(frozen=True, slots=True, eq=False)
class CachedArray:
    """An array that can be kept."""

    array: NDArray

    @property
    def byte_count(self) -> int:
        """In memory."""
        return self.array.nbytes


Item = TypeVar("Item", bound=Sized)


class PixelStore:
    """Keeps what was used last, up to a number of bytes; one larger item is handed out but not kept.

    folder: where decoded planes lie for this and other processes.
    """

    def __init__(self, byte_limit: int = 2 << 30, *, folder: PlaneFolder | None = None) -> None:
        self.byte_limit = byte_limit
        self.folder = folder
        self.byte_count = 0
        self._items: OrderedDict[Hashable, Any] = OrderedDict()
        self._lock = Lock()

    def __contains__(self, key: Hashable) -> bool:
        return key in self._items

    def get(self, key: Hashable, make: Callable[[], Item]) -> Item:
        """The item under `key`, made if it is not there. Two threads may make it at once; both get a whole one."""
        with self._lock:
            if key in self._items:
                self._items.move_to_end(key)
                return self._items[key]
        item = make()
        self.put(key, item)
        return item

    def put(self, key: Hashable, item: Sized) -> None:
        """Keep an item in place of what was there; the longest unused go until all fit."""
        with self._lock:
            if key in self._items:
                self.byte_count -= self._items.pop(key).byte_count
            if item.byte_count > self.byte_limit:
                return
            self._items[key] = item
            self.byte_count += item.byte_count
            while self.byte_count > self.byte_limit:
                _, oldest = self._items.popitem(last=False)
                self.byte_count -= oldest.byte_count
