"""Every setting of the server, in one table: name with unit, default, meaning. Read from the environment as IRON_…"""

from __future__ import annotations

import os
import secrets
from functools import lru_cache
from pathlib import Path

from pydantic import AliasChoices, Field
from pydantic_settings import BaseSettings, SettingsConfigDict

__all__ = ["DEMO_PEOPLE", "PARENT", "ROOT", "Settings", "get_settings", "keep_secret", "read_secret"]

DEMO_PEOPLE = "IRON_DEMO_PEOPLE"
PARENT = "IRON_PARENT_PROCESS"  # set for the processes of `./iron serve`, which end with the one that started them

ROOT = Path(__file__).resolve().parent.parent


class Settings(BaseSettings):
    """Settings of one server process."""

    model_config = SettingsConfigDict(env_prefix="IRON_", extra="ignore")

    database_url: str = Field(
        default="",
        validation_alias=AliasChoices("DATABASE_URL", "database_url"),
        description="PostgreSQL to use; empty: the private cluster",
    )
    host: str = Field(default="127.0.0.1", description="Address to listen on; anything but loopback is a choice")
    port: int = Field(default=8470, ge=1, le=65535, description="Port to listen on")
    allowed_hosts: str = Field(
        default="127.0.0.1,localhost,[::1]", description="Host names that a request may ask for, with commas between"
    )
    proxy: str = Field(
        default="", description="Address of a proxy in front, which is believed where requests come from; empty: none"
    )
    tls_certificate: Path | None = Field(default=None, description="Certificate chain for --lan; empty: the shop's own")
    tls_key: Path | None = Field(default=None, description="Its private key")
    local_dir: Path = Field(default=ROOT / ".local", description="Where the cluster, the secret and logs are kept")
    meter_port: int = Field(
        default=0, ge=0, le=65535, description="Port of the simulated meter on loopback; 0: the one after `port`"
    )
    workers: int = Field(default=2, ge=1, le=64, description="Worker processes of ./iron serve")
    form_limit_bytes: int = Field(default=64_000, description="Largest form taken in")
    upload_limit_bytes: int = Field(default=5_000_000, description="Largest file or API request taken in")
    picture_limit_bytes: int = Field(
        default=10_600_000, description="Largest form with a picture of a vehicle taken in"
    )
    capture_limit_bytes: int = Field(default=210_000_000, description="Largest captured waveform taken in")
    log_limit_bytes: int = Field(default=1_210_000_000, description="Largest recorded log taken in")
    backup_dir: Path | None = Field(default=None, description="Where backups are kept; empty: in local_dir")
    backup_hours: float = Field(
        default=24.0, ge=0, le=8760, description="A backup every so many hours; 0: none by itself"
    )
    backup_keep: int = Field(default=14, ge=1, le=10_000, description="How many of them are kept")
    backup_key: Path | None = Field(
        default=None, description="Key file that backups are encrypted for; empty: they are not"
    )
    diagnosis_limit_s: float = Field(default=10.0, gt=0, description="How long a page waits for a diagnosis, seconds")
    demo_people: bool = Field(
        default=False,
        description="On loopback, who comes is the demo's foreman at once; set by ./iron demo and nothing else",
    )
    log_level: str = Field(default="INFO", description="DEBUG, INFO, WARNING or ERROR")
    secret: str = Field(default="", description="Signs cookies and forms; empty: the one made at first start")


@lru_cache(maxsize=1)
def get_settings() -> Settings:
    """The settings of this process, read once."""
    return Settings()


def read_secret(settings: Settings) -> str:
    """The signing secret: as set, else the one in `.local/secret`, which is made at first start and never committed."""
    if settings.secret:
        return settings.secret
    path = settings.local_dir / "secret"
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text(encoding="utf-8").strip()
    made = secrets.token_urlsafe(48)
    with os.fdopen(handle, "w", encoding="utf-8") as file:
        file.write(made)
    return made


def keep_secret(settings: Settings, secret: str, *, replace: bool) -> None:
    """Take over the secret of another machine's shop: where none is set or kept here, or where it is to be replaced."""
    path = settings.local_dir / "secret"
    if not secret or settings.secret or (path.exists() and not replace):
        return
    path.parent.mkdir(parents=True, exist_ok=True)
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_TRUNC, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8") as file:
        file.write(secret)
