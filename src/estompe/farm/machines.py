"""Workers: processes on this machine, or a scheduler somewhere else."""

import contextlib
import logging
import os
import re
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from estompe.farm import worker
from estompe.importing.errors import ExchangeError

_PATIENCE = "20s"
_TRIES, _PAUSE = 20, 0.5


def check_machines(text: str) -> None:
    """Raise ExchangeError for what is neither a number of processes nor the address of a scheduler."""
    if not re.fullmatch(r"[1-9]\d{0,3}|(tcp|tls)://[^\s/]+:\d{1,5}", text):
        raise ExchangeError(f"--machines {text}: use a number of processes, or tcp://HOST:PORT")


def threads_of(machines: str) -> int:
    """How many threads a worker computes with: its share of this machine, or all it has elsewhere (0)."""
    return max(1, (os.cpu_count() or 1) // int(machines)) if machines.isdigit() else 0


@contextmanager
def client_of(machines: str) -> Iterator[Any]:
    """A client of so many processes here, or of a scheduler.

    Raises ExchangeError where the library is not installed, the scheduler cannot be reached, it has no workers, or one of them
    has another version.
    """
    check_machines(machines)
    try:
        from distributed import Client, LocalCluster
    except ImportError:
        raise ExchangeError("several machines need the package “distributed”: pip install 'estompe[farm]'") from None
    logging.getLogger("distributed").setLevel(logging.CRITICAL)
    with contextlib.ExitStack() as stack:
        if machines.isdigit():
            count = int(machines)
            where: Any = stack.enter_context(
                LocalCluster(
                    n_workers=count, threads_per_worker=1, dashboard_address=":0", silence_logs=logging.CRITICAL
                )
            )
        else:
            where = machines
        try:
            client = stack.enter_context(Client(where, timeout=_PATIENCE, set_as_default=False))
        except (OSError, TimeoutError) as error:
            raise ExchangeError(
                f"{machines}: the scheduler cannot be reached ({error or 'it does not answer'})"
            ) from None
        _check_workers(client, machines)
        yield client


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
