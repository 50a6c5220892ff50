"""A mixed-integer linear model, built in blocks of rows and columns, and solved by HiGHS."""

from dataclasses import dataclass, field
from typing import Any

import highspy
import numpy as np
import numpy.typing as npt

from moonplan.core.timegrid import Floats

Columns = npt.NDArray[np.int64]
Term = tuple[Columns, Floats | float]


@dataclass(frozen=True, slots=True)
class Solution:
    """value of every column; the objective of that solution; a bound no solution can be below."""

    values: Floats
    objective: float
    bound: float


@dataclass(frozen=True, slots=True)
class Effort:
    """How long a solve may take, in counts.

    nodes : of the branch-and-bound tree. relative_gap, absolute_gap : at which it is good enough.
    """

    nodes: int
    relative_gap: float
    absolute_gap: float


@dataclass
class Model:
    """Columns (variables) and rows (constraints) as they are added."""

    _low: list[Floats] = field(default_factory=list)
    _high: list[Floats] = field(default_factory=list)
    _cost: list[Floats] = field(default_factory=list)
    _whole: list[Floats] = field(default_factory=list)
    _n_columns: int = 0
    _row_low: list[Floats] = field(default_factory=list)
    _row_high: list[Floats] = field(default_factory=list)
    _entry_row: list[Columns] = field(default_factory=list)
    _entry_column: list[Columns] = field(default_factory=list)
    _entry: list[Floats] = field(default_factory=list)
    _n_rows: int = 0

    def columns(
        self,
        n: int,
        *,
        low: Floats | float = 0.0,
        high: Floats | float = highspy.kHighsInf,
        cost: Floats | float = 0.0,
        whole: bool = False,
    ) -> Columns:
        """Add n variables and give their indices."""
        for kept, given in ((self._low, low), (self._high, high), (self._cost, cost), (self._whole, float(whole))):
            kept.append(np.broadcast_to(np.asarray(given, dtype=float), (n,)))
        first = self._n_columns
        self._n_columns += n
        return np.arange(first, first + n)

    def rows(
        self,
        terms: list[Term],
        *,
        low: Floats | float = -highspy.kHighsInf,
        high: Floats | float = highspy.kHighsInf,
    ) -> None:
        """Add a row per element of the terms' columns: low ≤ Σ coefficient × column ≤ high."""
        n = len(terms[0][0])
        rows = np.arange(self._n_rows, self._n_rows + n)
        for column, coefficient in terms:
            self._entry_row.append(rows)
            self._entry_column.append(column)
            self._entry.append(np.broadcast_to(np.asarray(coefficient, dtype=float), (n,)))
        self._row_low.append(np.broadcast_to(np.asarray(low, dtype=float), (n,)))
        self._row_high.append(np.broadcast_to(np.asarray(high, dtype=float), (n,)))
        self._n_rows += n

    def row(
        self,
        columns: Columns,
        coefficients: Floats,
        *,
        low: float = -highspy.kHighsInf,
        high: float = highspy.kHighsInf,
    ) -> None:
        """Add one row over many columns."""
        self._entry_row.append(np.full(len(columns), self._n_rows))
        self._entry_column.append(columns)
        self._entry.append(np.asarray(coefficients, dtype=float))
        self._row_low.append(np.array([low]))
        self._row_high.append(np.array([high]))
        self._n_rows += 1

    @property
    def n_columns(self) -> int:
        """How many variables there are."""
        return self._n_columns

    @property
    def n_whole(self) -> int:
        """How many variables are whole numbers."""
        return int(sum(float(part.sum()) for part in self._whole))

    def minimise(self, effort: Effort, *, cost: Floats | None = None) -> Solution | None:
        """Solve; None where no solution was found within the effort, or none exists.

        cost : shape (n columns,), in place of the costs given with the columns.
        """
        highs = _solver()
        highs.setOptionValue("mip_max_nodes", effort.nodes)
        highs.setOptionValue("mip_rel_gap", effort.relative_gap)
        highs.setOptionValue("mip_abs_gap", effort.absolute_gap)
        if highs.passModel(self._linear_program(cost)) == highspy.HighsStatus.kError:
            raise ValueError("HiGHS refused the model")
        highs.run()
        info = highs.getInfo()
        if info.primal_solution_status != 2:  # no feasible point
            return None
        bound = info.mip_dual_bound if self.n_whole else info.objective_function_value
        return Solution(np.array(highs.getSolution().col_value), info.objective_function_value, bound)

    def relaxed_bound(self) -> float | None:
        """The least objective with every whole number allowed to be a fraction: no solution can be below it."""
        highs = _solver()
        program = self._linear_program(None)
        program.integrality_ = []
        if highs.passModel(program) == highspy.HighsStatus.kError:
            raise ValueError("HiGHS refused the model")
        highs.run()
        if highs.getModelStatus() != highspy.HighsModelStatus.kOptimal:
            return None
        return float(highs.getInfo().objective_function_value)

    def _linear_program(self, cost: Floats | None) -> Any:
        columns = np.concatenate(self._entry_column) if self._entry_column else np.zeros(0, dtype=np.int64)
        rows = np.concatenate(self._entry_row) if self._entry_row else np.zeros(0, dtype=np.int64)
        entries = np.concatenate(self._entry) if self._entry else np.zeros(0)
        order = np.lexsort((columns, rows))
        lp = highspy.HighsLp()
        lp.num_col_, lp.num_row_ = self._n_columns, self._n_rows
        lp.col_cost_ = np.concatenate(self._cost) if cost is None else cost
        lp.col_lower_, lp.col_upper_ = np.concatenate(self._low), np.concatenate(self._high)
        lp.row_lower_ = np.concatenate(self._row_low) if self._row_low else np.zeros(0)
        lp.row_upper_ = np.concatenate(self._row_high) if self._row_high else np.zeros(0)
        lp.a_matrix_.format_ = highspy.MatrixFormat.kRowwise
        lp.a_matrix_.start_ = np.concatenate([[0], np.cumsum(np.bincount(rows, minlength=self._n_rows))]).astype(np.int32)
        lp.a_matrix_.index_ = columns[order].astype(np.int32)
        lp.a_matrix_.value_ = entries[order]
        whole = np.concatenate(self._whole)
        lp.integrality_ = [highspy.HighsVarType.kInteger if w else highspy.HighsVarType.kContinuous for w in whole]
        return lp


def _solver() -> highspy.Highs:
    highs = highspy.Highs()
    highs.silent()
    for option, value in _OPTIONS.items():
        highs.setOptionValue(option, value)
    return highs


_OPTIONS: dict[str, Any] = {
    "threads": 1,
    "random_seed": 0,
    "mip_feasibility_tolerance": 1e-7,
    # A last resort for a document far beyond a household; ordinary work ends on the node count long before.
    "time_limit": 60.0,
}
