"""What a checkout remembers between runs: secrets, ports, and who is using it. All below the ignored folder .fennet."""

from __future__ import annotations

import fcntl
import hashlib
import json
import os
import secrets
import socket
from pathlib import Path
from typing import IO, Any

ROOT = Path(os.environ.get("FENNET_ROOT") or Path(__file__).resolve().parents[3])
STATE = ROOT / ".fennet"


def ensure_state() -> Path:
    """The state folder. Others may pass through it (the database account must), not read it."""
    STATE.mkdir(mode=0o711, exist_ok=True)
    STATE.chmod(0o711)
    return STATE


def instance() -> str:
    """A short name of this checkout, for cookies and fallback folders: two checkouts side by side never share one."""
    return hashlib.sha256(str(ROOT.resolve()).encode()).hexdigest()[:10]


class StateError(RuntimeError):
    """What this checkout remembers cannot be read or written: which file, and what to do."""


def remembered(name: str) -> dict[str, Any]:
    """What was remembered; nothing where nothing was yet. Raises StateError for a file that is there and cannot be read: a new
    secret in place of one that is only out of reach would lock its owner out."""
    path = STATE / f"{name}.json"
    try:
        found = json.loads(path.read_text())
    except FileNotFoundError:
        return {}
    except OSError as e:
        raise StateError(f"{path} cannot be read ({e.strerror}); accepted: a file of this account: chown $(id -u) {path}") from e
    except ValueError as e:
        raise StateError(f"{path} is damaged ({e}); put an earlier copy in its place, or move it away to begin anew") from e
    if not isinstance(found, dict):
        raise StateError(f"{path} is damaged; put an earlier copy in its place, or move it away to begin anew")
    return found


def remember(name: str, values: dict[str, Any]) -> None:
    """Write whole or not at all, readable by the owner alone. Raises StateError."""
    path = STATE / f"{name}.json"
    try:
        ensure_state()
        fresh = path.with_suffix(f".{os.getpid()}.new")
        fresh.touch(mode=0o600)
        fresh.write_text(json.dumps(values, indent=1))
        fresh.replace(path)
    except OSError as e:
        raise StateError(
            f"{path} cannot be written: {e.strerror}; accepted: a folder of this account with room on its disk"
        ) from e


def secret(name: str) -> str:
    """A random secret made once and kept."""
    known = remembered("secrets")
    if name not in known:
        remember("secrets", known | {name: secrets.token_urlsafe(32)})
    return str(remembered("secrets")[name])


def port_is_free(port: int, host: str = "127.0.0.1") -> bool:
    with socket.socket() as s:
        s.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            s.bind((host, port))
        except OSError:
            return False
    return True


def free_port() -> int:
    with socket.socket() as s:
        s.bind(("127.0.0.1", 0))
        return int(s.getsockname()[1])


class InUse:
    """A shared mark that this checkout's database is in use; the last one out may stop it. A killed run's mark goes with it."""

    def __init__(self) -> None:
        ensure_state()
        self._file: IO[str] = (STATE / "in-use").open("a")
        fcntl.flock(self._file, fcntl.LOCK_SH)

    def last_one_out(self) -> bool:
        """Whether nobody else is using it; if so, nobody can begin until this process ends or closes the mark."""
        try:
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            return False
        return True

    def close(self) -> None:
        self._file.close()


class Starting:
    """One process starts the database at a time."""

    def __enter__(self) -> Starting:
        ensure_state()
        self._file: IO[str] = (STATE / "starting").open("a")
        fcntl.flock(self._file, fcntl.LOCK_EX)
        return self

    def __exit__(self, *_: object) -> None:
        self._file.close()
