"""How fine a sample is where it is built coarser than it is meant."""


def voxel_at(density: float, voxel: float) -> float:
    """The size of voxels at a density: larger in a coarser build, at most twice. voxel: as it is meant, scene units."""
    coarser = float(density) ** (-1.0 / 3.0)
    return voxel * min(2.0, max(1.0, float(coarser)))
