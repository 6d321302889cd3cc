"""The diagnosis on paper says what the log says, and nothing else."""

import re
from datetime import UTC, datetime

import numpy as np

from nipper.core.imbalance.diagnosis import diagnose
from nipper.core.imbalance.remedies import CAUTION
from nipper.core.presets import new_setup
from nipper.core.report.diagnosed import diagnosis_html
from tests.builders import charge_log

SETUP = new_setup("lfp", 8, 100.0)
WHEN = datetime(2026, 9, 1, 10, 0, tzinfo=UTC)


def page(drift_pct, name="Pack A"):
    log = charge_log(
        SETUP, np.zeros(8), charges=16, drift_pct=drift_pct, hold_min=45.0, depth_pct=15.0
    )
    return diagnosis_html(diagnose(log, SETUP), log, SETUP, name, WHEN)


def leak(cell, pct_a_day):
    drift = np.zeros(8)
    drift[cell - 1] = -pct_a_day
    return drift


def test_a_stray_cell_stands_first_with_its_remedy_and_its_readings():
    told = page(leak(3, 0.1))
    first = re.search(r"<h3>(.*?)</h3>", told)
    assert first is not None
    assert "Cell 3" in first[1]
    assert "confidence" in told
    assert re.search(r"What to do</b></p><ul><li>.*Ah", told)
    assert "mAh" in told
    assert "absorption begins" in told
    assert "16 full charges" in told
    assert CAUTION.split(";")[0] in told


def test_a_level_pack_is_named_so_and_no_remedy_is_made_up():
    told = page(np.zeros(8))
    assert "What to do" not in told
    assert "<h3>Readings</h3>" in told


def test_a_log_without_a_full_charge_says_what_to_record():
    log = charge_log(SETUP, np.zeros(8)).select(slice(0, 5))
    told = diagnosis_html(diagnose(log, SETUP), log, SETUP, "Pack A", WHEN)
    assert "To tell more" in told
    assert "Readings" not in told
    assert "0 full charges" in told


def test_a_strange_name_stays_text():
    assert "<script>" not in page(np.zeros(8), name="<script>alert(1)</script>")
