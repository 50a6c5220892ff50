"""Random parts of documents, for properties."""

from datetime import time

from hypothesis import strategies as st

from moonplan.core.household import WEEKDAYS, Band

clocks = st.builds(time, st.integers(0, 23), st.sampled_from([0, 7, 15, 30, 50]))
bands = st.builds(
    Band,
    name=st.sampled_from(["a", "b", "c"]),
    price=st.sampled_from([0.05, 0.1, 0.2, -0.02]),
    from_=clocks,
    to=clocks,
    days=st.lists(st.sampled_from(WEEKDAYS), min_size=1, max_size=7, unique=True).map(tuple),
    months=st.one_of(st.none(), st.lists(st.integers(1, 12), min_size=1, max_size=6, unique=True).map(tuple)),
)
