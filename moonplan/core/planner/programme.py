"""A linear programme, put together in blocks of columns and rows, and solved by HiGHS."""

from dataclasses import dataclass, field
from typing import NamedTuple

import numpy as np
import numpy.typing as npt
from scipy.optimize import linprog
from scipy.sparse import csr_array

from moonplan.core.timegrid import Floats

Columns = npt.NDArray[np.int64]


class Least(NamedTuple):
    """Where the cost is least.

    values : of the columns, shape (n_columns,). worth : by how much the least cost would fall for one more of what each row
    allows, shape (n_rows,).
    """

    values: Floats
    worth: Floats


@dataclass
class Programme:
    """min cost·x with rows of coefficients, each at most `most`, and low ≤ x ≤ high."""

    cost: list[Floats] = field(default_factory=list)
    low: list[Floats] = field(default_factory=list)
    high: list[Floats] = field(default_factory=list)
    charged: list[tuple[Columns, Floats | float]] = field(default_factory=list)
    entries: list[tuple[Columns, Columns, Floats]] = field(default_factory=list)
    most: list[Floats] = field(default_factory=list)
    n_columns: int = 0
    n_rows: int = 0

    def columns(self, many: int, *, high: Floats | float, low: Floats | float = 0.0, cost: Floats | float = 0.0) -> Columns:
        """So many columns more."""
        for kept, given in ((self.cost, cost), (self.low, low), (self.high, high)):
            kept.append(np.broadcast_to(np.asarray(given, dtype=np.float64), many))
        self.n_columns += many
        return np.arange(self.n_columns - many, self.n_columns)

    def rows(self, most: Floats | float, many: int = 1) -> Columns:
        """So many rows more."""
        self.most.append(np.broadcast_to(np.asarray(most, dtype=np.float64), many))
        self.n_rows += many
        return np.arange(self.n_rows - many, self.n_rows)

    def put(self, rows: Columns, columns: Columns, value: Floats | float) -> None:
        """Coefficients of columns in rows; what is put in one place twice is added up."""
        many = np.broadcast_shapes(rows.shape, columns.shape)
        values = np.asarray(value, dtype=np.float64)
        self.entries.append((np.broadcast_to(rows, many), np.broadcast_to(columns, many), np.broadcast_to(values, many)))

    def charge(self, columns: Columns, cost: Floats | float) -> None:
        """Let columns cost so much more."""
        self.charged.append((columns, cost))

    def least(self, less: Floats | float = 0.0) -> Least | None:
        """Where the cost is least, None where that was not found. less : by how much less each row allows."""
        rows, columns, values = (np.concatenate(parts) for parts in zip(*self.entries, strict=True))
        cost = np.concatenate(self.cost)
        for charged, more in self.charged:
            np.add.at(cost, charged, more)
        solved = linprog(
            cost,
            A_ub=csr_array((values, (rows, columns)), shape=(self.n_rows, self.n_columns)),
            b_ub=np.concatenate(self.most) - less,
            bounds=np.column_stack([np.concatenate(self.low), np.concatenate(self.high)]),
            method="highs-ds",
            # What presolving takes is more than it saves of some hundred columns.
            options={"presolve": False},
        )
        return Least(np.asarray(solved.x), -np.asarray(solved.ineqlin.marginals)) if solved.status == 0 else None
