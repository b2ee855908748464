"""Fields for settings that are more than a number, a choice or a flag: one file each, registered by the setting's editor."""

from estompe.kinds.editors import GROUP
from estompe.registered import import_all, load_plug_ins

import_all(__name__, __path__)
load_plug_ins(GROUP)
