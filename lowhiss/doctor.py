"""``lowhiss doctor``: what an installation needs, looked at one by one; a line each, and a sentence to mend it."""

from __future__ import annotations

import datetime as dt
import shutil
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from pathlib import Path

from cryptography import x509
from sqlalchemy import select, text

from lowhiss import sandbox
from lowhiss.exchange.keys import KeyFileError, KeyFiles
from lowhiss.service.backing_services import BackingService, look_at_dask, look_at_redis, look_at_replica
from lowhiss.service.copies import LATE_AFTER, copies_of
from lowhiss.service.seals import signing, verification
from lowhiss.store.engine import Store, current_revision, head_revision
from lowhiss.store.run_models import RunRow
from lowhiss.store.seal_models import SealRow

_LEAST_FREE_MB = 2_000
_CLOCKS_S = 5.0
_SOON = dt.timedelta(days=21)


@dataclass(frozen=True, slots=True)
class Finding:
    """One line. mend : what to do; empty where all is well."""

    name: str
    said: str
    mend: str = ""

    @property
    def line(self) -> str:
        return (
            f"{'ok  ' if not self.mend else 'BAD '} {self.name:<12} {self.said}{f'. {self.mend}' if self.mend else ''}"
        )


def examine(
    store: Store, data: Path, backups: Path, keys: KeyFiles, certificate: Path | None, now: dt.datetime
) -> Iterator[Finding]:
    """Everything that can be seen from here. What cannot be looked at is a finding too, never an error."""
    looks: list[tuple[str, Callable[[], Finding]]] = [
        ("programs", _programs),
        ("sandbox", lambda: _sandbox(keys)),
        ("tables", lambda: _tables(store)),
        ("space", lambda: _space(data, "data directory")),
        ("space", lambda: _space(backups, "copies")),
        ("copies", lambda: _copies(store, now)),
        ("keys", lambda: _keys(keys)),
        ("chain", lambda: _chain(store, keys)),
        ("clock", lambda: _clock(store, now)),
        ("replica", lambda: _backing(look_at_replica(store))),
        ("redis", lambda: _backing(look_at_redis())),
        ("dask", lambda: _backing(look_at_dask())),
    ]
    if certificate is not None:
        looks.append(("certificate", lambda: _certificate(certificate, now)))
    for name, look in looks:
        try:
            yield look()
        except Exception as error:  # whatever is broken is what is to be told
            yield Finding(name, f"could not be checked ({type(error).__name__})", "See the server's log.")


def _backing(service: BackingService) -> Finding:
    return Finding(service.name, service.text, service.advice)


def _programs() -> Finding:
    missing = [one for one in ("mariadb-dump", "mariadb") if shutil.which(one) is None]
    if missing:
        return Finding(
            "programs", f"{', '.join(missing)} not found", "Install the Debian package mariadb-client: backups need it."
        )
    return Finding("programs", "MariaDB's tools are installed")


def _sandbox(keys: KeyFiles) -> Finding:
    try:
        sandbox.probe(sorted(keys.directory.glob("*.pem")))
    except sandbox.SandboxMissingError as error:
        mend = "Uploads are refused until then: install bubblewrap, and allow user namespaces."
        return Finding("sandbox", str(error).rstrip("."), mend)
    return Finding("sandbox", "uploaded files are read without access to network, keys or database")


def _tables(store: Store) -> Finding:
    here, newest = current_revision(store.engine), head_revision()
    if here != newest:
        return Finding(
            "tables", f"at revision {here}, this release has {newest}", "Start Low Hiss once to update the tables."
        )
    return Finding("tables", f"at revision {here}")


def _space(directory: Path, what: str) -> Finding:
    nearest = next(one for one in (directory, *directory.parents) if one.exists())
    free_mb = shutil.disk_usage(nearest).free // 2**20
    said = f"{free_mb} MB free where the {what} is" if what == "data directory" else f"{free_mb} MB free for {what}"
    return Finding(
        "space", said, "" if free_mb >= _LEAST_FREE_MB else "Free some space: with a full disk no marks are saved."
    )


def _copies(store: Store, now: dt.datetime) -> Finding:
    known = copies_of(store)
    if known.at is None and not known.why:
        return Finding("copies", "none yet", "Start Low Hiss, which makes one a day, or run lowhiss backup FILE.")
    said = f"last successful: {known.at:%Y-%m-%d %H:%M} UTC" if known.at else "no successful one"
    if known.why:
        return Finding(
            "copies", f"{said}; the latest attempt failed: {known.why}", "Fix that, then run lowhiss backup FILE."
        )
    late = known.at is not None and now - known.at > LATE_AFTER
    return Finding("copies", said, "Find out why none was made since. Run lowhiss backup FILE now." if late else "")


def _keys(keys: KeyFiles) -> Finding:
    try:
        key = keys.in_use()
    except KeyFileError as error:
        return Finding("keys", "the signing key can't be used", str(error))
    if key is None:
        mend = "Restore the keys from their backup, then start."
        return Finding("keys", f"{keys.directory} has no key in use", mend)
    loose = [one.name for one in keys.directory.glob("*.pem") if one.stat().st_mode & 0o077]
    if loose:
        return Finding("keys", f"{', '.join(loose)} can be read by others", f"Run chmod 600 on it in {keys.directory}.")
    return Finding("keys", f"{key.id} is in use; keep a copy of {keys.directory} away from the backups")


def _chain(store: Store, keys: KeyFiles) -> Finding:
    place, sha256, _ = signing.head(store)
    heads = keys.saved_heads()
    if heads.get(place, sha256) != sha256 or max(heads, default=0) > place:
        most = max(heads, default=0)
        return Finding("chain", f"ends at {place}, but {most} seals were made", "Run lowhiss verify --all.")
    with store.transaction() as session:
        runs = session.scalars(
            select(SealRow.run_id).where(SealRow.run_id.is_not(None)).order_by(SealRow.place.desc()).limit(20)
        ).all()
    wrong = [one for run in dict.fromkeys(runs) for one in verification.verify_run(store, str(run)) if not one.notice]
    if wrong:
        return Finding("chain", f"seal {wrong[0].place}: {wrong[0].sentence}", "Run lowhiss verify --all.")
    return Finding("chain", f"{place} seals; the latest ones and their rows are unchanged")


def _clock(store: Store, now: dt.datetime) -> Finding:
    with store.engine.connect() as connection:
        theirs = connection.execute(text("SELECT UTC_TIMESTAMP(6)")).scalar_one().replace(tzinfo=dt.UTC)
    with store.transaction() as session:
        latest = session.scalar(select(SealRow.sealed_at).order_by(SealRow.place.desc()).limit(1))
        heard = session.scalar(select(RunRow.received_at).order_by(RunRow.started_at.desc()).limit(1))
    apart_s = abs((theirs - now).total_seconds())
    if apart_s > _CLOCKS_S:
        return Finding("clock", f"{apart_s:.0f} s from the database's", "Set both clocks, preferably with NTP.")
    ahead = [one for one in (latest, heard) if one is not None and one - now > dt.timedelta(seconds=_CLOCKS_S)]
    if ahead:
        return Finding("clock", f"was set back: data was saved at {max(ahead):%Y-%m-%d %H:%M} UTC", "Set the clock.")
    return Finding("clock", "agrees with the database's")


def _certificate(path: Path, now: dt.datetime) -> Finding:
    try:
        until = x509.load_pem_x509_certificate(path.read_bytes()).not_valid_after_utc
    except (OSError, ValueError):
        return Finding("certificate", f"{path} can't be read", "Give the certificate file in PEM format.")
    said = f"valid until {until:%Y-%m-%d}"
    return Finding("certificate", said, "Renew it, then restart Low Hiss." if until - now < _SOON else "")
