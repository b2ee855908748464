"""Cloth tears from where it is weak."""


def test_cloth_tears(hands):
    hands.add("grid", "shape:grid")
    hands.add("tear", "recipe:release-and-tear")
    hands.driver.session.playhead.go(30)
    hands.driver.settle()
    cloth = hands.geometry("Grid")
    assert len(cloth.points) >= len(hands.bare("Grid"))
    hands.done("cloth torn from where it is weak", 7)
