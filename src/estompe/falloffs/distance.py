"""Distance to a control, in the control's own space."""

from typing import Annotated, ClassVar

import numpy as np
from msgspec import Struct

from estompe.document.kinds import At, Source, register
from estompe.document.scene import Identifier
from estompe.document.settings import setting
from estompe.geometry.placement import inverse
from estompe.geometry.samples import Samples
from estompe.kernels.distance import Form, distance
from estompe.kernels.types import Floats

_FORMS = {"ball": Form.BALL, "box": Form.BOX, "plane": Form.PLANE, "cylinder": Form.CYLINDER}


@register
class Distance(Struct, Source, frozen=True, forbid_unknown_fields=True, tag="distance", tag_field="kind"):
    """How far each point lies from a control, by the control's form and in its own units."""

    label: ClassVar[str] = "Distance"
    text: ClassVar[str] = (
        "How far each point lies from a control. Scaling or turning the control scales or turns the falloff."
    )

    control: Annotated[Identifier, setting("Control", "The control it is measured to.", refers="control")]

    def unit(self) -> str:
        return "length"

    def measure(self, samples: Samples, at: At) -> Floats:
        form, matrix = at.control(self.control)
        return distance(samples.points, inverse(matrix).astype(np.float32), _FORMS[form])
