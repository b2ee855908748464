"""The scenes of The Tide Clock: each a short script that builds a project."""

from estompe.samples.catalogue import SAMPLES, Sample, sample

__all__ = ["SAMPLES", "Sample", "sample"]
