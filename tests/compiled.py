"""The plant's step, compiled before tests that run side by side would each compile it for themselves."""

from stock.simulate.plant import Plant
from tests.line import hallin_reach

if __name__ == "__main__":
    Plant(hallin_reach()).step()
