"""Falloffs: what is measured (one file per source), how layers join, and the ramp that makes a strength of them."""

from estompe.registered import import_all

import_all(__name__, __path__)
