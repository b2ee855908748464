"""What shapes are made from: one file each, with its settings and how it builds a mesh."""

from estompe.registered import import_all

import_all(__name__, __path__)
