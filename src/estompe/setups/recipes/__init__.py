"""Set-ups in one step, one file each; they register themselves when they are imported."""

from estompe.registered import import_all

import_all(__name__, __path__)
