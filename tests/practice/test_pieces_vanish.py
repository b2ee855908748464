"""Pieces break off and vanish behind a front."""


def test_pieces_vanish_behind_a_front(hands):
    hands.add("sphere", "shape:sphere")
    hands.add("break", "recipe:break-along")
    counted = hands.steps
    hands.add("hide", "effect:hide")
    hands.driver.session.playhead.go(hands.session.document.scene.last)
    hands.driver.settle()
    left = hands.geometry("Sphere")
    assert (
        0
        <= left.topology.faces
        < hands.driver.session.evaluator.answer.frame.counts_after(hands.session.selection.shape_id)[
            hands.session.selection.shape.effects[0].id
        ][0]
    )
    assert hands.steps - counted == 3
    hands.done("pieces vanish behind a front", 9)
