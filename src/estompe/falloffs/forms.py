"""The forms of controls: what each is to the kernels. The view's drawings of them are in `app/view/forms.py`."""

from typing import NamedTuple

from estompe.kernels.distance import Form
from estompe.kernels.press import Body
from estompe.kinds.context import ControlForm


class FormRule(NamedTuple):
    """What a form is to the kernels: distances to it, and pressing with it. A path has neither: it is a polyline."""

    distance: Form
    body: Body


FORMS: dict[ControlForm, FormRule] = {
    "sphere": FormRule(Form.SPHERE, Body.SPHERE),
    "box": FormRule(Form.BOX, Body.BOX),
    "plane": FormRule(Form.PLANE, Body.PLANE),
    "cylinder": FormRule(Form.CYLINDER, Body.CYLINDER),
    "wind": FormRule(Form.SPHERE, Body.SPHERE),
}
