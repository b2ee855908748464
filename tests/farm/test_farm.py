"""Several machines: worker processes here, one of them killed in the middle, and the same bits as one process makes."""

import os
import re
import signal
import threading
from types import SimpleNamespace

import pytest
from distributed import LocalCluster
from msgspec import structs
from pxr import Sdf
from tests.scenes import one_push

from estompe import cli
from estompe.baking.manifest import only_run
from estompe.document import edits, file
from estompe.document.project import Project
from estompe.evaluation import CancelledError
from estompe.exchange import sequence
from estompe.exchange.usd.joining import LayerPart, join_layers
from estompe.exchange.usd.over import write_over
from estompe.exchange.writers import usd
from estompe.falloffs.after_glow import AfterGlow
from estompe.farm import machines, worker
from estompe.farm import run as farm_run
from estompe.farm.job import chunk_size, chunks, remembers
from estompe.farm.run import run as run_spec
from estompe.importing import ExchangeError
from estompe.importing.footage import close_all
from estompe.output import pictures
from estompe.output.painter import Settings
from estompe.output.spec import OutputSpec
from estompe.samples import sample

pytestmark = pytest.mark.filterwarnings("ignore::ResourceWarning", "ignore::pytest.PytestUnraisableExceptionWarning")


def run(project, first, last, target, kind, machines, progress=lambda *_: None, states=None, **more):
    """Send a run whose parts are told one by one."""
    to_farm = {name: more.pop(name) for name in ("tls", "tell") if name in more}
    only = more.pop("only", None)
    spec = OutputSpec(
        kind=kind, target=str(target), first=first, last=last, drawing=more.pop("settings", None),
        only=None if only is None else tuple(only), **more,
    )  # fmt: skip
    return run_spec(project, spec, machines, progress, states, **to_farm)


@pytest.fixture(scope="module")
def cluster():
    """Two worker processes that start again when they die."""
    with LocalCluster(n_workers=2, threads_per_worker=1, dashboard_address=":0", silence_logs=50) as made:
        yield made


@pytest.fixture
def address(cluster):
    return cluster.scheduler_address


def text_of(path):
    return Sdf.Layer.FindOrOpen(str(path)).ExportToString()


def one_and_many(project, tmp_path, address, kind="scene"):
    """The layers that one process and several make, as text."""
    write = write_over if kind == "over" else usd.write
    write(project, 1, 20, tmp_path / "one.usda")
    assert run(project, 1, 20, tmp_path / "many.usda", kind, address, states=tmp_path / "states") == 20
    return text_of(tmp_path / "one.usda"), text_of(tmp_path / "many.usda")


def test_frames_are_cut_into_runs_that_follow_each_other():
    assert chunks([1, 2, 3, 4, 7, 8, 10], 3) == [(1, 3), (4, 4), (7, 8), (10, 10)]
    assert chunks([], 3) == []
    assert chunk_size(100, 2) == 13
    assert chunk_size(3, 8) == 1
    assert chunk_size(10_000, 2) == 24


def test_a_bake_is_what_one_process_makes(small_sample, tmp_path, address):
    one, many = one_and_many(small_sample, tmp_path, address)
    assert one == many
    assert sorted(path.name for path in tmp_path.iterdir() if path.name != "states") == ["many.usda", "one.usda"]


def test_an_over_is_what_one_process_makes(tmp_path, address):
    try:
        one, many = one_and_many(sample("storm-crossing").build(), tmp_path, address, "over")
        assert one == many
    finally:
        close_all()


def test_what_remembers_is_worked_out_in_order_and_comes_out_the_same(tmp_path, address):
    scene = one_push().scene
    glow = edits.put(scene, ("falloffs", "near", "layers", "reach", "source"), AfterGlow(falloff="spot", half=4.0))
    spot = structs.replace(
        scene.falloffs[0], id="spot", name="Spot", layers=(structs.replace(scene.falloffs[0].layers[0], id="s"),)
    )
    project = Project(structs.replace(glow, falloffs=(*glow.falloffs, spot)))
    assert remembers(project.scene)
    assert not remembers(scene)
    one, many = one_and_many(project, tmp_path, address)
    assert one == many
    assert list((tmp_path / "states").iterdir()), "states are where the next run finds them"


def test_mesh_files_and_pictures_are_the_same_files(small_sample, tmp_path, address):
    settings = Settings((64, 40), layers=("depth",))
    pictures.write(small_sample, 1, 6, tmp_path / "one.####.exr", settings)
    run(small_sample, 1, 6, tmp_path / "many.####.exr", "pictures", address, settings=settings)
    for number in range(1, 7):
        assert (tmp_path / f"one.{number:04d}.exr").read_bytes() == (tmp_path / f"many.{number:04d}.exr").read_bytes()
    sequence.write(small_sample, 1, 4, tmp_path / "one", "ply")
    run(small_sample, 1, 4, tmp_path / "many", "meshes", address, mesh_format="ply")
    names = sorted(path.name for path in (tmp_path / "one").iterdir())
    assert sorted(path.name for path in (tmp_path / "many").iterdir()) == names
    assert all((tmp_path / "one" / name).read_bytes() == (tmp_path / "many" / name).read_bytes() for name in names)


def test_a_worker_that_dies_costs_its_chunk_only(small_sample, tmp_path, cluster, address):
    usd.write(small_sample, 1, 40, tmp_path / "one.usda")
    killed = []

    def kill(_fraction, text):
        if re.match(r"[1-9]\d* of", text) and not killed:
            killed.append(next(iter(cluster.workers.values())).process.pid)
            os.kill(killed[0], signal.SIGKILL)

    assert run(small_sample, 1, 40, tmp_path / "many.usda", "scene", address, kill) == 40
    assert killed
    assert text_of(tmp_path / "one.usda") == text_of(tmp_path / "many.usda")


def test_a_result_that_died_with_its_worker_is_waited_for(small_sample, monkeypatch):
    """Its future is lost until another worker has computed the chunk again; the run goes on."""
    monkeypatch.setattr(farm_run, "_TICK", 0.0)
    states = iter(["pending", "lost", "lost", "finished"])

    class Future:
        status = property(lambda _: next(states))

    class Client:
        status = "running"

        def scheduler_info(self):
            return {"workers": {}}

    nothing = SimpleNamespace()
    following = farm_run._Run(Client(), nothing, small_sample.scene, nothing, lambda *_: None, print, print)
    future = Future()
    assert list(following._finished({future: (1, 2)})) == [future]
    assert next(states, "asked to the end") == "asked to the end"


def test_a_worker_that_is_just_going_away_is_asked_again(monkeypatch):
    """The scheduler may not know yet that a worker died: that is no reason to refuse all of them."""
    monkeypatch.setattr(machines, "_PAUSE", 0.0)
    told = [{"a": ConnectionResetError("reset"), "b": "1.0"}, {"b": "1.0"}]

    class Client:
        def run(self, function, *arguments, on_error):
            assert (function, arguments, on_error) == (worker.version, ("x",), "return")
            return told.pop(0)

    assert machines.answers(Client(), worker.version, "x") == {"b": "1.0"}
    assert told == []
    broken = {"a": ConnectionResetError("reset")}
    client = Client()
    client.run = lambda *_, **__: broken
    assert machines.answers(client, worker.version) == broken


def test_the_same_command_goes_on_where_a_run_was_stopped(tmp_path, address):
    target, project = tmp_path / "a.usda", sample("lantern-amphora").build(0.25)

    def stop(fraction, _text):
        if 0 < fraction < 1:
            raise CancelledError

    with pytest.raises(CancelledError):
        run(project, 1, 60, target, "scene", address, stop)
    assert not target.exists()
    assert (tmp_path / ".a.usda.parts").is_dir()
    made = run(project, 1, 60, target, "scene", address)
    assert 0 < made < 60
    usd.write(project, 1, 60, tmp_path / "one.usda")
    assert text_of(target) == text_of(tmp_path / "one.usda")
    assert not (tmp_path / ".a.usda.parts").exists(), "what is whole is not gone on from"


def test_what_cannot_be_evaluated_is_said_with_its_frames(tmp_path, address):
    project = one_push()
    broken = edits.put(project.scene, ("falloffs", "near", "layers", "reach", "source", "control"), "nobody")
    with pytest.raises(ExchangeError, match=r"frames \d+–\d+ cannot be made: the scene cannot be baked: “Near”"):
        run(project.with_scene(broken), 1, 8, tmp_path / "a.usda", "scene", address)
    assert not (tmp_path / "a.usda").exists()


def test_two_runs_into_one_place_are_refused(small_sample, tmp_path, address):
    with only_run(tmp_path / "a.usda"), pytest.raises(ExchangeError, match="another run is writing there"):
        run(small_sample, 1, 2, tmp_path / "a.usda", "scene", address)


def test_machines_that_cannot_be_used_are_told(small_sample, tmp_path, address, monkeypatch):
    for text in ("0", "two", "http://x:1", "tcp://nohost"):
        with pytest.raises(ExchangeError, match="use a number of processes, or tls://HOST:PORT"):
            run(small_sample, 1, 2, tmp_path / "a.usda", "scene", text)
    monkeypatch.setattr(machines, "_PATIENCE", "1s")
    with pytest.raises(ExchangeError, match="the scheduler cannot be reached"):
        run(small_sample, 1, 2, tmp_path / "a.usda", "scene", "tcp://127.0.0.1:9")
    monkeypatch.setattr(machines, "_own_version", lambda: "0.0.1, scene files 1")
    with pytest.raises(ExchangeError, match=r"has version .* and here is 0\.0\.1"):
        run(small_sample, 1, 2, tmp_path / "a.usda", "scene", address)
    assert worker.version() != "0.0.1, scene files 1"


def test_what_one_process_refuses_is_refused_before_any_work_is_sent(small_sample, tmp_path):
    settings = Settings((64, 40), layers=("depth",))
    for target, words in (("a.##.png", "layers need .exr"), ("a.png", "write # where"), ("a.##.jpg", "end it in")):
        with pytest.raises(ExchangeError, match=words):
            run(small_sample, 1, 2, tmp_path / target, "pictures", "2", settings=settings)
    assert not list(tmp_path.iterdir())


def test_the_command_line_bakes_on_several_machines(small_sample, tmp_path, address, capsys):
    file.save(small_sample, tmp_path / "a.estompe")
    words = [
        "bake",
        str(tmp_path / "a.estompe"),
        "--frames",
        "1-4",
        "--out",
        str(tmp_path / "a.usdc"),
        "--machines",
        address,
    ]
    assert cli.main(words) == 0
    assert "4 frames made, 4 in" in capsys.readouterr().out
    words = [
        "render",
        str(tmp_path / "a.estompe"),
        "--frames",
        "1-2",
        "--size",
        "64x40",
        "--out",
        str(tmp_path / "p.##.png"),
    ]
    assert cli.main([*words, "--machines", address]) == 0
    assert sorted(path.name for path in tmp_path.glob("*.png")) == ["p.01.png", "p.02.png"]


def test_layers_are_joined_by_values_whatever_the_cuts(small_sample, tmp_path):
    usd.write(small_sample, 1, 12, tmp_path / "one.usda")
    for size in (1, 5, 12):
        parts = []
        for first, last in chunks(list(range(1, 13)), size):
            part = LayerPart(tmp_path / f"{size}-{first}.usdc", first, last)
            usd.write(small_sample, first, last, part.path)
            parts.append(part)
        join_layers(parts, tmp_path / f"all-{size}.usda", 1.0, None)
        assert text_of(tmp_path / f"all-{size}.usda") == text_of(tmp_path / "one.usda"), size


def test_processes_of_its_own_leave_this_one_as_it_was(small_sample, tmp_path):
    before = dict(os.environ)
    assert run(small_sample, 1, 3, tmp_path / "a.usda", "scene", "2") == 3
    assert dict(os.environ) == before
    usd.write(small_sample, 1, 3, tmp_path / "one.usda")
    assert text_of(tmp_path / "a.usda") == text_of(tmp_path / "one.usda")


def test_no_thread_of_ours_is_left(small_sample, tmp_path, address):
    run(small_sample, 1, 2, tmp_path / "a.usda", "scene", address)
    assert not [thread.name for thread in threading.enumerate() if thread.name.startswith("estompe-")]


def _listening() -> set[tuple[str, int]]:
    """Where processes of this run and its children listen: addresses and ports."""
    import psutil

    me = psutil.Process()
    found = set()
    for process in (me, *me.children(recursive=True)):
        for connection in process.net_connections("inet"):
            if connection.status == psutil.CONN_LISTEN:
                found.add((connection.laddr.ip, connection.laddr.port))
    return found


def test_nobody_else_can_talk_to_processes_of_this_machine():
    import urllib.error
    import urllib.request

    from distributed import Client
    from distributed.security import Security

    before = _listening()
    with machines.client_of("2") as client:
        mine = _listening() - before
        assert mine
        assert {address for address, _ in mine} == {"127.0.0.1"}
        address = client.scheduler.address
        for foreign, security in ((address.replace("tls://", "tcp://"), None), (address, Security.temporary())):
            with pytest.raises((OSError, TimeoutError)):
                Client(foreign, security=security, timeout="3s", set_as_default=False)
        for host, port in mine:
            with pytest.raises((urllib.error.URLError, OSError)):
                urllib.request.urlopen(f"http://{host}:{port}/", timeout=2).read()
        assert client.submit(pow, 2, 5).result() == 32


def test_a_scheduler_without_keys_is_said_to_be_open(small_sample, tmp_path, address):
    told = []
    assert run(small_sample, 1, 2, tmp_path / "a.usda", "scene", address, tell=told.append, states=tmp_path) == 2
    assert "can run programs as you" in told[0]
    assert machines.warning_of("tls://host:8786") == machines.warning_of("4") == ""


def test_a_worker_that_runs_several_tasks_at_once_is_refused():
    with LocalCluster(n_workers=1, threads_per_worker=2, dashboard_address=":0", silence_logs=50) as made:
        refused = machines.client_of(made.scheduler_address)
        with pytest.raises(ExchangeError, match="runs 2 tasks at once"):
            refused.__enter__()


def test_a_scheduler_that_ends_is_told_in_one_line(small_sample, tmp_path):
    made = LocalCluster(n_workers=1, threads_per_worker=1, dashboard_address=":0", silence_logs=50)
    try:

        def progress(fraction, _text):
            if fraction > 0.0:
                made.close()

        with pytest.raises(ExchangeError, match="the scheduler has ended"):
            run(
                small_sample, 1, 60, tmp_path / "a.usda", "scene", made.scheduler_address, progress, tmp_path / "states"
            )
    finally:
        made.close()
