"""Falloffs: what is measured (one file per source), how layers join, and the ramp that makes a strength of them."""
