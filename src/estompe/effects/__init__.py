"""Effects: one file each, with its settings and what it does to a geometry."""

from estompe.registered import import_all

import_all(__name__, __path__)
