"""Fields for settings that are more than a number, a choice or a flag: one file each, registered by the setting's kind."""

from estompe.registered import import_all

import_all(__name__, __path__)
