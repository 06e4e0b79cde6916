"""Binding glue: hours that three glues take to cure, one column each, of unequal length.

The truth: cure hours ~ Normal with bone (20.0, 2.4, n 30), starch (21.2, 2.4, n 40), resin (17.6, 2.4, n 38): resin
cures faster than both; bone and starch differ by half a standard deviation.
"""

import numpy as np

GLUES = {"bone glue": (30, 20.0), "starch paste": (40, 21.2), "resin": (38, 17.6)}
SD = 2.4
SEED = 77


def as_csv() -> bytes:
    rng = np.random.default_rng(SEED)
    columns = {name: [f"{v:.1f}" for v in rng.normal(mean, SD, n)] for name, (n, mean) in GLUES.items()}
    longest = max(map(len, columns.values()))
    lines = [",".join(columns)]
    lines += [",".join(c[i] if i < len(c) else "" for c in columns.values()) for i in range(longest)]
    return ("\n".join(lines) + "\n").encode()


STEPS: list[dict[str, object]] = [
    {"step": "describe_column", "column": name, "label": label, "unit": "h"}
    for name, label in (("bone glue", "Bone glue"), ("starch paste", "Starch paste"), ("resin", "Resin"))
]
