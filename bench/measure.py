"""How a bench measures and says it."""

import gc
import statistics
import time
from collections.abc import Callable


def best(call: Callable[[], object], repeats: int, number: int = 1) -> float:
    """Return the median of the better half of the repeats, seconds for one call; the collector waits meanwhile."""
    times = []
    gc.collect()
    gc.disable()  # as timeit does: what an earlier bench left behind is no part of this one
    try:
        for _ in range(repeats):
            start = time.perf_counter()
            for _ in range(number):
                call()
            times.append((time.perf_counter() - start) / number)
    finally:
        gc.enable()
    return statistics.median(sorted(times)[: max(1, repeats // 2)])


def report(name: str, ours: float, base: float, aim: str, scale: float = 1e3, unit: str = "ms") -> None:
    print(
        f"{name:44} {ours * scale:9.3f} {unit:3}  bare {base * scale:9.3f} {unit:3}  ratio {ours / base:5.2f}  aim {aim}"
    )
