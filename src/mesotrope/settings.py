"""What an operator can set: environment variables that begin with ``MESOTROPE_``."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path
from typing import Literal

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

#: What this machine calls itself.
LOOPBACK = ("127.0.0.1", "localhost", "[::1]", "::1")

CHECKOUT = Path(__file__).resolve().parents[2]


class Settings(BaseSettings):
    """Settings of one application process; it holds no other state."""

    model_config = SettingsConfigDict(env_prefix="MESOTROPE_", frozen=True)

    database_url: str = Field(default="", description="Any MariaDB; empty: the project's own private instance.")
    database_cluster: bool = Field(default=False, description="The database is a Galera cluster: see docs/scale.md.")
    database_replica_url: str = Field(default="", description="A replica that search and figures are read from.")
    run_folder: Path = Field(default=CHECKOUT / ".run", description="Where the private database lives.")
    archive_folder: Path | None = Field(default=None, description="Where archived visits lie; else in the run folder.")
    host: str = "127.0.0.1"
    port: int = Field(default=8420, ge=1, le=65535)
    processes: int = Field(default=1, ge=1, le=64, description="Application processes on the one port.")
    demo: bool = Field(default=False, description="Offer the made-up people's sign-in by one click.")
    demo_closed: int = Field(default=150, ge=0, le=5000, description="Closed jobs of the demo's year, to learn from.")
    demo_day: bool = Field(default=True, description="The demo's full day: some twenty-five jobs in every state.")
    development: bool = Field(default=False, description="Show the contributors' /style page.")
    hosts: str = Field(default="", description="The names it is reached under, with commas; see `trusted_hosts`.")
    proxies: str = Field(default="", description="Proxies that are believed: addresses or networks, with commas.")
    secure_cookies: bool = Field(default=False, description="Send cookies over HTTPS only: set it behind TLS.")
    log: Literal["text", "json"] = Field(default="text", description="How the log is written to standard error.")
    log_level: Literal["debug", "info", "warning", "error"] = Field(default="warning", description="From where on.")
    language: str = Field(default="en", description="The language of the screens: English, or a catalogue's code.")
    metrics_port: int = Field(default=0, ge=0, le=65535, description="Where an operator's Prometheus asks; 0: nowhere.")
    metrics_host: str = Field(default="127.0.0.1", description="On which address it may ask.")
    session_hours: int = Field(default=12, ge=1, le=720)
    password_memory_kib: int = Field(default=65536, ge=16, description="Argon2id memory; lower only in tests.")
    password_rounds: int = Field(default=3, ge=1)

    @property
    def archives(self) -> Path:
        """Where the files of archived visits lie."""
        return self.archive_folder or self.run_folder / "archive"

    @property
    def trusted_hosts(self) -> tuple[str, ...]:
        """The names it is reached under: those that are set, else this machine where it listens to nothing else; none
        where any is taken."""
        if self.hosts:
            return tuple(host.strip().lower() for host in self.hosts.split(",") if host.strip())
        return LOOPBACK if self.host in LOOPBACK else ()


@lru_cache(maxsize=1)
def settings() -> Settings:
    """Return this process's settings, read once."""
    return Settings()
