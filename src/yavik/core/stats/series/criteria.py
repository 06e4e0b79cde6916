"""What models of one series are compared by."""

from typing import Protocol

import numpy as np


class Judged(Protocol):
    """A model with its likelihood, its parameters counted, and the points that the likelihood is of."""

    @property
    def log_likelihood(self) -> float: ...
    @property
    def counted(self) -> int: ...
    @property
    def n(self) -> int: ...


class Criteria:
    """AIC (Akaike, 1974), AICc (Hurvich and Tsai, 1989) and BIC (Schwarz, 1978) of whatever is ``Judged``."""

    @property
    def aic(self: Judged) -> float:
        """−2 ln L + 2k."""
        return -2 * self.log_likelihood + 2 * self.counted

    @property
    def aicc(self: Judged) -> float:
        """AIC + 2k(k + 1)/(n − k − 1); infinite where n is too small for it."""
        k, left = self.counted, self.n - self.counted - 1
        return -2 * self.log_likelihood + 2 * k + 2 * k * (k + 1) / left if left > 0 else np.inf

    @property
    def bic(self: Judged) -> float:
        """−2 ln L + k ln n."""
        return -2 * self.log_likelihood + self.counted * float(np.log(self.n))
