"""An answer as plain nested values, so that two can be compared to the last figure."""

from __future__ import annotations

from dataclasses import fields, is_dataclass
from typing import Any

import numpy as np


def plain(value: Any) -> Any:
    if isinstance(value, np.ndarray):
        return ("array", value.shape, value.tobytes())
    if is_dataclass(value) and not isinstance(value, type):
        return (type(value).__name__, *((f.name, plain(getattr(value, f.name))) for f in fields(value) if f.compare))
    if isinstance(value, dict):
        return tuple((plain(k), plain(v)) for k, v in value.items())
    if isinstance(value, list | tuple):
        return tuple(plain(x) for x in value)
    if isinstance(value, set | frozenset):
        return tuple(sorted(repr(plain(x)) for x in value))
    if isinstance(value, float):
        return repr(value)
    if hasattr(value, "__dict__") and not isinstance(value, type) and not callable(value):
        return (type(value).__name__, plain(vars(value)))
    return value


def differing(a: Any, b: Any, where: str = "") -> list[str]:
    """Where two plain values part, for a message that can be read."""
    if a == b:
        return []
    if isinstance(a, tuple) and isinstance(b, tuple) and len(a) == len(b) and a and a[0] != "array":
        return [
            x
            for i, (m, n) in enumerate(zip(a, b, strict=True))
            for x in differing(m, n, f"{where}/{m[0] if isinstance(m, tuple) and m and isinstance(m[0], str) else i}")
        ][:6]
    return [f"{where}: {str(a)[:90]} != {str(b)[:90]}"]
