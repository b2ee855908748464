"""An ink outline as wide at any distance of the camera."""


def test_an_ink_outline(hands):
    hands.add("sphere", "shape:sphere")
    hands.add("ink outline", "effect:outline")
    drawn, bare = hands.geometry("Sphere"), hands.bare("Sphere")
    assert len(drawn.points) == 2 * len(bare)
    hands.done("ink outline by camera distance", 6)
