"""Fire runs along a match."""

from estompe.geometry import Domain


def test_heat_along_a_match(hands):
    hands.add("cylinder", "shape:cylinder")
    hands.add("heat", "recipe:catch-fire")
    hands.driver.session.playhead.go(40)
    hands.driver.settle()
    burnt = hands.geometry("Cylinder")
    assert burnt.attribute(Domain.POINT, "color") is not None
    hands.done("heat along a match", 6)
