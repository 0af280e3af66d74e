"""A mill's settings: one file, every entry checked, the unsafe refused with the reason."""

import os
import tomllib
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, Final

LOOPBACK: Final = frozenset({"127.0.0.1", "localhost", "::1"})


class SettingsError(ValueError):
    """Settings that cannot be used, one sentence a fault."""

    def __init__(self, faults: list[str]) -> None:
        """Keep them all."""
        super().__init__("; ".join(faults))
        self.faults = faults


@dataclass(frozen=True, slots=True)
class Line:
    """A line that is collected: its address, its plant's server, where devices leave their files."""

    world: str
    endpoint: str = ""
    namespace: str = ""
    drop: str = ""


@dataclass(frozen=True, slots=True)
class Settings:
    """What a mill's own desk runs by."""

    folder: Path
    hosts: tuple[str, ...]
    host: str = "127.0.0.1"
    port: int = 8000
    workers: int = 2
    behind_tls: bool = True
    behind_proxy: bool = True
    time_zone: str = "UTC"
    idle_min: int = 15
    backup_folder: Path | None = None
    backup_every_h: float = 6.0
    encrypt: bool = False
    lines: tuple[Line, ...] = field(default_factory=tuple)

    def env(self) -> dict[str, str]:
        """Return the environment the parts run in."""
        return {
            "FOX_VAR": str(self.folder),
            "FOX_HOSTS": ",".join(self.hosts),
            "FOX_TIME_ZONE": self.time_zone,
            "FOX_TLS": "1" if self.behind_tls else "0",
            "FOX_BEHIND_PROXY": "1" if self.behind_proxy else "0",
            "FOX_IDLE_MIN": str(self.idle_min),
            "DJANGO_SETTINGS_MODULE": "desk.settings.production",
        }


KNOWN: Final[dict[str, type | tuple[type, ...]]] = {
    "folder": str, "hosts": list, "host": str, "port": int, "workers": int, "behind_tls": bool, "behind_proxy": bool,
    "time_zone": str, "idle_min": int, "backup_folder": str, "backup_every_h": (int, float), "encrypt": bool,
}  # fmt: skip


def read_settings(path: Path) -> Settings:
    """Read a mill's settings file.

    Raises
    ------
    SettingsError
        Naming every entry that is unknown, of the wrong kind, or unsafe.
    """
    try:
        raw = tomllib.loads(path.read_text(encoding="utf-8"))
    except FileNotFoundError:
        raise SettingsError([f"there is no settings file {path}; docs/running.md has one to begin with"]) from None
    except (tomllib.TOMLDecodeError, UnicodeDecodeError) as error:
        raise SettingsError([f"{path} is not readable as TOML: {error}"]) from None
    faults: list[str] = []
    desk = _known(raw.get("desk", {}), "desk", KNOWN, faults)
    lines = []
    for index, one in enumerate(raw.get("lines", []), 1):
        given = _known(
            one, f"lines, entry {index}", dict.fromkeys(("world", "endpoint", "namespace", "drop"), str), faults
        )
        if "world" not in given:
            faults.append(f"lines, entry {index}: world is missing, the line's address")
        else:
            lines.append(Line(**given))
    faults += [f"there is no part called {name}" for name in raw if name not in ("desk", "lines")]
    for name in ("folder", "hosts"):
        if name not in desk:
            faults.append(f"desk: {name} is missing")
    if faults:
        raise SettingsError(faults)
    desk["folder"] = Path(desk["folder"]).expanduser().resolve()
    desk["hosts"] = tuple(desk["hosts"])
    if "backup_folder" in desk:
        desk["backup_folder"] = Path(desk["backup_folder"]).expanduser().resolve()
    found = Settings(**desk, lines=tuple(lines))
    if unsafe := faults_of(found):
        raise SettingsError(unsafe)
    return found


def _known(given: Any, where: str, kinds: dict[str, Any], faults: list[str]) -> dict[str, Any]:
    if not isinstance(given, dict):
        faults.append(f"{where} is no table")
        return {}
    found = {}
    for name, value in given.items():
        if name not in kinds:
            faults.append(f"{where}: there is no entry called {name}; it takes {', '.join(kinds)}")
        elif not isinstance(value, kinds[name]) or (isinstance(value, bool) and kinds[name] is not bool):
            faults.append(f"{where}: {name} is {value!r}, of the wrong kind")
        else:
            found[name] = value
    return found


def faults_of(settings: Settings) -> list[str]:
    """Return what is unsafe, or cannot be, and why."""
    faults = []
    if not settings.hosts or "*" in settings.hosts or any(host.startswith(".") for host in settings.hosts):
        faults.append("desk: hosts must name each address the desk is called by; a star lets anybody pretend")
    if not 1 <= settings.port <= 65535:
        faults.append(f"desk: port is {settings.port}, outside 1 to 65535")
    if not 1 <= settings.workers <= 32:
        faults.append(f"desk: workers is {settings.workers}, outside 1 to 32")
    if not 0 <= settings.idle_min <= 240:
        faults.append(f"desk: idle_min is {settings.idle_min}, outside 0 to 240")
    if settings.host not in LOOPBACK and not settings.behind_tls:
        faults.append(
            f"desk: host {settings.host} is open to the network without TLS: passwords would travel readable;"
            " listen on 127.0.0.1 behind a proxy with TLS"
        )
    if settings.backup_every_h < 0.25:
        faults.append("desk: backup_every_h is less than a quarter of an hour")
    if settings.backup_folder is not None and settings.backup_folder.is_relative_to(settings.folder):
        faults.append("desk: backup_folder lies inside folder: what loses one loses the other")
    if settings.folder.exists() and settings.folder.stat().st_mode & 0o077:
        faults.append(f"{settings.folder} can be read by others on this machine; run: chmod 700 {settings.folder}")
    if settings.encrypt and not os.environ.get("FOX_BACKUP_PASSPHRASE"):
        faults.append("desk: encrypt is set, but FOX_BACKUP_PASSPHRASE is not in the environment")
    names = [line.world for line in settings.lines]
    faults += [f"lines: {name} is given twice" for name in sorted(set(names)) if names.count(name) > 1]
    return faults
