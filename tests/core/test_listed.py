"""Several things in one clause."""

from moonplan.core.listed import listed


def test_the_last_of_several_things_comes_after_an_and():
    assert [listed(things) for things in (["a"], ["a", "b"], ["a", "b", "c"])] == ["a", "a and b", "a, b and c"]
