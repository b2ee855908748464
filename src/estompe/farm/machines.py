"""Workers: processes on this machine, or a scheduler somewhere else."""

import contextlib
import logging
import os
import re
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any, NamedTuple

from estompe.farm import worker
from estompe.files.progress import ExchangeError

_PATIENCE = "20s"
_TRIES, _PAUSE = 20, 0.5
_HERE = "127.0.0.1"
# Nothing but the scheduler and its workers listens: no pages, no measurements.
_NO_PAGES: dict[str, list[str]] = {f"distributed.{part}.http.routes": [] for part in ("scheduler", "worker", "nanny")}


class Tls(NamedTuple):
    """Files of certificates (PEM) with which a scheduler is reached: who signed all of them, one's own, and its key."""

    ca: str
    cert: str
    key: str


def check_machines(text: str) -> None:
    """Raise ExchangeError for what is neither a number of processes nor the address of a scheduler."""
    if not re.fullmatch(r"[1-9]\d{0,3}|(tcp|tls)://[^\s/]+:\d{1,5}", text):
        raise ExchangeError(f"--machines {text}: use a number of processes, or tls://HOST:PORT")


def threads_of(machines: str) -> int:
    """How many threads a worker computes with: its share of this machine, or all it has elsewhere (0)."""
    return max(1, (os.cpu_count() or 1) // int(machines)) if machines.isdigit() else 0


def warning_of(machines: str) -> str:
    """What a person should know before work is sent, or nothing."""
    if not machines.startswith("tcp://"):
        return ""
    return (
        f"{machines} is not encrypted, and asks nobody who they are: whoever reaches it can run programs as you and as its "
        "workers; use tls:// with --tls-ca, --tls-cert and --tls-key"
    )


@contextmanager
def client_of(machines: str, tls: Tls | None = None) -> Iterator[Any]:
    """A client of so many private processes on this machine, or of a scheduler.

    tls: for a scheduler at tls://; where none are given, those that the library is configured with. Raises ExchangeError where
    the library is not installed, the scheduler cannot be reached, it has no workers, or one of them has another version or runs
    several tasks at once.
    """
    check_machines(machines)
    try:
        import dask
        from distributed import Client, LocalCluster
        from distributed.security import Security
    except ImportError:
        raise ExchangeError("several machines need the package “distributed”: pip install 'estompe[farm]'") from None
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    with contextlib.ExitStack() as stack:
        stack.enter_context(dask.config.set(_NO_PAGES))
        if machines.isdigit():
            # Keys of this run alone, which no file holds: other programs of this machine cannot talk to it.
            security = Security.temporary()
            where: Any = stack.enter_context(
                LocalCluster(
                    n_workers=int(machines),
                    threads_per_worker=1,
                    host=_HERE,
                    protocol="tls://",
                    security=security,
                    dashboard_address=f"{_HERE}:0",
                    worker_dashboard_address=f"{_HERE}:0",
                    silence_logs=logging.CRITICAL,
                )
            )
        else:
            where, security = machines, _security(tls)
        try:
            client = stack.enter_context(Client(where, security=security, timeout=_PATIENCE, set_as_default=False))
        except (OSError, TimeoutError, ValueError) as error:
            raise ExchangeError(
                f"{machines}: the scheduler cannot be reached ({error or 'it does not answer'})"
            ) from None
        if machines.isdigit():
            _close_pages(where, client)
        _check_workers(client, machines)
        yield client


def _security(tls: Tls | None) -> Any:
    from distributed.security import Security

    if tls is None:
        return None
    for name in tls:
        if not os.path.isfile(name):
            raise ExchangeError(f"{name}: there is no such file of a certificate or key")
    return Security(tls_ca_file=tls.ca, tls_client_cert=tls.cert, tls_client_key=tls.key, require_encryption=True)


def _close_pages(cluster: Any, client: Any) -> None:
    """Close the ports on which the library would show pages: nothing is shown there."""
    cluster.scheduler.http_server.stop()
    client.run(_close_own_pages)


def _close_own_pages(dask_worker: Any) -> None:
    dask_worker.http_server.stop()


def _own_version() -> str:
    return worker.version()


def answers(client: Any, function: Callable[..., Any], *arguments: object) -> dict[str, Any]:
    """What a function gives on every worker, by address, or what it raises there.

    A worker that dies just then is asked again, when it is started anew or the scheduler knows that it is gone.
    """
    for _ in range(_TRIES):
        found: dict[str, Any] = client.run(function, *arguments, on_error="return")
        if not any(isinstance(answer, OSError) for answer in found.values()):
            break
        time.sleep(_PAUSE)
    return found


def _check_workers(client: Any, machines: str) -> None:
    found = answers(client, worker.version)
    if not found:
        raise ExchangeError(f"{machines}: the scheduler has no workers: start some, then give the same command again")
    own = _own_version()
    for address, theirs in found.items():
        if not isinstance(theirs, str):
            raise ExchangeError(f"the worker {address} does not have this program: install it there ({theirs})")
        if theirs != own:
            raise ExchangeError(
                f"the worker {address} has version {theirs}, and here is {own}: install the same everywhere"
            )
    for address, about in client.scheduler_info()["workers"].items():
        if int(about.get("nthreads", 1)) > 1:
            raise ExchangeError(
                f"the worker {address} runs {about['nthreads']} tasks at once: start it with --nthreads 1, since its kernels use "
                "all cores"
            )
