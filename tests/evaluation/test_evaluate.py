"""What is recomputed and what is not; the same bits always."""

import gc
import weakref

import numpy as np
import pytest
from tests.counting import CountingMemo
from tests.scenes import one_push

import estompe
from estompe.document import edits
from estompe.evaluation import CancelledError, Memo, evaluate
from estompe.evaluation.running.pending import Pending
from estompe.kinds.numbers import Key, Keyed
from estompe.samples import lantern_amphora

RAMP_POINT = ("falloffs", "lantern-glow", "ramp", 0, "value")


def _bits(frame) -> bytes:
    return b"".join(frame[shape].points.tobytes() for shape in frame)


def test_the_documented_script(tmp_path, small_sample):
    estompe.save(small_sample, tmp_path / "s.estompe")
    scene = estompe.open(tmp_path / "s.estompe")
    frame = estompe.evaluate(scene, 24)
    assert frame["Amphora"].points.dtype == np.float32
    assert list(frame) == ["Amphora", "Quay"]
    assert 0 <= frame.strength("Amphora", "Lantern glow").max() <= 1


def test_dragging_a_ramp_point_recomputes_nothing_upstream(small_sample):
    memo = CountingMemo()
    evaluate(small_sample, 60, memo).shown("Amphora", "Lantern glow")
    before = memo.computed.copy()
    scene = edits.put(small_sample.scene, RAMP_POINT, 0.8)
    evaluate(small_sample.with_scene(scene), 60, memo).shown("Amphora", "Lantern glow")
    assert memo.computed - before == {"strength": 1, "apply": 1}


def test_moving_a_control_measures_only_what_looks_at_it(small_sample):
    memo = CountingMemo()
    evaluate(small_sample, 60, memo)
    before = memo.computed.copy()
    scene = edits.put(small_sample.scene, ("controls", "swell-line", "transform", "position", 1), 0.4)
    evaluate(small_sample.with_scene(scene), 60, memo)
    assert memo.computed - before == {"measure": 1, "strength": 1, "apply": 1}


def test_renaming_recomputes_nothing(small_sample):
    memo = CountingMemo()
    evaluate(small_sample, 60, memo)
    before = memo.computed.copy()
    scene = edits.put(small_sample.scene, ("falloffs", "lantern-glow", "name"), "Shine")
    evaluate(small_sample.with_scene(scene), 60, memo)
    assert memo.computed == before


def test_still_noise_is_measured_once_for_all_frames(small_sample):
    memo = CountingMemo()
    for frame in range(1, 6):
        evaluate(small_sample, frame, memo)
    scene = small_sample.scene
    ripple = [layer for layer in scene.falloffs[1].layers if layer.id == "ripple"]
    assert ripple[0].source.speed == 0.0
    # each frame: the lantern's distance, its evolving grain, and the crest; the ripple only once
    assert memo.computed["measure"] == 5 * 3 + 1
    assert memo.computed["build"] == 2


def test_the_order_of_frames_and_the_history_do_not_matter(small_sample):
    memo = Memo()
    forwards = {frame: _bits(evaluate(small_sample, frame, memo)) for frame in (1, 30, 77, 144)}
    for frame in (144, 1, 77, 30):
        assert _bits(evaluate(small_sample, frame, Memo())) == forwards[frame]


def test_a_tiny_budget_changes_no_bit(small_sample):
    starved = Memo(budget=1)
    assert _bits(evaluate(small_sample, 50, starved)) == _bits(evaluate(small_sample, 50))
    assert starved.used < 1 << 20


def test_results_are_dropped_oldest_first():
    memo = CountingMemo(budget=100)

    def ask(key):
        pending = Pending()
        memo.node(pending, "zeros", key, lambda: np.zeros(10, np.float32), ())
        for node in pending.waiting:
            node.run()
        memo.keep(pending.waiting)
        memo.take_in()
        return len(pending.waiting)

    assert [ask(key) for key in range(5)] == [1] * 5
    assert [ask(key) for key in (4, 3, 0)] == [0, 0, 1]
    assert [ask(key) for key in (3, 4)] == [0, 1]
    assert memo.used <= 100


def test_keyed_controls_move_the_falloff():
    project = one_push()
    path = ("controls", "lamp", "transform", "position", 0)
    keyed = Keyed((Key(1, 0.6, "linear"), Key(11, 5.0, "linear")))
    moving = project.with_scene(edits.put(project.scene, path, keyed))
    near, far = (evaluate(moving, frame).shown("Sphere", "Near").past_half for frame in (1, 11))
    assert near > 0.1
    assert far == 0.0


def test_the_falloff_is_shown_where_its_effect_measures_it():
    frame = evaluate(one_push(amount=2.0), 1)
    from estompe.shapes import primitives

    undeformed = np.linalg.norm(primitives.sphere(0.5, 8).points - [0.6, 0, 0], axis=1)
    assert np.allclose(frame.shown("Sphere", "Near").values, undeformed, atol=1e-5)


def test_work_can_be_stopped_between_stages(small_sample):
    def stop() -> None:
        raise CancelledError

    with pytest.raises(CancelledError):
        evaluate(small_sample, 1, Memo(), stop)


def test_a_frame_goes_at_once_when_nobody_holds_it(small_sample):
    gc.disable()
    try:
        frame = weakref.ref(estompe.evaluate(small_sample, 5)._plan)
        assert frame() is None
    finally:
        gc.enable()


def test_names_that_are_not_there():
    frame = evaluate(one_push(), 1)
    for ask in (lambda: frame["Nobody"], lambda: frame.strength("Sphere", "Nothing")):
        with pytest.raises(KeyError):
            ask()


def test_density_changes_the_number_of_points_only():
    coarse, fine = (evaluate(lantern_amphora.build(density), 60) for density in (0.05, 0.5))
    assert len(fine["Amphora"].points) > 8 * len(coarse["Amphora"].points)
    assert np.allclose(coarse["Amphora"].bounds, fine["Amphora"].bounds, atol=0.06)
