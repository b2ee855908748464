"""Array types named once for signatures."""

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float32]
Matrix = NDArray[np.float64]
Indices = NDArray[np.int32]
