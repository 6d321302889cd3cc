"""What is likely and not sure."""

from unittest.mock import Mock

import pytest

from nipper.core.imbalance.causes_base import Cause
from nipper.core.imbalance.diagnosis import Diagnosis
from nipper.core.imbalance.estimate import Estimate


def cause(confidence, serious=False, mended=False):
    return Cause(
        cause="loose_joint",
        cells=(3,),
        confidence=confidence,
        quantity="resistance",
        value=1.0,
        low=0.5,
        high=1.5,
        unit="mΩ",
        summary="The joint at cell 3 comes and goes.",
        evidence=(),
        actions=(),
        serious=serious,
        mended=mended,
    )


@pytest.mark.parametrize(
    ("found", "said"),
    [
        ([], False),
        ([cause(0.1)], False),
        ([cause(0.3)], True),
        ([cause(0.1, serious=True)], True),  # what would have to be acted on, from less
        ([cause(0.3, mended=True)], False),  # nothing is to be made sure of
        ([cause(0.9), cause(0.3)], False),  # something is named
    ],
)
def test_what_is_likely_is_said_where_nothing_is_named(found, said):
    judged = Diagnosis("watch", tuple(found), Mock(spec=Estimate), ())
    assert (judged.perhaps is not None) is said
