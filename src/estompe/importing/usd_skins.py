"""Meshes of a USD stage that are bound to skeletons, and their points once they are skinned.

Skinning and blend shapes follow the UsdSkel schema.
"""

from typing import Any

import numpy as np

from estompe.files.progress import ExchangeError


class Skins:
    """Meshes that are bound to skeletons, and their points once they are skinned."""

    def __init__(self, stage: Any) -> None:
        from pxr import Usd, UsdSkel

        self._cache = UsdSkel.Cache()
        self._bound: dict[str, Any] = {}
        for prim in Usd.PrimRange.Stage(stage, Usd.TraverseInstanceProxies()):
            if not prim.IsA(UsdSkel.Root):
                continue
            root = UsdSkel.Root(prim)
            self._cache.Populate(root, Usd.TraverseInstanceProxies())
            for binding in self._cache.ComputeSkelBindings(root, Usd.TraverseInstanceProxies()):
                skeleton = self._cache.GetSkelQuery(binding.GetSkeleton())
                for query in binding.GetSkinningTargets():
                    self._bound[str(query.GetPrim().GetPath())] = skeleton, query

    def bound(self, prim: Any) -> bool:
        """Whether a mesh is bound to a skeleton."""
        return str(prim.GetPath()) in self._bound

    def moves(self, prim: Any) -> bool:
        """Whether a mesh is bound to a skeleton that is animated, or whose shapes are blended."""
        found = self._bound.get(str(prim.GetPath()))
        if found is None:
            return False
        animation = found[0].GetAnimQuery()
        if not animation:
            return False
        return bool(animation.JointTransformsMightBeTimeVarying() or animation.BlendShapeWeightsMightBeTimeVarying())

    def points(self, prim: Any, time: float, xforms: Any) -> Any:
        """The skinned points of a mesh in its own space, or None where it is bound to nothing."""
        from pxr import Gf, UsdGeom, Vt

        found = self._bound.get(str(prim.GetPath()))
        if found is None:
            return None
        skeleton, query = found
        rest = UsdGeom.Mesh(prim).GetPointsAttr().Get(time)
        if rest is None:
            return None
        points = Vt.Vec3fArray(rest)
        self._blend(skeleton, query, prim, time, points)
        transforms = skeleton.ComputeSkinningTransforms(time)
        if not query.HasJointInfluences() or not transforms:
            return points
        if not query.ComputeSkinnedPoints(transforms, points, time):
            raise ExchangeError("its joint influences do not fit its skeleton")
        # Skinned points stand in the skeleton's space.
        to_own = (
            xforms.GetLocalToWorldTransform(skeleton.GetPrim()) * xforms.GetLocalToWorldTransform(prim).GetInverse()
        )
        if to_own == Gf.Matrix4d(1):
            return points
        matrix = np.array(to_own)
        return np.asarray(points, np.float64) @ matrix[:3, :3] + matrix[3, :3]

    @staticmethod
    def _blend(skeleton: Any, query: Any, prim: Any, time: float, points: Any) -> None:
        from pxr import UsdSkel

        animation = skeleton.GetAnimQuery()
        if not animation or not query.HasBlendShapes():
            return
        weights = animation.ComputeBlendShapeWeights(time)
        mapper = query.GetBlendShapeMapper()
        if weights is None or not mapper:
            return
        blending = UsdSkel.BlendShapeQuery(UsdSkel.BindingAPI(prim))
        own = mapper.Remap(weights)
        sub_weights, shapes, sub_shapes = blending.ComputeSubShapeWeights(own)
        offsets, indices = blending.ComputeSubShapePointOffsets(), blending.ComputeBlendShapePointIndices()
        blending.ComputeDeformedPoints(sub_weights, shapes, sub_shapes, indices, offsets, points)
