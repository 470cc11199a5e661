"""Work that no page waits for: a queue in the database, told apart by shop, from which any worker of any machine takes.

Procrastinate keeps it in a schema of its own. A worker that is killed shows no longer that it lives; what it held is begun again.
"""

from __future__ import annotations

import asyncio
import contextlib
from typing import TYPE_CHECKING
from uuid import UUID

import structlog

from irongauge.settings import Settings
from irongauge.store.database import Database
from irongauge.workflows.pulse.captures import read_waiting_capture
from irongauge.workflows.shop.backups import keep_backing_up
from irongauge.workflows.trace.logs import judge_again, read_waiting

if TYPE_CHECKING:
    from procrastinate import App

__all__ = ["judge_later", "read_capture_later", "read_later", "run_worker", "take_up", "work_off"]

log = structlog.get_logger()

_OPTIONS = "-c search_path=queue,public"
_BEAT_S, _GONE_S, _LOOK_S = 2.0, 8.0, 5.0


def _address(database: Database) -> str:
    return database.engine.url.render_as_string(hide_password=False).replace("+psycopg", "")


def _put(database: Database, task: str, uid: UUID, shop_uid: UUID) -> None:
    """Put a task into the queue of a shop, once as long as it waits there."""
    from procrastinate import App, SyncPsycopgConnector
    from procrastinate.exceptions import AlreadyEnqueued

    app = App(
        connector=SyncPsycopgConnector(
            conninfo=_address(database), kwargs={"options": _OPTIONS}, min_size=1, max_size=1
        )
    )
    with app.open(), contextlib.suppress(AlreadyEnqueued):
        job = app.configure_task(task, queue=str(shop_uid), lock=str(uid), queueing_lock=f"{task} {uid}")
        job.defer(uid=str(uid))


def read_later(database: Database, uid: UUID, shop_uid: UUID) -> None:
    """Have a log read by a worker."""
    _put(database, "read_log", uid, shop_uid)


def read_capture_later(database: Database, uid: UUID, shop_uid: UUID) -> None:
    """Have a capture read by a worker."""
    _put(database, "read_capture", uid, shop_uid)


def judge_later(database: Database, uid: UUID, shop_uid: UUID) -> None:
    """Have a log judged again by a worker."""
    _put(database, "judge_log", uid, shop_uid)


def _worker_app(database: Database) -> App:
    from procrastinate import App, PsycopgConnector

    app = App(
        connector=PsycopgConnector(conninfo=_address(database), kwargs={"options": _OPTIONS}, min_size=1, max_size=4)
    )

    @app.task(name="read_log")
    def read_log(uid: str) -> None:
        read_waiting(database, UUID(uid))

    @app.task(name="read_capture")
    def read_capture(uid: str) -> None:
        read_waiting_capture(database, UUID(uid))

    @app.task(name="judge_log")
    def judge_log(uid: str) -> None:
        judge_again(database, UUID(uid))

    return app


def run_worker(url: str, settings: Settings) -> None:
    """Take work from the queue until the process is stopped; and make the backups that are due, but for the demo's."""
    database = Database(url)
    try:
        if not settings.demo_people:
            keep_backing_up(database, settings)
        _put_forgotten(database)
        asyncio.run(_work(database, waits=True))
    finally:
        database.close()


def _put_forgotten(database: Database) -> None:
    """Put what waits and is not in it into the queue: its server was killed just after it had kept it."""
    with database.unit() as store:
        shop = store.shops.first()
        waiting, captures = store.traces.waiting(), store.pulses.all_waiting()
    if shop is not None:
        for uid in waiting:
            read_later(database, uid, shop.uid)
        for uid in captures:
            read_capture_later(database, uid, shop.uid)


def work_off(database: Database) -> None:
    """Do what waits in the queue now, and come back."""
    asyncio.run(_work(database, waits=False))


def take_up(database: Database) -> None:
    """Begin again what workers held that are gone."""

    async def once() -> None:
        app = _worker_app(database)
        async with app.open_async():
            await _take_up_once(app)

    asyncio.run(once())


async def _work(database: Database, *, waits: bool) -> None:
    app = _worker_app(database)
    async with app.open_async():
        looker = asyncio.create_task(_keep_taking_up(app)) if waits else None
        try:
            await app.run_worker_async(
                wait=waits,
                concurrency=1,
                install_signal_handlers=waits,
                fetch_job_polling_interval=_LOOK_S,
                update_heartbeat_interval=_BEAT_S,
                stalled_worker_timeout=_GONE_S,
                delete_jobs="successful",
            )
        finally:
            if looker is not None:
                looker.cancel()


async def _keep_taking_up(app: App) -> None:
    """Begin again, every now and then, what workers held that are gone."""
    while True:
        with contextlib.suppress(Exception):  # the database may be away for a moment; the next look finds it
            await _take_up_once(app)
        await asyncio.sleep(_LOOK_S)


async def _take_up_once(app: App) -> None:
    """Begin again what workers held that are gone; where the same work waits in the queue already, that is enough."""
    from procrastinate.exceptions import ConnectorException
    from procrastinate.jobs import Status

    for job in await app.job_manager.get_stalled_jobs(seconds_since_heartbeat=_GONE_S):
        log.info("work taken up again", task=job.task_name)
        try:
            await app.job_manager.retry_job(job)
        except (
            ConnectorException
        ):  # the lock of what waits forbids a second one; the first would keep it waiting for ever
            await app.job_manager.finish_job(job, status=Status.FAILED, delete_job=True)
