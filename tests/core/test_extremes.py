"""Tables of the highest and the lowest cell only: read as far as they tell, judged no further."""

from dataclasses import replace
from datetime import UTC, datetime

import numpy as np
import pytest

from nipper.core.errors import InputError
from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.few import ADVICE, MOST_SURE, TOLD_BY_ENDS
from nipper.core.logs.averages import averaged
from nipper.core.logs.ends import ends_only
from nipper.core.logs.model import join
from nipper.core.logs.reader import read_file
from tests.bench.others import other
from tests.core.strangers import LOG

HEADS = {
    "english": "time,pack V,current,max cell V,max cell no,min cell V,min cell no",
    "longer": "time,voltage,current,highest cell voltage,highest cell,lowest cell voltage,"
    "lowest cell",
    "shorter": "time,U,I,Umax,Cell max,Umin,Cell min",
    "german": "Zeit,Gesamtspannung,Strom,Höchste Zellspannung,Höchste Zelle Nr.,"
    "Niedrigste Zellspannung,Niedrigste Zelle Nr.",
}


def ends_of(log, head=HEADS["english"], first=1, scale=1.0, columns=slice(None)):
    """The log as a BMS that shows the two ends of its cells writes it."""
    rows = np.arange(log.rows)
    high, low = log.cell_v.argmax(axis=1), log.cell_v.argmin(axis=1)
    lines = [",".join(head.split(",")[columns])]
    for i in rows:
        at = datetime.fromtimestamp(log.time_s[i], UTC)
        v_high, v_low = (f"{scale * log.cell_v[i, c[i]]:.{3 if scale == 1 else 0}f}" for c in
                         (high, low))  # fmt: skip
        fields = [f"{at:%Y-%m-%dT%H:%M:%SZ}", f"{log.pack_v[i]:.2f}", f"{log.current_a[i]:.1f}",
                  v_high, str(high[i] + first), v_low, str(low[i] + first)]  # fmt: skip
        lines.append(",".join(fields[columns]))
    return "\n".join(lines)


def read(text, tmp_path):
    path = tmp_path / "ends.csv"
    path.write_text(text)
    return read_file(path)


CASES = [(head, first, 1.0) for head in HEADS for first in (1, 0)] + [("longer", 1, 1e3)]


@pytest.mark.parametrize(("head", "first", "scale"), CASES)
def test_the_two_ends_are_exact_and_the_others_at_their_mean(tmp_path, head, first, scale):
    found = read(ends_of(LOG, HEADS[head], first, scale), tmp_path)
    assert "highest and the lowest of 8 cells" in " ".join(found.reading.told)
    volts = found.log.cell_v
    assert volts.shape == LOG.cell_v.shape
    assert np.allclose(volts.max(axis=1), LOG.cell_v.max(axis=1), atol=6e-4)
    assert np.allclose(volts.min(axis=1), LOG.cell_v.min(axis=1), atol=6e-4)
    assert (volts.argmax(axis=1) == LOG.cell_v.argmax(axis=1)).all()
    assert np.allclose(volts.sum(axis=1), LOG.pack_v, atol=0.02)
    assert np.allclose(found.log.current_a, LOG.current_a, atol=0.06)
    assert ends_only(found.log)
    assert not ends_only(LOG)


def test_a_cell_between_the_ends_is_not_doubted_for_standing_at_the_mean(tmp_path):
    """Where the same two are the ends throughout, cell 1 is the mean of the others in every row."""
    cell_v = np.repeat(LOG.cell_v[:, :1], 8, axis=1)
    cell_v[:, 3], cell_v[:, 5] = cell_v[:, 3] + 0.02, cell_v[:, 5] - 0.022
    steady = replace(LOG, cell_v=cell_v, pack_v=cell_v.sum(axis=1))
    told = " ".join(map(str, read(ends_of(steady), tmp_path).reading.doubts))
    assert "mean of the others" not in told


def test_cells_that_are_all_level_are_a_row_as_well(tmp_path):
    level = replace(
        LOG, cell_v=np.repeat(LOG.cell_v[:, :1], 8, axis=1), pack_v=8 * LOG.cell_v[:, 0]
    )
    whole = replace(LOG, cell_v=np.where(np.arange(LOG.rows)[:, None] % 9 == 4, level.cell_v,
                                         LOG.cell_v))  # fmt: skip
    log = read(ends_of(whole), tmp_path).log
    assert log.rows == LOG.rows
    assert np.ptp(log.cell_v[4]) == 0.0 < np.ptp(log.cell_v[5])


def test_a_slip_beyond_all_numbers_costs_its_row_alone(tmp_path):
    lines = ends_of(LOG).split("\n")
    for row, at in ((40, 3), (50, 5)):
        fields = lines[row].split(",")
        lines[row] = ",".join([*fields[:at], "1e308", *fields[at + 1 :]])
    assert read("\n".join(lines), tmp_path).log.rows == LOG.rows - 2


@pytest.mark.parametrize("columns", [slice(0, 5), slice(0, None, 2), slice(2, None)])
def test_without_numbers_the_pack_or_one_end_it_is_refused(tmp_path, columns):
    with pytest.raises(InputError, match="expected"):
        read(ends_of(LOG, columns=columns), tmp_path)


CAUSES = ["", "self_discharge", "soc_offset", "low_capacity", "high_resistance", "sense_bias"]


@pytest.mark.parametrize("cause", CAUSES)
def test_what_ends_alone_cannot_tell_is_not_said(tmp_path, cause):
    pack = other(cause, 930)
    log = read(ends_of(pack.log), tmp_path).log
    found = diagnose(log, pack.setup)
    assert found.advice[0] == ADVICE
    assert found.verdict != "healthy"
    assert all(f.cause in TOLD_BY_ENDS and f.confidence <= MOST_SURE for f in found.findings)
    named = [f for f in found.findings if f.confidence > 0.5]
    assert [f.cause for f in named[:1]] == ([cause] if cause else [])
    assert not named or named[0].cells == tuple(pack.truth.cells)


def test_means_of_rows_and_other_stretches_hide_it_no_more(tmp_path):
    ends = read(ends_of(LOG), tmp_path).log
    means = averaged(ends, 300.0)
    assert means.rows < 100
    assert ends_only(means)
    later = replace(LOG, time_s=LOG.time_s + 1e6)
    assert ends_only(join([averaged(ends, 0.0), averaged(later, 0.0)]))
    assert not ends_only(join([averaged(LOG, 0.0), averaged(later, 0.0)]))
    assert not ends_only(averaged(LOG, 300.0))


def test_a_coarse_meter_is_not_taken_for_such_a_log():
    coarse = np.round(LOG.cell_v / 0.01) * 0.01
    assert not ends_only(replace(LOG, cell_v=coarse.astype(np.float32)))
    four = replace(LOG, cell_v=coarse[:, :4].astype(np.float32))
    assert not ends_only(four)
