"""Settings that shapes turned about Y have in common."""

from typing import Annotated

from estompe.kinds.settings import setting, whole

Around = Annotated[int, whole("Around", "The number of quads about the axis.", low=3, high=4000)]
Along = Annotated[int, whole("Along", "The number of quads along the profile.", low=3, high=4000)]
Bevel = Annotated[
    float,
    setting(
        "Bevel",
        "The radius of rounded edges: more rounds them farther, 0 leaves them sharp.",
        unit="length",
        low=0.0,
        high=1e6,
    ),
]
