"""A whole shop in one file, and back: readings, captures, pictures, logs, the record, and the server's secret.

The file is a ZIP of a manifest and a dump of the database in PostgreSQL's own format, taken in one snapshot while others go on
working; with a key it is encrypted as a whole in the age format. It is read back whole before it takes its name.
"""

from __future__ import annotations

import contextlib
import hashlib
import json
import os
import subprocess
import tempfile
import zipfile
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import psycopg
from psycopg import sql
from sqlalchemy import make_url

from irongauge.errors import BadFileError, SetupError
from irongauge.store.cluster import find_bin
from irongauge.store.migrate import NEWEST

__all__ = ["Backup", "make_key", "read_backup", "write_backup"]

_KIND = "iron-gauge-backup"
_MANIFEST, _DUMP, _SECRET = "manifest.json", "shop.dump", "secret"
_CHUNK = 1 << 20
_AGE = b"age-encryption.org/"


@dataclass(frozen=True, kw_only=True)
class Backup:
    """What a backup file holds: rows by table, how far the record goes, and with which seal."""

    path: Path
    made_at: datetime
    tables: str
    rows: dict[str, int]
    record_number: int
    record_seal: str
    bytes_written: int = 0


def make_key(path: Path) -> None:
    """Make a key file that backups are encrypted for and opened with; it is kept elsewhere than the backups."""
    from pyrage import x25519

    identity = x25519.Identity.generate()
    handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(handle, "w", encoding="utf-8") as file:
        file.write(f"# public key: {identity.to_public()}\n{identity}\n")


def _identity(key: Path) -> Any:  # noqa: ANN401  pyrage has no types
    from pyrage import IdentityError, x25519

    try:
        lines = key.read_text(encoding="utf-8").splitlines()
        return x25519.Identity.from_str(next(line for line in lines if line.startswith("AGE-SECRET-KEY-")))
    except (OSError, UnicodeDecodeError, StopIteration, IdentityError) as error:
        raise SetupError(f"{key} is no key file. Make one by naming a file that is not there yet.") from error


def write_backup(url: str, path: Path, *, secret: str, key: Path | None = None) -> Backup:
    """Write the whole database into `path`, which must not be there, and check what was written.

    `SetupError` where PostgreSQL's tools refuse, or the disk is full; then nothing stands under that name.
    """
    if path.exists():
        raise SetupError(f"{path} is there already. Name a file that is not.")
    try:
        path.parent.mkdir(mode=0o700, parents=True, exist_ok=True)
        with tempfile.TemporaryDirectory(prefix=".backup-", dir=path.parent) as folder:
            return _write(url, path, Path(folder), secret, key)
    except OSError as error:
        raise SetupError(f"The backup could not be written: {error.strerror or error} ({path.parent}).") from error
    except psycopg.errors.UndefinedTable as error:
        raise SetupError("There is no shop in this database yet, so there is nothing to keep.") from error
    except psycopg.OperationalError as error:
        raise SetupError(f"The database does not answer: {str(error).strip().splitlines()[-1]}") from error


def _write(url: str, path: Path, folder: Path, secret: str, key: Path | None) -> Backup:
    dump, packed = folder / _DUMP, folder / "packed.zip"
    with _snapshot(url) as (connection, snapshot):
        manifest = _manifest(connection)
        _run(url, "pg_dump", "--format=custom", "--no-owner", f"--snapshot={snapshot}", f"--file={dump}")
    _run(None, "pg_restore", "--file=/dev/null", str(dump))  # reads and unpacks every byte of it
    manifest["sha256"] = _digest(dump)
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_STORED, allowZip64=True) as archive:
        archive.writestr(_MANIFEST, json.dumps(manifest, indent=1))
        if key is not None:  # in plain it would sign for the shop whoever finds the file
            archive.writestr(_SECRET, secret)
        archive.write(dump, _DUMP)
    done = packed
    if key is not None:
        if not key.exists():
            make_key(key)
        done = folder / "packed.age"
        _encrypt(packed, done, key)
    with _opened(done, key, folder) as archive:
        _check(archive, manifest["sha256"])
    done.chmod(0o600)
    with done.open("rb") as file:
        os.fsync(file.fileno())
    done.rename(path)
    return _told(manifest, path)


@contextlib.contextmanager
def _snapshot(url: str) -> Iterator[tuple[psycopg.Connection[Any], str]]:
    with psycopg.connect(_plain(url)) as connection:
        connection.execute("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")
        row = connection.execute("SELECT pg_export_snapshot()").fetchone()
        assert row is not None
        yield connection, row[0]


def _manifest(connection: psycopg.Connection[Any]) -> dict[str, Any]:
    tables = connection.execute(
        "SELECT schemaname, tablename FROM pg_tables WHERE schemaname IN ('public', 'queue') ORDER BY 1, 2"
    ).fetchall()
    rows = {}
    for schema, table in tables:
        count = connection.execute(sql.SQL("SELECT count(*) FROM {}").format(sql.Identifier(schema, table))).fetchone()
        rows[f"{schema}.{table}"] = 0 if count is None else count[0]
    version = connection.execute("SELECT version_num FROM alembic_version").fetchone()
    assert version is not None  # a database without tables is not backed up
    number, seal = 0, ""
    if "public.record_line" in rows:
        end = connection.execute("SELECT number, seal FROM record_line ORDER BY number DESC LIMIT 1").fetchone()
        number, seal = (0, "") if end is None else (end[0], bytes(end[1]).hex())
    return {
        "kind": _KIND,
        "version": 1,
        "made_at": datetime.now(UTC).isoformat(),
        "tables": version[0],
        "rows": rows,
        "record": {"number": number, "seal": seal},
    }


def _told(manifest: dict[str, Any], path: Path) -> Backup:
    return Backup(
        path=path,
        made_at=datetime.fromisoformat(manifest["made_at"]),
        tables=manifest["tables"],
        rows=manifest["rows"],
        record_number=manifest["record"]["number"],
        record_seal=manifest["record"]["seal"],
        bytes_written=path.stat().st_size,
    )


def _encrypt(source: Path, target: Path, key: Path) -> None:
    import pyrage

    with source.open("rb") as reader, target.open("wb") as writer:
        pyrage.encrypt_io(reader, writer, [_identity(key).to_public()])


@contextlib.contextmanager
def _opened(path: Path, key: Path | None, folder: Path) -> Iterator[zipfile.ZipFile]:
    """The archive in a file, decrypted where it is encrypted."""
    with path.open("rb") as file:
        is_encrypted = file.read(len(_AGE)) == _AGE
    plain = path
    if is_encrypted:
        if key is None:
            raise BadFileError(path.name, "It is encrypted.", "Name its key file: --key FILE.")
        plain = folder / "opened.zip"
        import pyrage

        with path.open("rb") as reader, plain.open("wb") as writer:
            try:
                pyrage.decrypt_io(reader, writer, [_identity(key)])
            except pyrage.DecryptError as error:
                problem = "This key does not open it, or it is damaged."
                raise BadFileError(path.name, problem, "Take the key that it was made with.") from error
    try:
        with zipfile.ZipFile(plain) as archive:
            yield archive
    except (zipfile.BadZipFile, KeyError, EOFError) as error:
        raise BadFileError(path.name, "It is no backup, or it is cut short.", "Take another one.") from error


def _check(archive: zipfile.ZipFile, sha256: str) -> None:
    digest = hashlib.sha256()
    with archive.open(_DUMP) as file:
        while chunk := file.read(_CHUNK):
            digest.update(chunk)
    if digest.hexdigest() != sha256:
        raise BadFileError(archive.filename or "backup", "It is damaged.", "Take another one.")


def read_backup(
    url: str,
    path: Path,
    *,
    key: Path | None = None,
    replace: bool = False,
    make_ready: Callable[[str], None] = lambda _: None,
) -> tuple[Backup, str]:
    """Put a backup into a database and compare what came out; gives what it held and the server's secret.

    The shop that is there stays as it is until the other one stands beside it, compared and made ready: then the two change names
    in one transaction, and the old one is kept as `before_restore_…`. A database with a shop in it is refused unless `replace`
    says that it goes; so is one that others work on, and a backup of a newer program. The secret is empty for a backup that was
    not encrypted: it is not in there.
    """
    if not path.is_file():
        raise BadFileError(str(path), "There is no such file.", "Name the backup.")
    with tempfile.TemporaryDirectory(prefix="irongauge-restore-") as name:
        folder = Path(name)
        with _opened(path, key, folder) as archive:
            manifest = _read_manifest(archive, path)
            _check(archive, manifest["sha256"])
            secret = archive.read(_SECRET).decode() if _SECRET in archive.namelist() else ""
            archive.extract(_DUMP, folder)
        if _has_shop(url, replace=replace):
            _put_beside(url, folder / _DUMP, manifest, make_ready)
        else:
            _clear(url)
            _fill(url, folder / _DUMP, manifest)
            make_ready(url)
    return _told(manifest, path), secret


def _fill(url: str, dump: Path, manifest: dict[str, Any]) -> None:
    """Put a dump into an empty database, in one transaction, and compare what came out."""
    _run(url, "pg_restore", "--no-owner", "--exit-on-error", "--single-transaction", str(dump))
    with psycopg.connect(_plain(url)) as connection:
        found = _manifest(connection)
    if (found["rows"], found["record"]) != (manifest["rows"], manifest["record"]):
        raise SetupError("What came out of the backup is not what it says it holds. Take another one.")


_ASIDE = "before_restore_"


def _put_beside(url: str, dump: Path, manifest: dict[str, Any], make_ready: Callable[[str], None]) -> None:
    """Fill a database beside the one that is there; once it is good, they change names. A failure leaves all as it was."""
    name = make_url(url).database or ""
    beside, aside = f"{name}_restoring"[-63:], f"{_ASIDE}{name}"[:63]
    template = "CREATE DATABASE {} TEMPLATE template0 ENCODING 'UTF8'"
    with psycopg.connect(_plain(_named(url, "postgres")), autocommit=True) as server:
        drop = sql.SQL("DROP DATABASE IF EXISTS {} WITH (FORCE)")
        try:
            server.execute(drop.format(sql.Identifier(beside)))
            server.execute(sql.SQL(template).format(sql.Identifier(beside)))
        except psycopg.errors.InsufficientPrivilege as error:
            problem = "This database role may make no database, in which the backup would be checked first."
            raise SetupError(f"{problem} Nothing was changed. Restore into an empty database instead.") from error
        try:
            there = _named(url, beside)
            _clear(there)
            _fill(there, dump, manifest)
            make_ready(there)
            server.execute(drop.format(sql.Identifier(aside)))
            with server.transaction():
                for old, new in ((name, aside), (beside, name)):
                    rename = sql.SQL("ALTER DATABASE {} RENAME TO {}")
                    server.execute(rename.format(sql.Identifier(old), sql.Identifier(new)))
        except psycopg.errors.ObjectInUse as error:
            server.execute(drop.format(sql.Identifier(beside)))
            raise SetupError("Somebody works on this database. Stop the server first; nothing was changed.") from error
        except BaseException:
            server.execute(drop.format(sql.Identifier(beside)))
            raise


def _named(url: str, database: str) -> str:
    """The same server's address, with another database."""
    return make_url(url).set(database=database).render_as_string(hide_password=False)


def _read_manifest(archive: zipfile.ZipFile, path: Path) -> dict[str, Any]:
    try:
        manifest: dict[str, Any] = json.loads(archive.read(_MANIFEST))
        if manifest["kind"] != _KIND or manifest["version"] != 1:
            raise ValueError
        tables = str(manifest["tables"])
    except (ValueError, KeyError, TypeError) as error:
        raise BadFileError(path.name, "It is no backup of Iron Gauge.", "Take another file.") from error
    if tables > NEWEST:
        problem = f"It was made by a newer Iron Gauge: its tables are {tables}, and this program knows {NEWEST}."
        raise BadFileError(path.name, problem, "Restore it with the newer program.")
    return manifest


def _has_shop(url: str, *, replace: bool) -> bool:
    """True where a shop is there that gives way; refused where it does not, and where somebody works there."""
    with psycopg.connect(_plain(url)) as connection:
        others = connection.execute(
            "SELECT count(*) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()"
        ).fetchone()
        if others is not None and others[0]:
            raise SetupError("Somebody works on this database. Stop the server first; nothing was changed.")
        there = connection.execute("SELECT to_regclass('public.shop')").fetchone()
        if there is None or there[0] is None:
            return False
        shop = connection.execute("SELECT name FROM shop ORDER BY made_at LIMIT 1").fetchone()
        if shop is not None and not replace:
            raise SetupError(
                f"There is a shop in this database: {shop[0]}. Nothing was changed. Say --replace if the backup is to take "
                "its place; back it up first."
            )
        return shop is not None


def _clear(url: str) -> None:
    """Make room in a database without a shop."""
    with psycopg.connect(_plain(url)) as connection:
        connection.execute("DROP SCHEMA IF EXISTS queue CASCADE")
        connection.execute("DROP SCHEMA public CASCADE")
        connection.execute("CREATE SCHEMA public")


def _plain(url: str) -> str:
    return url.replace("+psycopg", "").replace("postgres://", "postgresql://", 1)


def _digest(path: Path) -> str:
    with path.open("rb") as file:
        return hashlib.file_digest(file, "sha256").hexdigest()


def _run(url: str | None, tool: str, *arguments: str) -> None:
    """Run one of PostgreSQL's tools; a password goes by its environment, where no list of processes shows it."""
    environment = dict(os.environ)
    command = [str(find_bin() / tool), *arguments]
    if url is not None:
        parts = make_url(_plain(url))
        if parts.password is not None:
            environment["PGPASSWORD"] = str(parts.password)
        without = parts._replace(password=None)  # `set` leaves alone what is None
        command.append(f"--dbname={without.render_as_string(hide_password=False)}")
    done = subprocess.run(command, env=environment, capture_output=True, text=True, check=False)
    if done.returncode != 0:
        said = (done.stderr or done.stdout).strip().splitlines()
        raise SetupError(f"{tool} failed: {' / '.join(said[-3:])[-400:]}")
