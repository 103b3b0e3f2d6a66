#!/usr/bin/env python3
"""The bodies' residuals solved by SciPy's least_squares, beside our own solver in one run.

    python3 -m venv .venv && .venv/bin/pip install scipy==1.17.1 numpy==2.4.6
    cargo build --release -p upright-studio --example residuals
    .venv/bin/python scripts/solver.py [SECONDS] [CAMERAS]

One dancer as a detector sees him at 12.5 instants a second. Our solver does all of its work (start, sides, feet,
arms, uncertainties); SciPy is given what follows from that (which foot stands, which side is which), starts five
centimetres beside the solution, gets the pattern of the derivatives and does no uncertainties. The residuals
themselves are computed by the same compiled code for both, asked for over a pipe.
"""

import json
import subprocess
import sys
import time

import numpy as np
from scipy.optimize import least_squares
from scipy.sparse import lil_matrix

OF_INSTANT, SHARED = 57, 9


def main():
    seconds, cameras = (sys.argv[1:] + ["10", "1"][len(sys.argv) - 1 :])[:2]
    served = subprocess.Popen(
        ["target/release/examples/residuals", seconds, cameras],
        stdin=subprocess.PIPE,
        stdout=subprocess.PIPE,
    )
    head = json.loads(served.stdout.readline())
    solved, spans = np.array(head["solved"]), head["spans"]
    asked = {"times": 0, "seconds": 0.0}

    def residuals(x):
        begun = time.perf_counter()
        served.stdin.write(np.ascontiguousarray(x).tobytes())
        served.stdin.flush()
        answer = np.frombuffer(served.stdout.read(8 * len(spans)))
        asked["times"] += 1
        asked["seconds"] += time.perf_counter() - begun
        return answer

    pattern = lil_matrix((len(spans), len(solved)), dtype=np.int8)
    for row, (first, last) in enumerate(spans):
        pattern[row, first * OF_INSTANT : (last + 1) * OF_INSTANT] = 1
        pattern[row, -SHARED:] = 1
    for row in range(len(spans) - SHARED, len(spans)):
        pattern[row, :-SHARED] = 0
    ours = float(np.sum(residuals(solved) ** 2))
    start = solved.copy()
    start[:-SHARED] += np.random.default_rng(5).normal(0, 0.05, len(solved) - SHARED)
    begun = time.perf_counter()
    fit = least_squares(
        residuals, start, jac_sparsity=pattern.tocsr(), method="trf", x_scale=0.05, ftol=1e-6, max_nfev=60
    )
    took = time.perf_counter() - begun
    apart = (fit.x - solved)[:-SHARED].reshape(-1, 3)
    off = 1000 * np.linalg.norm(apart, axis=1)
    print(f"{seconds} s, {cameras} camera(s), {head['instants']} instants, {len(spans)} residuals")
    print(f"ours   {head['seconds']:8.2f} s, sum of squares {ours:.1f}, {head['rounds']} factorisations")
    print(
        f"SciPy  {took:8.2f} s, sum of squares {2 * fit.cost:.1f}, {fit.njev} Jacobians, "
        f"{asked['times']} calls of the residuals in {asked['seconds']:.2f} s ({fit.message})"
    )
    print(f"SciPy / ours {took / head['seconds']:.1f}; joints apart: median {np.median(off):.1f} mm, 90 % {np.quantile(off, 0.9):.1f} mm")


if __name__ == "__main__":
    main()
