"""Whether what something was made of is still the same."""

from __future__ import annotations

from choreon.model.sameness import very_same


def test_only_the_very_same_objects_in_the_same_order_are_the_same():
    one, other = [1000], [1000]
    assert very_same((), [])
    assert very_same((one, None), [one, None])
    assert not very_same((one,), (other,))  # equal, but another
    assert not very_same((one, other), (other, one))
    assert not very_same((one,), (one, None))
